"""Who may ask: host, origin and token; and what a page may load.

Sources: RFC 6454 (origins are compared by scheme, host and port), W3C Fetch Metadata (Sec-Fetch-Site), RFC 6750 (bearer
tokens), RFC 9110 section 15.4.4 (303).
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import socket
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from urllib.parse import quote, urlencode, urlsplit

import psutil
from flask import Flask, Response, g, redirect, request
from werkzeug.wrappers import Response as AnyResponse

from amber_thicket.errors import NotAllowed, TooManyTries
from amber_thicket.web.config import Config

_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; "
    "font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
    "form-action 'none'; frame-ancestors 'none'"
)
DRESS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cache-Control": "no-store",
}
_SAFE = ("GET", "HEAD", "OPTIONS")
_PORTS = {"http": 80, "https": 443}
# Answered without a token: they tell a watcher whether the program is well, and nothing about what is in it.
_OPEN_PATHS = ("/healthz",)
_FREE_TRIES, _LONGEST_WAIT = 5, 60.0


@dataclass(frozen=True)
class Request:
    """What a request says about where it comes from. tokens: every token it brings along; sender: its address."""

    method: str
    path: str
    scheme: str
    host: str
    origin: str | None
    fetch_site: str | None
    sender: str
    tokens: tuple[str, ...]


def split_host(value: str, scheme: str = "http") -> tuple[str, int] | None:
    """(name in lower case, port) of a Host header; None when it is none."""
    try:
        parts = urlsplit("//" + value)
        name = (parts.hostname or "").lower().rstrip(".")
        if parts.username or parts.path or parts.query or not name:
            return None
        return name, parts.port or _PORTS.get(scheme, 80)
    except ValueError:
        return None


def split_origin(value: str) -> tuple[str, str, int] | None:
    """(scheme, name, port) of an Origin header; None for "null" and what is no origin."""
    try:
        parts = urlsplit(value)
        if parts.scheme not in _PORTS or not parts.hostname or parts.path not in ("", "/"):
            return None
        return parts.scheme, parts.hostname.lower(), parts.port or _PORTS[parts.scheme]
    except ValueError:
        return None


def own_names() -> set[str]:
    """Names and addresses of this machine."""
    names = {"localhost", "127.0.0.1", "::1"}
    with contextlib.suppress(OSError):
        name = socket.gethostname().lower()
        names |= {name, name.partition(".")[0], f"{name.partition('.')[0]}.local"}
    with contextlib.suppress(OSError):
        for addresses in psutil.net_if_addrs().values():
            names |= {
                one.address.partition("%")[0].lower()
                for one in addresses
                if one.family in (socket.AF_INET, socket.AF_INET6)
            }
    return names


class WrongTries:
    """Slows those who try tokens: after five wrong ones an address waits, twice as long each time, up to a minute."""

    _SENDERS = 4096

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()
        # Senders share an address behind a proxy: who was let in with a token is not locked out by a neighbour.
        self._good: OrderedDict[tuple[str, bytes], None] = OrderedDict()
        self._lock = threading.Lock()

    def waits(self, sender: str, tokens: tuple[str, ...]) -> float:
        """Seconds until the next try of this sender counts; 0 when it may try now."""
        with self._lock:
            if any((sender, _digest(token)) in self._good for token in tokens):
                return 0.0
            tries, since = self._wrong.get(sender, (0, 0.0))
            wait = min(2.0 ** (tries - _FREE_TRIES), _LONGEST_WAIT) if tries >= _FREE_TRIES else 0.0
            return max(0.0, since + wait - self._clock())

    def wrong(self, sender: str) -> None:
        with self._lock:
            tries, _ = self._wrong.pop(sender, (0, 0.0))
            # Far enough to reach the longest wait; more would only overflow.
            self._wrong[sender] = min(tries + 1, 40), self._clock()
            while len(self._wrong) > self._SENDERS:
                self._wrong.popitem(last=False)

    def right(self, sender: str, token: str) -> None:
        with self._lock:
            self._good[sender, _digest(token)] = None
            while len(self._good) > self._SENDERS:
                self._good.popitem(last=False)

    def forget(self, token: str) -> None:
        """A token that was taken back opens nothing more."""
        with self._lock:
            for pair in [pair for pair in self._good if pair[1] == _digest(token)]:
                del self._good[pair]


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode("utf-8", "surrogateescape")).digest()


class Guard:
    """Lets requests in or raises NotAllowed, TooManyTries. person: the name a token was given to, or None."""

    def __init__(self, config: Config, person: Callable[[str], str | None]) -> None:
        self._config = config
        self._person = person
        self._tries = WrongTries()
        self._names = {"127.0.0.1", "localhost", "::1", *(host.lower() for host in config.hosts)}
        if config.everywhere:
            self._names |= own_names()
        elif not config.loopback:
            self._names.add(config.host.lower())

    def admit(self, asked: Request) -> str | None:
        """The token that opened, or None where none is demanded."""
        host = split_host(asked.host, asked.scheme)
        if host is None or host[0] not in self._names:
            raise NotAllowed(
                "This host name is not served here.",
                remedy="Use the address printed at start, or add the name with --host-name.",
            )
        if asked.method not in _SAFE:
            self._from_own_page(asked, host)
        if not self._config.token or asked.path in _OPEN_PATHS:
            return None
        return self._token(asked)

    def _from_own_page(self, asked: Request, host: tuple[str, int]) -> None:
        other = asked.fetch_site not in (None, "same-origin", "none")
        if asked.origin is not None:
            other = other or split_origin(asked.origin) != (asked.scheme, *host)
        if other:
            raise NotAllowed("The request came from another site.", remedy="Use this program's own page.")

    def _token(self, asked: Request) -> str:
        wait = self._tries.waits(asked.sender, asked.tokens)
        if wait > 0 and asked.tokens:
            raise TooManyTries(
                "Too many wrong access tokens came from this address.",
                remedy=f"Wait {wait:.0f} s, then open the address printed at start.",
                wait=max(1, round(wait)),
            )
        for token in asked.tokens:
            if self._opens(token):
                self._tries.right(asked.sender, token)
                return token
            self._tries.forget(token)
        if asked.tokens:
            self._tries.wrong(asked.sender)
        raise NotAllowed(
            "An access token is needed.", remedy="Open the address printed at start, or the one with your own token."
        )

    def _opens(self, token: str) -> bool:
        own = (self._config.token or "").encode()
        return hmac.compare_digest(token.encode("utf-8", "surrogateescape"), own) or self._person(token) is not None

    @property
    def cookie(self) -> str:
        """Its cookie's name. Browsers share cookies between the ports of a machine, and two libraries may run on
        one."""
        return f"amber_thicket_{self._config.port}"


def guard(app: Flask, door: Guard) -> None:
    """Check every request, dress every answer."""

    @app.before_request
    def check() -> AnyResponse | None:
        g.token = door.admit(_of_flask(door))
        if g.token and request.args.get("token") == g.token and request.method in ("GET", "HEAD"):
            return _kept_as_cookie(door, g.token)
        return None

    @app.after_request
    def dress(response: Response) -> Response:
        for name, value in DRESS.items():
            response.headers.setdefault(name, value)
        return response


def _of_flask(door: Guard) -> Request:
    return Request(
        request.method,
        request.path,
        request.scheme,
        request.headers.get("Host", ""),
        request.headers.get("Origin"),
        request.headers.get("Sec-Fetch-Site"),
        request.remote_addr or "",
        given_tokens(
            request.args.get("token"), request.cookies.get(door.cookie), request.headers.get("Authorization", "")
        ),
    )


def given_tokens(query: str | None, cookie: str | None, authorization: str) -> tuple[str, ...]:
    """All tokens that came along, without repetition: any right one opens."""
    kind, _, bearer = authorization.partition(" ")
    found = [query, cookie, bearer.strip() if kind.lower() == "bearer" else None]
    return tuple(dict.fromkeys(token for token in found if token))


def _kept_as_cookie(door: Guard, token: str) -> AnyResponse:
    """To the same address without the token, so that it stays in no history, and in a cookie instead."""
    rest = [(name, value) for name, value in request.args.items(multi=True) if name != "token"]
    # Two slashes at the start would lead to another machine.
    path = "/" + request.path.lstrip("/\\")
    path = quote(path)
    response = redirect(f"{path}?{urlencode(rest)}" if rest else path, 303)
    # Lax, not Strict: a link from a chat or mail is a step from another site, and its redirect would lose the cookie.
    # Changing requests from other sites are refused above.
    response.set_cookie(door.cookie, token, httponly=True, samesite="Lax", secure=request.is_secure)
    return response
