"""Errors become problem details (RFC 9457) in one place."""

from __future__ import annotations

import json
import logging
import uuid
from typing import Any

from flask import Flask, Response, request
from peewee import DatabaseError
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


def _problem(status: int, body: dict[str, Any]) -> Response:
    response = Response(json.dumps(body, default=str), status, mimetype="application/problem+json")
    if "wait" in body:
        response.headers["Retry-After"] = str(body["wait"])
    return response


def handle_errors(app: Flask) -> None:
    """Register the handlers."""

    @app.errorhandler(errors.ThicketError)
    def deliberate(error: errors.ThicketError) -> Response:
        if isinstance(error, errors.Cancelled) and request.args.get("slot") in FOLLOWING:
            # An edit came between, which is nothing a browser need complain of.
            return Response(status=204)
        return _problem(*problem_of(error))

    @app.errorhandler(HTTPException)
    def known(error: HTTPException) -> Response:
        status = error.code or 500
        return _problem(status, _body(status, "http", error.name, error.description or ""))

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
