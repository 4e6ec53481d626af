"""An evening's captures in one go: files grouped into surfaces, each taken as what it is, baked, checked, and reported.

What fails is named and the rest goes on; what was done is not done again.
"""

from __future__ import annotations

import base64
import hashlib
import json
import logging
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from dataclasses import asdict, dataclass, field
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Literal

from amber_thicket import __version__, api
from amber_thicket.core.align.sorting import Kind
from amber_thicket.core.gather.roles import families, named
from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.service.from_paths import is_picture, sorted_paths
from amber_thicket.service.preview import thumbnail

State = Literal["failed", "blocked", "attention", "passed"]
# The most in need of a hand first.
STATES: tuple[State, ...] = ("failed", "blocked", "attention", "passed")
STATE_FILE = "batch.json"
_VERSION = 1
log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Group:
    """Files of one surface. name: of its folder among the results. kind: what they are together, where that was told by
    looking at them already."""

    name: str
    files: tuple[Path, ...]
    kind: Kind | None = None


@dataclass(frozen=True)
class Wanted:
    """What is made of every surface. changes: settings; recipe: text of a recipe they begin with, or "". profiles,
    sizes: every set is written for each; none means what the recipe says. suggested: what is taken of what the program
    suggests."""

    changes: Mapping[str, Any] = field(default_factory=dict)
    recipe: str = ""
    profiles: tuple[str, ...] = ()
    sizes: tuple[int, ...] = ()
    suggested: Literal["sure", "all", "none"] = "sure"


@dataclass(frozen=True)
class Outcome:
    """What came of one surface. key: of its files and what was wanted. kind: what the files were taken for. state: see
    STATES. why: what failed, in words. decided: what was taken, with its reason. checks: findings that did not pass,
    and notes. written: files, relative to the folder of results. picture: a small JPEG, as base64. link: where the
    surface is opened at what needs a hand, where it is in a library."""

    name: str
    key: str
    files: tuple[str, ...]
    state: State
    kind: str = ""
    why: str = ""
    decided: tuple[str, ...] = ()
    checks: tuple[Mapping[str, Any], ...] = ()
    written: tuple[str, ...] = ()
    seconds: float = 0.0
    picture: str = ""
    link: str = ""


def grouped(paths: Iterable[Path]) -> list[Group]:
    """Files grouped into surfaces, as when they are brought into the library.

    paths: pictures and folders. Files of one name but for the word for their map belong together; a folder within a
    folder whose pictures are of one surface (a light set, a bracket) is that surface. Raises UnreadableFile where
    nothing is there.
    """
    loose: list[Path] = []
    found: list[tuple[str, list[Path], Kind | None]] = []
    for path in paths:
        if path.is_dir():
            inside = sorted(path.iterdir())
            loose += [file for file in inside if _readable(file)]
            for folder in (one for one in inside if one.is_dir() and not one.name.startswith(".")):
                found += _of_folder(folder)
        elif path.exists():
            loose.append(path)
        else:
            raise UnreadableFile(f"{path} is not there.", remedy="Check the path.", file=str(path))
    for parent in dict.fromkeys(file.parent for file in loose):
        found += [(_stem(part), part, None) for part in _families([file for file in loose if file.parent == parent])]
    if not found:
        raise UnreadableFile("There is no picture in these folders.", remedy="Give pictures, or folders with pictures.")
    taken: set[str] = set()
    groups = []
    for stem, files, kind in sorted(found, key=lambda one: one[0].lower()):
        name, number = stem, 2
        while name.lower() in taken:
            name, number = f"{stem}_{number}", number + 1
        taken.add(name.lower())
        groups.append(Group(name, tuple(files), kind))
    return groups


def _readable(file: Path) -> bool:
    try:
        return file.is_file() and not file.name.startswith(".") and is_picture(file)
    except OSError:
        return False


def _families(files: Sequence[Path]) -> list[list[Path]]:
    by_name = {file.name: file for file in files}
    return [[by_name[name] for name in names] for names in families(list(by_name))]


