"""What takes the room of a data folder, who uses it, and how it comes back."""

from __future__ import annotations

import fcntl
import logging
import shutil
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from peewee import fn

from amber_thicket.errors import ServiceAway, ThicketError
from amber_thicket.service.library import Library
from amber_thicket.service.sources import files_of
from amber_thicket.store.blobs import DAMAGED, INCOMING
from amber_thicket.store.models import Job, Material, Step

# A blob that nobody refers to may belong to something that is being made just now.
GRACE_SECONDS = 86_400.0
_COPYING = "copying.lock"
log = logging.getLogger(__name__)


def blobs_of_source(source: dict[str, Any]) -> set[str]:
    return {info["blob"] for info in files_of(source) if info.get("blob")}


def blobs_of_material(material: Material) -> set[str]:
    """Captures, maps and thumbnail of a material."""
    return blobs_of_source(material.source) | ({str(material.thumbnail)} if material.thumbnail else set())


def results_of_job(result: dict[str, Any] | None) -> set[str]:
    """The blobs that a job made."""
    result = result or {}
    made = {row["blob"] for row in result.get("candidates", [])}
    return made | ({result["blob"]} if result.get("blob") else set())


def _needs_of_job(payload: dict[str, Any]) -> set[str]:
    """The blobs that a job still needs."""
    needed: set[str] = set()
    for one in payload.get("several", [payload]):
        for source in (one.get("source"), *(other["source"] for other in one.get("others", {}).values())):
            needed |= blobs_of_source(source) if source else set()
    return needed


MaterialRow = tuple[str, dict[str, Any], str | None]
JobRow = tuple[str, str, dict[str, Any], dict[str, Any] | None]


def users_of_blobs(materials: Iterable[MaterialRow], jobs: Iterable[JobRow]) -> dict[str, set[str]]:
    """Who uses each blob: ids of materials, and of jobs with "job:" before them.

    materials: (id, source, thumbnail). jobs: (id, state, payload, result).
    """
    users: dict[str, set[str]] = {}
    for id, source, thumbnail in materials:
        for blob in blobs_of_source(source) | ({thumbnail} if thumbnail else set()):
            users.setdefault(blob, set()).add(id)
    for id, state, payload, result in jobs:
        for blob in results_of_job(result) | (_needs_of_job(payload) if state in Job.OPEN else set()):
            users.setdefault(blob, set()).add(f"job:{id}")
    return users


def used_blobs() -> dict[str, set[str]]:
    """Who uses each blob of the open database, as users_of_blobs() tells it."""
    materials = Material.select(Material.id, Material.source, Material.thumbnail).tuples().iterator()
    return users_of_blobs(materials, Job.select(Job.id, Job.state, Job.payload, Job.result).tuples().iterator())


@contextmanager
def copying(folder: Path) -> Iterator[None]:
    """While a copy of the folder is taken, nothing is deleted from it."""
    with (folder / _COPYING).open("a") as file:
        fcntl.flock(file, fcntl.LOCK_SH)
        yield


@contextmanager
def deleting(folder: Path) -> Iterator[bool]:
    """Whether things may be deleted: not while a copy is taken."""
    with (folder / _COPYING).open("a") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield False
            return
        yield True


def collect(library: Library, *, grace: float = GRACE_SECONDS) -> tuple[int, int]:
    """Delete what nobody has used for so many seconds: (files, bytes) that came back. Nothing while a copy is taken."""
    folder = library.blobs.folder.parent
    files = freed = 0
    with deleting(folder) as allowed:
        if not allowed:
            return 0, 0
        old = {name for name, _, changed in library.blobs.listed() if time.time() - changed >= grace}
        # Who uses what is asked after the list was made: what came into use since is among the users.
        for name in old - set(used_blobs()):
            files, freed = files + 1, freed + library.blobs.delete(name)
    if files:
        log.info("%d files that nobody uses were deleted: %.1f MB", files, freed / 1e6)
    return files, freed


def let_results_go(library: Library, *, days: float, most_bytes: int) -> int:
    """Forget results of jobs that are older than so many days or, the oldest first, over so many bytes; how many.
    The files themselves go with collect()."""
    held, gone = 0, 0
    for job in Job.select().where(Job.state == "done").order_by(Job.created.desc()):
        made = results_of_job(job.result)
        if not made:
            continue
        held += sum(library.blobs.size(blob) for blob in made)
        if job.created < time.time() - days * 86_400 or held > most_bytes:
            kept = {name: value for name, value in job.result.items() if name not in ("blob", "candidates")}
            job.result = {**kept, "expired": True}
            job.save()
            gone += 1
    return gone


def delete_results(library: Library) -> tuple[int, int]:
    """Forget the results of all jobs and delete them at once, without a day of grace: (jobs, bytes) of it."""
    with deleting(library.blobs.folder.parent) as allowed:
        if not allowed:
            raise ServiceAway("A backup is being taken just now.", remedy="Try again when the backup is done.")
        done = {f"job:{job.id}" for job in Job.select(Job.id).where(Job.state == "done")}
        made = [blob for blob, users in used_blobs().items() if users <= done]
        # The files first: on a full disk the database cannot note anything before there is room again.
        freed = sum(library.blobs.delete(blob) for blob in made)
        return let_results_go(library, days=0, most_bytes=0), freed


def _size_of_folder(folder: Path) -> tuple[int, int]:
    files = [path for path in folder.rglob("*") if path.is_file()] if folder.is_dir() else []
    return len(files), sum(path.stat().st_size for path in files)


