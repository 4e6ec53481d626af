"""Who may ask: host, origin and token; and what a page may load."""

from __future__ import annotations

import hmac
from urllib.parse import urlsplit

from flask import Flask, Response, request

from amber_thicket.errors import NotAllowed
from amber_thicket.web.config import Config

_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; "
    "font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
    "form-action 'none'; frame-ancestors 'none'"
)
_COOKIE = "amber_thicket"
_SAFE = ("GET", "HEAD", "OPTIONS")


def _host_of(value: str) -> str:
    return (urlsplit("//" + value).hostname or "").lower()


def guard(app: Flask, config: Config) -> None:
    """Check every request, dress every answer."""
    allowed = {"127.0.0.1", "localhost", "::1", *config.hosts}
    if not config.loopback and config.host not in ("0.0.0.0", "::"):
        allowed.add(config.host.lower())
    any_host = config.host in ("0.0.0.0", "::") and not config.hosts

    @app.before_request
    def check() -> None:
        if not any_host and _host_of(request.host) not in allowed:
            raise NotAllowed("This host name is not served here.", remedy="Use the address printed at start.")
        origin = request.headers.get("Origin")
        if request.method not in _SAFE and origin and urlsplit(origin).netloc != request.host:
            raise NotAllowed("The request came from another site.", remedy="Use this program's own page.")
        if config.token:
            given = request.args.get("token") or request.cookies.get(_COOKIE) or _bearer()
            if not hmac.compare_digest(given.encode(), config.token.encode()):
                raise NotAllowed("An access token is needed.", remedy="Open the address printed at start.")

    @app.after_request
    def dress(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        response.headers.setdefault("Cache-Control", "no-store")
        if config.token and request.args.get("token"):
            response.set_cookie(_COOKIE, config.token, httponly=True, samesite="Strict")
        return response


def _bearer() -> str:
    return request.headers.get("Authorization", "").removeprefix("Bearer ")
