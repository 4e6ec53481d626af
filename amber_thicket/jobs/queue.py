"""The queue: huey over SQLite by default, over Redis with --queue. Messages are JSON, never pickled objects."""

from __future__ import annotations

import contextlib
import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import urlencode, urlsplit, urlunsplit

from amber_thicket.errors import FolderTrouble, ServiceAway, ThicketError
from amber_thicket.store.database import sqlite_is_sound
from amber_thicket.store.trouble import DAMAGED_QUEUE, QUEUE_FILE


@contextlib.contextmanager
def _without(name: str) -> Iterator[None]:
    """A module counts as not installed meanwhile, unless somebody loaded it before."""
    if name in sys.modules:
        yield
        return
    sys.modules[name] = None  # type: ignore[assignment]
    try:
        yield
    finally:
        del sys.modules[name]


# huey loads the client of Redis wherever it is installed, for a quarter of the time a start takes; it is brought in
# where a queue lies there (_redis_huey).
with _without("redis"):
    from huey import RedisHuey, SqliteHuey, storage
    from huey.api import Huey as Huey
    from huey.registry import Message
    from huey.serializer import Serializer

# Seconds: a server that does not answer is noticed, and a blocking look into the queue (1 s) is not taken for that.
_TIMEOUTS = {"socket_connect_timeout": 3, "socket_timeout": 6}


class JsonSerializer(Serializer):
    """Tasks and values as JSON."""

    def _serialize(self, data: Any) -> bytes:
        value = {"task": data._asdict()} if isinstance(data, Message) else {"value": data}
        return json.dumps(value).encode()

    def _deserialize(self, data: bytes) -> Any:
        value = json.loads(data)
        if "task" in value:
            fields = value["task"]
            fields["args"] = tuple(fields["args"] or ())
            return Message(**fields)
        return value["value"]


def open_queue(folder: Path, url: str | None = None, *, immediate: bool = False) -> Huey:
    """The queue of a data folder, or of a Redis server given as redis://…; immediate runs tasks at once, for tests.

    Raises FolderTrouble for a damaged file, ThicketError for an address that is none. Nothing is asked of Redis yet.
    """
    if url:
        try:
            return _redis_huey()("thicket", url=_with_timeouts(url), serializer=JsonSerializer(), immediate=immediate)
        except ValueError as error:
            raise ThicketError(
                f"--queue cannot be {shown_url(url)!r} ({error}).", remedy="Give redis://HOST:PORT/NUMBER."
            ) from None
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / QUEUE_FILE
    if file.exists() and not sqlite_is_sound(file):
        raise FolderTrouble(
            f"The queue {file} is damaged.",
            remedy="Run “amber-thicket doctor --repair” on this folder; no job is lost.",
            exit_code=DAMAGED_QUEUE,
        )
    return SqliteHuey("thicket", filename=str(file), serializer=JsonSerializer(), immediate=immediate, fsync=True)


def _redis_huey() -> Any:
    """huey over Redis, with the client it was loaded without; where none is installed, huey says so."""
    if storage.Redis is None:
        with contextlib.suppress(ImportError):
            from redis import ConnectionPool, Redis
            from redis.exceptions import ConnectionError, TimeoutError

            storage.ConnectionPool, storage.Redis = ConnectionPool, Redis
            storage.ConnectionError, storage.TimeoutError = ConnectionError, TimeoutError
            storage.RedisStorage.redis_client = Redis
    return RedisHuey


def _with_timeouts(url: str) -> str:
    parts = urlsplit(url)
    wanted = {name: value for name, value in _TIMEOUTS.items() if name not in parts.query}
    return urlunsplit(parts._replace(query="&".join(filter(None, (parts.query, urlencode(wanted))))))


def shown_url(url: str) -> str:
    """An address without the password in it."""
    parts = urlsplit(url)
    return urlunsplit((parts.scheme, parts.netloc.rpartition("@")[2], parts.path, "", ""))


def check_queue(queue: Huey, url: str | None) -> None:
    """Raises ServiceAway when the queue's server does not answer."""
    try:
        queue.storage.queue_size()
    except Exception as error:
        raise away(error, url) from None


def away(error: Exception, url: str | None) -> ServiceAway:
    """What is said when the queue cannot be reached."""
    if url:
        return ServiceAway(
            f"The queue's server {shown_url(url)} does not answer.",
            remedy="Start it, or see that it can be reached; then try again. Nothing was changed.",
        )
    return ServiceAway(f"The queue cannot be written ({error}).", remedy="Try again; nothing was changed.")


def channel(job_id: str, attempt: int, what: str) -> str:
    """The key a worker and the web process talk through: "waiting", "progress", "beat" or "cancel"."""
    return f"{what}:{job_id}:{attempt}"


def current(job_id: str) -> str:
    """The key that holds the attempt of a job that counts; a worker leaves others alone."""
    return f"current:{job_id}"
