"""What a worker does: gets a recipe and blob names, writes blobs, reports through the queue. No database."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from huey.api import Huey

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.core.recipe import from_json
from amber_thicket.errors import Cancelled, ThicketError
from amber_thicket.formats.archive import write_zip
from amber_thicket.jobs.queue import channel
from amber_thicket.service.bake import pack
from amber_thicket.service.images import generated
from amber_thicket.service.library import evaluation_of
from amber_thicket.store.blobs import Blobs

BEAT_SECONDS = 1.0
_MEMORY = 1_400_000_000
_PART = 1 << 20
log = logging.getLogger(__name__)
Entries = Callable[[list[dict[str, Any]], Callable[[float, str], None]], Iterator[tuple[str, bytes]]]


class Talk:
    """One job's line to the web process: progress out, heartbeat out, cancel in."""

    def __init__(self, queue: Huey, job_id: str, attempt: int) -> None:
        self._queue, self._id, self._attempt = queue, job_id, attempt
        self.cancel = Cancel()
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> Talk:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def say(self, **report: Any) -> None:
        self._queue.put(channel(self._id, self._attempt, "progress"), report)

    def reached(self, share: float, message: str) -> None:
        self.say(state="running", progress=round(share, 3), message=message)

    def _beat(self) -> None:
        while not self._over.is_set():
            self._queue.put(channel(self._id, self._attempt, "beat"), time.time())
            if self._queue.get(channel(self._id, self._attempt, "cancel"), peek=True):
                self.cancel.cancel()
            self._over.wait(BEAT_SECONDS / 2)


def register(queue: Huey, folder: Path) -> Any:
    """Make the one task known to a queue; returns it."""

    @queue.task(name="pack")  # type: ignore[untyped-decorator]
    def pack_task(job_id: str, attempt: int, payload: dict[str, Any]) -> None:
        run_pack(queue, folder, job_id, attempt, payload)

    return pack_task


def run_pack(queue: Huey, folder: Path, job_id: str, attempt: int, payload: dict[str, Any]) -> None:
    """Pack one material into a zip blob, or make pictures; the last report says how it ended. Running it twice is
    harmless."""
    blobs = Blobs(folder / "blobs")
    with Talk(queue, job_id, attempt) as talk:
        try:
            talk.say(state="running", progress=0.0, message="Starting")
            result = _WORK.get(payload.get("kind", ""), _packed)(blobs, talk, folder, payload)
            talk.say(state="done", progress=1.0, message="Done", result=result)
        except Cancelled:
            talk.say(state="cancelled", message="Cancelled")
        except ThicketError as error:
            talk.say(state="failed", message=f"{error.message} {error.remedy}".strip())
        except Exception:
            reference = uuid.uuid4().hex[:8]
            log.exception("job %s failed, reference %s", job_id, reference)
            talk.say(state="failed", message=f"Something unexpected went wrong (reference {reference}).")


def _generated(blobs: Blobs, talk: Talk, folder: Path, payload: dict[str, Any]) -> dict[str, Any]:
    return generated(blobs, payload, talk.reached, talk.cancel.check)


def _packed(blobs: Blobs, talk: Talk, folder: Path, payload: dict[str, Any]) -> dict[str, Any]:
    def entries(files: list[dict[str, Any]], report: Callable[[float, str], None]) -> Iterator[tuple[str, bytes]]:
        yield from _files_of(blobs, talk, payload, files, report)

    return _zipped(blobs, talk, folder, payload["file"], entries)


def _packed_several(blobs: Blobs, talk: Talk, folder: Path, payload: dict[str, Any]) -> dict[str, Any]:
    """Many materials, each in a folder of its own. One that cannot be packed is named, and the others go on."""
    failed: list[dict[str, str]] = []

    def entries(files: list[dict[str, Any]], report: Callable[[float, str], None]) -> Iterator[tuple[str, bytes]]:
        several = payload["several"]
        for number, one in enumerate(several):

            def told(share: float, text: str, number: int = number, one: dict[str, Any] = one) -> None:
                report((number + share) / len(several), f"{one['name']}: {text}")

            inside: list[dict[str, Any]] = []
            try:
                for name, data in _files_of(blobs, talk, one, inside, told):
                    yield f"{one['folder']}/{name}", data
            except Cancelled:
                raise
            except ThicketError as error:
                failed.append({"name": one["name"], "why": f"{error.message} {error.remedy}".strip()})
            files += [{**facts, "file": f"{one['folder']}/{facts['file']}"} for facts in inside]

    return {**_zipped(blobs, talk, folder, payload["file"], entries), "failed": failed}


def _files_of(
    blobs: Blobs, talk: Talk, one: dict[str, Any], files: list[dict[str, Any]], report: Callable[[float, str], None]
) -> Iterator[tuple[str, bytes]]:
    """The files of one material. files: gets what is written of each."""
    evaluation = evaluation_of(one["source"], from_json(one["recipe"]), blobs, Memory(_MEMORY), talk.cancel)
    others = one.get("others", {})

    def laid_over(id: str) -> Evaluation | None:
        other = others.get(id)
        if other is None:
            return None
        return evaluation_of(other["source"], from_json(other["recipe"]), blobs, evaluation.memory, talk.cancel)

    evaluation.others = laid_over
    for written in pack(evaluation, one["name"], report):
        files.append({**written.facts, "bytes": len(written.data)})
        yield written.name, written.data


def _zipped(blobs: Blobs, talk: Talk, folder: Path, file: str, entries: Entries) -> dict[str, Any]:
    aside = folder / "blobs" / "incoming" / f"{uuid.uuid4().hex}.zip"
    files: list[dict[str, Any]] = []

    try:
        write_zip(aside, entries(files, talk.reached))
        with aside.open("rb") as stream:
            blob, length = blobs.put(iter(lambda: stream.read(_PART), b""))
    finally:
        aside.unlink(missing_ok=True)
    return {"blob": blob, "bytes": length, "files": files, "file": file}


_WORK: dict[str, Callable[[Blobs, Talk, Path, dict[str, Any]], dict[str, Any]]] = {
    "generate": _generated,
    "pack_several": _packed_several,
}