def _of_folder(folder: Path) -> list[tuple[str, list[Path], Kind | None]]:
    """The surfaces in a folder within a folder: one where its pictures belong together, or each."""
    files = [file for file in sorted(folder.iterdir()) if _readable(file)]
    parts = _families(files)
    if len(parts) > 1 and all(len(part) == 1 for part in parts):
        try:
            kind = sorted_paths(files).kind
            if kind != "apart":
                return [(folder.name, files, kind)]
        except ThicketError:
            # What cannot be read is told when it is its turn.
            pass
    return [(folder.name if len(parts) == 1 else f"{folder.name}_{_stem(part)}", part, None) for part in parts]


def _stem(files: Sequence[Path]) -> str:
    return (named(files[0].name).family if len(files) > 1 else files[0].stem) or files[0].stem


def run(
    groups: Sequence[Group],
    wanted: Wanted,
    out: Path,
    *,
    jobs: int = 1,
    resume: bool = False,
    told: Callable[[Outcome, int], None] = lambda outcome, left: None,
) -> list[Outcome]:
    """Everything that is to be made, into folders named after the groups; what came of each, in the groups' order.

    resume: what was made of the same files for the same wishes, and is still there, is left as it is; what failed is
    tried again. told: is called after each, with how many are left. What was done by then is kept, whatever ends it.
    """
    out.mkdir(parents=True, exist_ok=True)
    known = _kept(out) if resume else {}
    outcomes: dict[str, Outcome] = {}
    left = []
    for group in groups:
        before = known.get(group.name)
        whole = before and before.state != "failed" and all((out / name).is_file() for name in before.written)
        if before and whole and before.key == _key(group, wanted):
            outcomes[group.name] = before
        else:
            left.append(group)
    count = len(left)
    for outcome in _each(left, wanted, out, jobs):
        outcomes[outcome.name] = outcome
        _keep(out, known | outcomes)
        count -= 1
        told(outcome, count)
    return [outcomes[group.name] for group in groups]


def _each(groups: Sequence[Group], wanted: Wanted, out: Path, jobs: int) -> Iterator[Outcome]:
    if jobs <= 1 or len(groups) < 2:
        for group in groups:
            yield make(group, wanted, out)
        return
    # Compiled kernels and fork do not go together.
    with ProcessPoolExecutor(min(jobs, len(groups)), mp_context=get_context("spawn")) as pool:
        running = {pool.submit(make, group, wanted, out): group for group in groups}
        try:
            while running:
                for done in wait(running, return_when=FIRST_COMPLETED).done:
                    group = running.pop(done)
                    error = done.exception()
                    yield _failed(group, _key(group, wanted), f"The process ended: {error}") if error else done.result()
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise


def make(group: Group, wanted: Wanted, out: Path) -> Outcome:
    """One surface, opened as what its files are, written for every profile and size. Whatever goes wrong becomes a
    failed outcome: the others go on."""
    began, key = time.monotonic(), _key(group, wanted)
    try:
        kind, material = _opened(group, wanted)
        checks: dict[tuple[str, str], Mapping[str, Any]] = {}
        written: list[str] = []
        for folder, changes in _variants(wanted):
            target = out / group.name / folder
            manifest = api.bake(
                material.with_settings(changes) if changes else material, target, name=group.name,
                on_file=lambda path: written.append(path.relative_to(out).as_posix()),
            )  # fmt: skip
            for row in manifest["checks"]:
                if row["level"] != "pass":
                    checks.setdefault((row["rule"], row["map"] or ""), row)
    except (ThicketError, OSError, MemoryError) as error:
        return _failed(group, key, f"{error} {getattr(error, 'remedy', '')}".strip(), time.monotonic() - began)
    except Exception as error:
        log.exception("%s could not be made", group.name)
        why = f"Something unexpected went wrong ({type(error).__name__}: {error})."
        return _failed(group, key, why, time.monotonic() - began)
    levels = {row["level"] for row in checks.values()}
    state: State = "blocked" if "blocked" in levels else "attention" if levels - {"note"} else "passed"
    picture = base64.b64encode(thumbnail(material.evaluation)).decode()
    told = (*material.notes, *material.found.get("told", ()))
    return Outcome(
        group.name, key, _names(group), state, kind, "", told, _worst_first(checks.values()), tuple(written),
        round(time.monotonic() - began, 1), picture,
    )  # fmt: skip


