"""The queue: huey over SQLite by default, over Redis with --queue. Messages are JSON, never pickled objects."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from huey import RedisHuey, SqliteHuey
from huey.api import Huey
from huey.registry import Message
from huey.serializer import Serializer


class JsonSerializer(Serializer):  # type: ignore[misc]
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
    """The queue of a data folder, or of a Redis server given as redis://…; immediate runs tasks at once, for tests."""
    if url:
        return RedisHuey("thicket", url=url, serializer=JsonSerializer(), immediate=immediate)
    folder.mkdir(parents=True, exist_ok=True)
    return SqliteHuey(
        "thicket", filename=str(folder / "queue.sqlite3"), serializer=JsonSerializer(), immediate=immediate, fsync=True
    )


def channel(job_id: str, attempt: int, what: str) -> str:
    """The key a worker and the web process talk through: "progress", "beat" or "cancel"."""
    return f"{what}:{job_id}:{attempt}"