_LABELS = {
    "captures": "Captures and maps",
    "packs": "Results of packs and generated pictures",
    "thumbnails": "Small pictures of the library",
    "unused": "Used by nothing; goes by itself after a day",
}


def space(library: Library) -> dict[str, Any]:
    """What takes the room: the disk, the kinds of things, and every material with what deleting it would give back."""
    folder = library.blobs.folder.parent
    sizes = {name: size for name, size, _ in library.blobs.listed()}
    users = used_blobs()
    kinds = _kinds(sizes, users)
    history = dict(
        Step.select(Step.material, fn.SUM(fn.LENGTH(Step.recipe))).group_by(Step.material).tuples().iterator()
    )
    jobs = _jobs_of_materials()
    total, _, free = shutil.disk_usage(folder)
    database = sum(path.stat().st_size for path in folder.glob("*.sqlite3*"))
    parts = [
        {"id": id, "label": _LABELS[id], "files": len(names), "bytes": sum(sizes[name] for name in names)}
        for id, names in kinds.items()
    ]
    parts.append({"id": "history", "label": "Names, recipes and their history", "files": 1, "bytes": database})
    for id, name, label in (
        ("cache", "cache", "Prepared surroundings, and plans kept"),
        ("damaged", f"blobs/{DAMAGED}", "Damaged files that were set aside"),
        ("incoming", f"blobs/{INCOMING}", "On their way in"),
    ):
        files, size = _size_of_folder(folder / name)
        if files or id == "cache":
            parts.append({"id": id, "label": label, "files": files, "bytes": size})
    materials = [
        {
            "id": material.id,
            "name": material.name,
            "archived": material.archived,
            "bytes": sum(sizes.get(blob, 0) for blob in blobs_of_material(material)) + history.get(material.id, 0),
            "alone": sum(sizes.get(blob, 0) for blob in _alone(material, users, jobs)) + history.get(material.id, 0),
        }
        for material in Material.select()
    ]
    materials.sort(key=lambda row: -row["bytes"])
    return {
        "folder": str(folder),
        "disk": {"total": total, "free": free},
        "parts": sorted(parts, key=lambda part: -part["bytes"]),
        "materials": materials,
    }


def _kinds(sizes: dict[str, int], users: dict[str, set[str]]) -> dict[str, list[str]]:
    """The names of all blobs by what they are for. users: who uses each."""
    thumbnails = {str(row.thumbnail) for row in Material.select(Material.thumbnail) if row.thumbnail}
    made: set[str] = set()
    for job in Job.select(Job.result):
        made |= results_of_job(job.result)
    kinds: dict[str, list[str]] = {kind: [] for kind in _LABELS}
    for name in sizes:
        owners = users.get(name, set())
        if not owners:
            kinds["unused"].append(name)
        elif name in thumbnails:
            kinds["thumbnails"].append(name)
        elif name in made and all(owner.startswith("job:") for owner in owners):
            kinds["packs"].append(name)
        else:
            kinds["captures"].append(name)
    return kinds


def _jobs_of_materials() -> dict[str, list[Job]]:
    """The jobs of each material, by its id."""
    found: dict[str, list[Job]] = {}
    for job in Job.select().where(Job.material.is_null(False)):
        found.setdefault(str(job.material_id), []).append(job)  # type: ignore[attr-defined]
    return found


def _alone(material: Material, users: dict[str, set[str]], jobs: dict[str, list[Job]]) -> set[str]:
    """The blobs that nobody but a material and its own jobs uses."""
    own = jobs.get(str(material.id), [])
    mine = {str(material.id), *(f"job:{job.id}" for job in own)}
    blobs = blobs_of_material(material).union(*(results_of_job(job.result) for job in own))
    return {blob for blob in blobs if users.get(blob, set()) <= mine}


def deletion(library: Library, material_id: str) -> dict[str, Any]:
    """What deleting a material would mean: {"name", "bytes", "files", "laid_over"}. bytes: what comes back. laid_over:
    names of materials that have it lying over them. Raises NotFound."""
    material = library.get(material_id)
    alone = _alone(material, used_blobs(), _jobs_of_materials())
    over = [
        other.name
        for other in Material.select().where(Material.id != material.id)
        if material.id in library.laid_over(other)
    ]
    return {
        "name": material.name,
        "bytes": sum(library.blobs.size(blob) for blob in alone),
        "files": len(alone),
        "laid_over": over,
    }


def delete_for_good(library: Library, material_id: str) -> int:
    """Delete a material that was put aside, with its history, its jobs and the files nobody else uses; the bytes that
    came back. Raises NotFound, and ThicketError for one that was not put aside, or has a job that is not at its end."""
    with deleting(library.blobs.folder.parent) as allowed:
        if not allowed:
            raise ServiceAway("A backup is being taken just now.", remedy="Delete it when the backup is done.")
        with library.database.atomic("immediate"):
            material = library.get(material_id)
            if not material.archived:
                raise ThicketError(
                    f"{material.name} is in the library.", remedy="Put it aside first; only then it can be deleted."
                )
            if Job.select().where((Job.material == material.id) & Job.state.in_(Job.OPEN)).exists():
                raise ThicketError(f"{material.name} is being packed.", remedy="Cancel the pack first.")
            alone = _alone(material, used_blobs(), _jobs_of_materials())
            material.delete_instance()
        return sum(library.blobs.delete(blob) for blob in alone)
