"""Errors become problem details (RFC 9457) in one place."""

from __future__ import annotations

import json
import logging
import uuid
from typing import Any

from flask import Flask, Response, request
from markupsafe import escape
from peewee import DatabaseError, DoesNotExist
from werkzeug.exceptions import HTTPException

from amber_thicket import errors
from amber_thicket.store.disk import disk_trouble
from amber_thicket.web.services import FOLLOWING, services

# The first class that fits counts, so what is special stands before what is general.
_STATUS: dict[type[errors.ThicketError], int] = {
    errors.UnreadableFile: 415,
    errors.TooLarge: 413,
    errors.BadSetting: 422,
    errors.BadRecipe: 422,
    errors.NotFound: 404,
    errors.StaleEdit: 409,
    errors.TooManyTries: 429,
    errors.NotAllowed: 403,
    errors.WriteFailed: 507,
    errors.ServiceAway: 503,
    errors.DamagedBlob: 410,
    errors.Cancelled: 499,
}
log = logging.getLogger(__name__)


def problem_of(error: errors.ThicketError) -> tuple[int, dict[str, Any]]:
    """Status and problem details of a deliberate error."""
    status = next((s for kind, s in _STATUS.items() if isinstance(error, kind)), 400)
    return status, _body(status, error.code, error.message, error.remedy, **error.details)


def _body(status: int, code: str, title: str, detail: str, **more: object) -> dict[str, Any]:
    return {**more, "type": f"urn:amber-thicket:{code}", "title": title, "status": status, "detail": detail}


# For people who open an address that leads nowhere, or without their token.
_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{title} · Amber Thicket</title>
<style>body{{margin:0;display:grid;place-items:center;height:100vh;background:#1b1b1b;color:#e9e9e9;
font:15px/1.5 system-ui,sans-serif}}main{{max-width:30rem;padding:2rem}}h1{{font-size:18px;margin:0 0 .4rem}}
p{{margin:0 0 1rem;color:#ababab}}a{{color:#e39a2d}}</style>
<main><h1>{title}</h1><p>{detail}</p><a href="/">To the library</a></main></html>"""


def _problem(status: int, body: dict[str, Any]) -> Response:
    if _is_read_by_a_person():
        text = _PAGE.format(title=escape(body["title"]), detail=escape(body["detail"]))
        response = Response(text, status, mimetype="text/html")
    else:
        response = Response(json.dumps(body, default=str), status, mimetype="application/problem+json")
    if "wait" in body:
        response.headers["Retry-After"] = str(body["wait"])
    return response


def _is_read_by_a_person() -> bool:
    """Whether a browser asks for a page; programs, and the page itself, get problem details."""
    kinds = request.accept_mimetypes
    wants_a_page = kinds.quality("text/html") > kinds.quality("application/problem+json")
    return wants_a_page and not request.path.startswith("/api/")


def handle_errors(app: Flask) -> None:
    """Register the handlers."""

    @app.errorhandler(errors.ThicketError)
    def deliberate(error: errors.ThicketError) -> Response:
        slot, follows = request.args.get("slot"), "follow" in request.args
        passed = isinstance(error, errors.PassedState) and (slot or follows)
        if passed or (isinstance(error, errors.Cancelled) and slot in FOLLOWING):
            # An edit came between, which is nothing the browser of a page that follows it need complain of.
            return Response(status=204)
        return _problem(*problem_of(error))

    @app.errorhandler(HTTPException)
    def known(error: HTTPException) -> Response:
        status = error.code or 500
        return _problem(status, _body(status, "http", error.name, error.description or ""))

    @app.errorhandler(DoesNotExist)
    def gone(_error: DoesNotExist) -> Response:
        log.warning("%s %s: deleted meanwhile", request.method, request.path)
        problem = errors.NotFound("What this was about was deleted meanwhile.", remedy="Go back to the library.")
        return _problem(*problem_of(problem))

    @app.errorhandler(RecursionError)
    def nested(_error: RecursionError) -> Response:
        return _problem(422, _body(422, "bad-setting", "The request is nested too deeply.", "Send it flatter."))

    @app.errorhandler(OSError)
    @app.errorhandler(DatabaseError)
    def disk(error: Exception) -> Response:
        trouble = disk_trouble(error, services().config.folder)
        if trouble is None:
            return unexpected(error)
        log.warning("%s %s: %s", request.method, request.path, trouble.message)
        services().disk.hurt()
        return _problem(*problem_of(trouble))

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        reference = uuid.uuid4().hex[:8]
        log.error("reference %s: %s %s", reference, request.method, request.path, exc_info=error)
        body = _body(
            500,
            "unexpected",
            "Something unexpected went wrong.",
            f"It was logged with the reference {reference}.",
            reference=reference,
        )
        return _problem(500, body)
