"""Access tokens of single people: given, listed, taken back. Only their SHA-256 is kept; they are long and random, so
that a slow hash would add nothing."""

from __future__ import annotations

import contextlib
import hashlib
import secrets
import time
from typing import Any

from peewee import OperationalError

from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.store.models import Token

_LONGEST = 60
# A token's last use is written down once in so many seconds.
_USED_EVERY = 3600.0


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "surrogateescape")).hexdigest()


def add_token(name: str) -> str:
    """A new token for a person, told this once. Raises BadSetting when the name has one."""
    name = name.strip()
    if not name or len(name) > _LONGEST or not name.isprintable():
        raise BadSetting(f"A name has 1 to {_LONGEST} characters.", remedy="Give a shorter name.", setting="name")
    if Token.get_or_none(Token.name == name):
        raise BadSetting(
            f"{name} has a token already.", remedy="Take it back with “token revoke” first.", setting="name"
        )
    token = secrets.token_urlsafe(24)
    Token.create(name=name, digest=_digest(token))
    return token


def revoke_token(name: str) -> None:
    """Take a person's token back; it opens nothing from the next request on. Raises NotFound."""
    if not Token.delete().where(Token.name == name.strip()).execute():
        raise NotFound(f"{name} has no token.", remedy="“token list” names who has one.")


def list_tokens() -> list[dict[str, Any]]:
    """Who has a token, since when, and when it was last used."""
    return [{"name": row.name, "created": row.created, "used": row.used} for row in Token.select().order_by(Token.name)]


def owner_of_token(token: str) -> str | None:
    """The name of whom a token belongs to; None when it is nobody's."""
    row = Token.get_or_none(Token.digest == _digest(token))
    if row is None:
        return None
    if row.used is None or time.time() - row.used > _USED_EVERY:
        row.used = time.time()
        # Whoever may look may look on a full disk too.
        with contextlib.suppress(OperationalError):
            row.save(only=[Token.used])
    return str(row.name)