def _worst_first(checks: Iterable[Mapping[str, Any]]) -> tuple[Mapping[str, Any], ...]:
    order = ("blocked", "attention", "unknown", "note")
    return tuple(sorted(checks, key=lambda row: order.index(row["level"]) if row["level"] in order else len(order)))


def _opened(group: Group, wanted: Wanted) -> tuple[str, api.Material]:
    files, changes = list(group.files), dict(wanted.changes)
    kind = (group.kind or sorted_paths(files).kind) if len(files) > 1 else "photograph"
    if kind == "light_set":
        return "light set", api.light_set(files, changes)
    if kind == "walk_by":
        return "walk-by", api.walk_by(files, changes)
    if kind in ("bracket", "focus"):
        material = api.merged(files, changes, focus=kind == "focus")
        return ("bracket" if kind == "bracket" else "focus stack"), material.suggested(wanted.suggested, changes)
    material = api.open_maps(files, changes, recipe=wanted.recipe or None)
    if len(files) == 1:
        return kind, material.suggested(wanted.suggested, changes)
    return {"maps": "map set", "cutout": "cut-out", "two_lights": "two lights"}.get(kind, kind), material


def _variants(wanted: Wanted) -> Iterator[tuple[str, dict[str, Any]]]:
    """(folder, settings) of every set that is written of one surface."""
    for profile in wanted.profiles or ("",):
        for size in wanted.sizes or (0,):
            parts = [profile if len(wanted.profiles) > 1 else "", f"{size}" if len(wanted.sizes) > 1 else ""]
            changes: dict[str, Any] = {"pack.files.profile": profile} if profile else {}
            changes |= {"square.size.width": size, "square.size.height": size} if size else {}
            yield "/".join(part for part in parts if part), changes


def _failed(group: Group, key: str, why: str, seconds: float = 0.0) -> Outcome:
    return Outcome(group.name, key, _names(group), "failed", why=why, seconds=round(seconds, 1))


def _names(group: Group) -> tuple[str, ...]:
    return tuple(file.name for file in group.files)


def _key(group: Group, wanted: Wanted) -> str:
    """Of the files' contents and of what is wanted of them."""
    digest = hashlib.sha256(json.dumps([_VERSION, __version__, asdict(wanted)], sort_keys=True).encode())
    for file in group.files:
        digest.update(file.name.encode())
        try:
            digest.update(hashlib.sha256(file.read_bytes()).digest())
        except OSError:
            digest.update(b"gone")
    return digest.hexdigest()


def _kept(out: Path) -> dict[str, Outcome]:
    """What earlier runs came to; nothing where that cannot be read."""
    try:
        rows = json.loads((out / STATE_FILE).read_text())["materials"]
        return {row["name"]: Outcome(**{**row, "written": tuple(row["written"])}) for row in rows}
    except (OSError, ValueError, KeyError, TypeError):
        return {}


def _keep(out: Path, outcomes: Mapping[str, Outcome]) -> None:
    aside = out / f"{STATE_FILE}.new"
    aside.write_text(
        json.dumps({"version": _VERSION, "materials": [asdict(one) for one in outcomes.values()]}, indent=1)
    )
    aside.replace(out / STATE_FILE)


def by_need(outcomes: Iterable[Outcome]) -> list[Outcome]:
    """Those that need a hand first, in the order they came otherwise."""
    return sorted(outcomes, key=lambda one: STATES.index(one.state))
