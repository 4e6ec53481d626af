"""Serves the application: Flask on threads, event streams on the event loop beside them.

Source: ASGI specification 3.0 (HTTP connection scope).
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import resource
import signal
import socket
import sys
import threading
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from typing import IO, Any
from urllib.parse import parse_qs, quote

import uvicorn
from a2wsgi import WSGIMiddleware
from flask import Flask
from werkzeug.wsgi import FileWrapper

from amber_thicket.errors import ThicketError
from amber_thicket.store.models import using
from amber_thicket.web.config import Config
from amber_thicket.web.errors import problem_of
from amber_thicket.web.guard import DRESS, Guard, Request, given_tokens
from amber_thicket.web.services import Services

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
_THREADS = 32
_FILES, _WAITING = 16_384, 1024
# Seconds that requests under way have after the program was told to end; with what comes after it stays under five.
_PATIENCE = 3
EVENTS_PATH = "/api/events"
log = logging.getLogger(__name__)


class Gateway:
    """The ASGI application: event streams here, everything else by Flask."""

    def __init__(self, app: Flask) -> None:
        self._services: Services = app.extensions["thicket"]
        self._flask: Any = WSGIMiddleware(_ended(app), workers=_THREADS)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            # Bytes that are no ASCII have to be quoted in an address; some senders do not.
            scope["query_string"] = quote(scope["query_string"], safe="%&=+;/?:@!$'()*,~-._[]").encode()
            if scope["path"] == EVENTS_PATH and scope["method"] == "GET":
                await self._events(scope, receive, send)
                return
        await self._flask(scope, receive, send)

    async def _events(self, scope: Scope, receive: Receive, send: Send) -> None:
        events = self._services.events
        headers = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in scope["headers"]}
        try:
            asked = _of_scope(scope, headers, self._services.door)
            await asyncio.get_running_loop().run_in_executor(None, self._admit, asked)
        except ThicketError as error:
            await _answer(send, *problem_of(error))
            return
        if events.full:
            body = {"title": "There are too many open pages.", "status": 503, "detail": "Ask from time to time."}
            await _answer(send, 503, body)
            return
        start = [(b"content-type", b"text/event-stream"), (b"x-accel-buffering", b"no"), *_dress()]
        await send({"type": "http.response.start", "status": 200, "headers": start})
        gone = asyncio.ensure_future(_until_gone(receive))
        stream = events.stream(headers.get("last-event-id", ""))
        try:
            while not gone.done():
                coming = asyncio.ensure_future(anext(stream, None))
                await asyncio.wait({coming, gone}, return_when=asyncio.FIRST_COMPLETED)
                if not coming.done():
                    coming.cancel()
                    with contextlib.suppress(asyncio.CancelledError):
                        await coming
                    break
                part = coming.result()
                if part is None:
                    await send({"type": "http.response.body", "body": b""})
                    break
                await send({"type": "http.response.body", "body": part, "more_body": True})
        finally:
            gone.cancel()
            await stream.aclose()  # type: ignore[attr-defined]

    def _admit(self, asked: Request) -> None:
        with using(self._services.library.database):
            self._services.door.admit(asked)


async def _until_gone(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


def _dress() -> list[tuple[bytes, bytes]]:
    return [(name.lower().encode(), value.encode()) for name, value in DRESS.items()]


async def _answer(send: Send, status: int, body: dict[str, Any]) -> None:
    headers = [(b"content-type", b"application/problem+json"), *_dress()]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": json.dumps(body, default=str).encode()})


def _of_scope(scope: Scope, headers: dict[str, str], door: Guard) -> Request:
    cookies: SimpleCookie = SimpleCookie()
    with contextlib.suppress(CookieError):
        cookies.load(headers.get("cookie", ""))
    query = parse_qs(scope["query_string"].decode("latin-1")).get("token", [None])[0]
    cookie = cookies[door.cookie].value if door.cookie in cookies else None
    return Request(
        scope["method"],
        scope["path"],
        scope.get("scheme", "http"),
        headers.get("host", ""),
        headers.get("origin"),
        headers.get("sec-fetch-site"),
        (scope.get("client") or ("",))[0],
        given_tokens(query, cookie, headers.get("authorization", "")),
    )


def _ended(app: Flask) -> Any:
    """The application for a server that tells where a body without a length ends."""

    def called(environ: dict[str, Any], start_response: Any) -> Any:
        if "CONTENT_LENGTH" not in environ:
            environ["wsgi.input_terminated"] = True
        # Each part of an answer is a step from a thread to the event loop; few large ones are faster.
        environ["wsgi.file_wrapper"] = _file_parts
        return app(environ, start_response)

    return called


def _file_parts(file: IO[bytes], _size: int = 0) -> FileWrapper:
    return FileWrapper(file, 1 << 20)


class Server(uvicorn.Server):
    """Ends in order: streams first, then what is under way, then jobs and worker, all within five seconds."""

    def __init__(self, config: uvicorn.Config, services: Services) -> None:
        super().__init__(config)
        self._thicket = services

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        self._thicket.events.close()
        handing_back = threading.Thread(target=self._thicket.end_work, name="hand back", daemon=True)
        handing_back.start()
        await super().shutdown(sockets)
        await asyncio.get_running_loop().run_in_executor(None, handing_back.join, _PATIENCE)


def listen(config: Config) -> socket.socket:
    """A socket on the address of the configuration. Raises ThicketError when it cannot be had."""
    family = socket.AF_INET6 if ":" in config.host else socket.AF_INET
    # Named as TCP, or the event loop does not switch off Nagle's algorithm, and every small answer waits 40 ms.
    found = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    try:
        found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        found.bind((config.host, config.port))
        # Who comes before everything is ready waits a moment, and nobody else gets the port.
        found.listen(_WAITING)
    except (OSError, OverflowError) as error:
        found.close()
        raise ThicketError(
            f"{config.host}:{config.port} cannot be used ({getattr(error, 'strerror', '') or error}).",
            remedy="Choose another with --port or --host.",
        ) from None
    return found


def serve(app: Flask, config: Config, listening: socket.socket, ready: Callable[[], None]) -> None:
    """Answer until told to end by SIGTERM or Ctrl+C; then leave the process with exit code 0. ready: called when it may
    be told to."""
    _more_files()
    services: Services = app.extensions["thicket"]
    settings = uvicorn.Config(
        Gateway(app),
        http="h11",
        ws="none",
        lifespan="off",
        log_config=None,
        access_log=False,
        server_header=False,
        proxy_headers=config.proxy is not None,
        forwarded_allow_ips=config.proxy,
        timeout_keep_alive=75,
        timeout_graceful_shutdown=_PATIENCE,
        backlog=_WAITING,
    )
    server = Server(settings, services)

    def end(*_: object) -> None:
        # Before uvicorn listens to signals itself; and after it, as it raises them again once it has ended in order.
        server.should_exit = True

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, end)
    ready()
    try:
        server.run([listening])
    finally:
        services.close()
        sys.stdout.flush()
        logging.shutdown()
    # Threads of requests that could not be called off are left behind; everything acknowledged is on the disk.
    os._exit(0)


def _more_files() -> None:
    """Every open page is an open file; the usual limit of 1024 is soon reached."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = _FILES if hard == resource.RLIM_INFINITY else min(_FILES, hard)
    if soft < wanted:
        with contextlib.suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
