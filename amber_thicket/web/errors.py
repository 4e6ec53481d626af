"""Errors become problem details (RFC 9457) in one place."""

from __future__ import annotations

import json
import logging
import uuid

from flask import Flask, Response, request
from werkzeug.exceptions import HTTPException

from amber_thicket import errors
from amber_thicket.web.services import FOLLOWING

_STATUS: dict[type[errors.ThicketError], int] = {
    errors.UnreadableFile: 415,
    errors.TooLarge: 413,
    errors.BadSetting: 422,
    errors.BadRecipe: 422,
    errors.NotFound: 404,
    errors.StaleEdit: 409,
    errors.NotAllowed: 403,
    errors.WriteFailed: 507,
    errors.Cancelled: 499,
}
log = logging.getLogger(__name__)


def _problem(status: int, code: str, title: str, detail: str, **more: object) -> Response:
    body = {"type": f"urn:amber-thicket:{code}", "title": title, "status": status, "detail": detail, **more}
    return Response(json.dumps(body, default=str), status, mimetype="application/problem+json")


def handle_errors(app: Flask) -> None:
    """Register the handlers."""

    @app.errorhandler(errors.ThicketError)
    def deliberate(error: errors.ThicketError) -> Response:
        if isinstance(error, errors.Cancelled) and request.args.get("slot") in FOLLOWING:
            # An edit came between, which is nothing a browser need complain of.
            return Response(status=204)
        status = next((s for kind, s in _STATUS.items() if isinstance(error, kind)), 400)
        return _problem(status, error.code, error.message, error.remedy, **error.details)

    @app.errorhandler(HTTPException)
    def known(error: HTTPException) -> Response:
        return _problem(error.code or 500, "http", error.name, error.description or "")

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        reference = uuid.uuid4().hex[:8]
        log.exception("reference %s: %s %s", reference, request.method, request.path)
        return _problem(
            500,
            "unexpected",
            "Something unexpected went wrong.",
            f"It was logged with the reference {reference}.",
            reference=reference,
        )
