"""Audit of map sets made elsewhere: read the files, say what they are and what is wrong, repair, hand over."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from amber_thicket.core.audit.look import NEEDED, Audit, AuditFinding, Judged, Stored, audit
from amber_thicket.core.files.encode import quantised, stored
from amber_thicket.core.files.file_plan import PlannedFile, encoding_for
from amber_thicket.core.gather.roles import LEAVE_COLOUR, families, named
from amber_thicket.core.graph import Evaluation, fit_side, output_size
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.pack.profiles import Profile
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import ROLES
from amber_thicket.core.square.size import SIZES
from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.formats import apart
from amber_thicket.formats.picture import Picture, kind_of, read_picture
from amber_thicket.formats.tags import encoding_tag
from amber_thicket.formats.unzip import is_zip
from amber_thicket.service.library import evaluation_of
from amber_thicket.service.mapset import tiles_already
from amber_thicket.service.preview import encoded
from amber_thicket.service.sources import describe, describe_map, file_key

# Side at which a repaired set is audited again, px.
_AGAIN = 1024


@dataclass(frozen=True)
class Given:
    """A file as it came. blob: its SHA-256."""

    name: str
    blob: str

    @property
    def base(self) -> str:
        """Its name without folders."""
        return Path(self.name.replace("\\", "/")).name

    @property
    def folder(self) -> str:
        """The folders before it, or nothing."""
        return self.name.replace("\\", "/").rpartition("/")[0]


@dataclass(frozen=True)
class Set:
    """One surface: its files, what was found, without pixels, and what a library keeps of the files. tiles: the edges
    of the colour meet."""

    name: str
    files: tuple[Given, ...]
    found: Audit
    infos: tuple[dict[str, Any], ...]
    tiles: bool


Refused = list[dict[str, str]]


def unpacked(name: str, data: bytes) -> Iterator[tuple[str, bytes | ThicketError]]:
    """The pictures in a file: itself, or what a zip holds. What is no picture is passed over, what is refused told."""
    if is_zip(data):
        for inside, content in apart.entries(data, name):
            if isinstance(content, ThicketError) or kind_of(content) is not None:
                yield inside, content
    else:
        yield name, data


def from_path(path: Path) -> Iterator[tuple[str, bytes]]:
    """Name and bytes of a file, or of all files of a folder. Raises UnreadableFile."""
    try:
        if path.is_dir():
            for file in sorted(path.rglob("*")):
                if not file.is_file() or file.is_symlink():
                    continue
                data = file.read_bytes()
                if kind_of(data) is not None or is_zip(data):
                    yield str(file.relative_to(path)), data
        else:
            yield path.name, path.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{path} cannot be opened ({error.strerror}).", remedy="Check the path.") from None


def _stored(given: Given, data: bytes, picture: Picture) -> Stored:
    height, width = picture.pixels.shape[:2]
    first = np.ascontiguousarray(picture.pixels[..., 0])
    levels = len(np.unique(first[:: max(1, height // 1024)])) if not picture.floating else 1 << 24
    return Stored(
        file_key(given.blob),
        given.base,
        picture.pixels,
        picture.alpha,
        picture.bits,
        picture.floating,
        picture.format,
        levels,
        (width, height),
        encoding_tag(data),
    )


def audited(files: Sequence[Given], read: Callable[[str], bytes], profile: Profile) -> tuple[list[Set], Refused]:
    """Sets found among files, and what could not be read, with the reason. read: bytes by blob.

    One set is read at a time, and no pixels are kept of it.
    """
    sets: list[Set] = []
    refused: Refused = []
    for where, group in _surfaces(files):
        pictures: dict[Given, tuple[bytes, Picture]] = {}
        for given in group:
            data = read(given.blob)
            try:
                picture = read_picture(data, given.name, as_stored=True)
            except ThicketError as error:
                refused.append({"file": given.name, "why": error.message})
                continue
            if min(picture.pixels.shape[:2]) < 16:
                refused.append({"file": given.name, "why": "It is smaller than 16 px."})
                continue
            pictures[given] = data, picture
        if pictures:
            sets.append(_set_of(pictures, profile, where))
    return sets, refused


def _surfaces(files: Sequence[Given]) -> Iterator[tuple[str, list[Given]]]:
    """The files of each surface, told by their names. Where two folders hold a file of one name, each folder is looked
    at by itself, and said with the surface; the maps of one surface may otherwise lie in several folders."""
    once = list(dict.fromkeys(files))
    folders: dict[str, list[str]] = {}
    for given in once:
        folders.setdefault(given.base.lower(), []).append(given.folder)
    apart = {folder for holders in folders.values() if len(holders) > 1 for folder in holders}
    buckets: dict[tuple[str, int], dict[str, Given]] = {}
    for given in once:
        where, copy = (given.folder if given.folder in apart else ""), 0
        # The same name without a folder to tell them apart.
        while given.name in buckets.get((where, copy), {}):
            copy += 1
        buckets.setdefault((where, copy), {})[given.name] = given
    for (where, _), by_name in buckets.items():
        for group in families(list(by_name)):
            yield where, [by_name[name] for name in group]


def _set_of(pictures: dict[Given, tuple[bytes, Picture]], profile: Profile, where: str) -> Set:
    """The audit of one surface. where: the folder it lies in, if another holds files of the same names."""
    first = next(iter(pictures))
    files = [_stored(given, data, picture) for given, (data, picture) in pictures.items()]
    found = audit(files, y=profile.y, gloss=profile.gloss)
    title = named(first.name).family if len(pictures) > 1 else Path(first.name).stem
    colour = next((one.file.name for one in found.roles if one.role == "base_color"), "")
    infos: list[dict[str, Any]] = []
    tiles = False
    # The file that brings the colour comes first, and is read as colour.
    for given in sorted(pictures, key=lambda given: given.base != colour):
        data, picture = pictures[given]
        if infos:
            guess = next(one.guess for one in found.roles if one.file.name == given.base)
            infos.append(describe_map(picture, given.blob, len(data), given.base, guess))
        else:
            read = read_picture(data, given.base)
            tiles = tiles_already(read)
            infos.append(describe(read, given.blob, len(data), given.base))
    title = title.replace("_", " ").title() or "Set"
    title = f"{title} ({where})" if where else title
    return Set(title, tuple(pictures), found.lightened(), tuple(infos), tiles)


def recipe_of(one: Set, *, repaired: bool, profile: str, also: Sequence[str] = ()) -> Recipe:
    """The recipe that takes the set as it is, or with everything put right that is sure. also: ids of findings that are
    not, and are put right all the same."""
    width, height = (max((s for s in SIZES if s <= one.infos[0][n]), default=SIZES[0]) for n in ("width", "height"))
    changes: dict[str, Any] = {"square.size.width": width, "square.size.height": height, **LEAVE_COLOUR}
    changes |= {"pack.files.profile": profile, "tile.join.method": "none"}
    changes["tile.join.tiles"] = one.tiles
    taken = one.found.changes
    if not repaired:
        mending = {path for finding in one.found.findings for path in finding.changes}
        taken = {path: value for path, value in taken.items() if path not in mending}
    for finding in one.found.findings:
        if repaired and finding.id in also:
            taken |= _beside(taken, finding.changes)
    return Recipe().with_changes(changes | taken)


def _beside(taken: dict[str, Any], changes: dict[str, Any]) -> dict[str, Any]:
    """Changes that leave standing what was taken before: where each places a file, both are placed."""
    path = "gather.registration.files"
    if path not in taken or path not in changes:
        return changes
    placed = {row["file"]: row for row in (*taken[path], *changes[path])}
    return {**changes, path: list(placed.values())}


def remaining(
    one: Set, read: Callable[[str], bytes], profile: Profile, memory: Memory, also: Sequence[str] = ()
) -> list[AuditFinding]:
    """What the audit still finds wrong, or cannot tell, with everything put right that is sure: it is run again on the
    repaired maps. also: as for recipe_of()."""
    made = evaluation_for(one, read, recipe_of(one, repaired=True, profile=profile.id, also=also), memory)
    size = fit_side(made.recipe, min(_AGAIN, max(output_size(made.recipe))))
    files: list[Stored] = []
    # What was missing is made from the others.
    roles = dict.fromkeys([*(judged.role for judged in one.found.roles), *NEEDED])
    for role in (role for role in roles if role in made.maps()):
        gloss = role == "roughness" and profile.gloss
        name = f"again_{'gloss' if gloss else role}.png"
        contents = (f"1-{role}" if gloss else role,)
        y = profile.y if role == "normal" else None
        file = PlannedFile(name, "png", contents, 16, encoding_for(contents, floating=False), y)
        codes = stored(file, {role: made.layer(role, size).pixels}) / np.float32(65535)
        values = np.repeat(codes[..., None], 3, -1) if codes.ndim == 2 else codes
        files.append(Stored(f"{len(files):016x}", name, values, None, 16, False, "png", 1 << 16, size))
    found = audit(files, y=profile.y, gloss=profile.gloss).findings
    # Whether a file was a JPEG once is told of the file, not of what became of it.
    known = {finding.rule for finding in one.found.findings}
    told = [finding for finding in found if finding.rule != "normal.steps" or "normal.steps" in known]
    return [finding for finding in told if finding.level in ("blocked", "attention", "unknown")]


def evaluation_for(one: Set, read: Callable[[str], bytes], recipe: Recipe, memory: Memory) -> Evaluation:
    """The set under a recipe. read: bytes by blob."""
    return evaluation_of({**one.infos[0], "more": list(one.infos[1:])}, recipe, _Readable(read), memory)  # type: ignore[arg-type]


class _Readable:
    """Bytes by blob, as a blob store has them."""

    def __init__(self, read: Callable[[str], bytes]) -> None:
        self.get = read


def as_json(sets: Iterable[Set], refused: Refused) -> dict[str, Any]:
    """The report as plain data."""
    rows = [_set_json(one) for one in sets]
    order = ["pass", "note", "unknown", "attention", "blocked"]
    return {
        "level": max((row["level"] for row in rows), key=order.index, default="pass"),
        "sets": rows,
        "refused": refused,
    }


def _set_json(one: Set) -> dict[str, Any]:
    blobs = {given.base: given.blob for given in one.files}
    seen: dict[str, list[Judged]] = {}
    for judged in one.found.roles:
        seen.setdefault(judged.file.name, []).append(judged)
    files = []
    for name, judged_as in seen.items():
        file = judged_as[0].file
        findings = [as_told(finding) for finding in one.found.findings if finding.file == name]
        values: dict[str, Any] = {}
        for finding in findings:
            values |= finding["values"]
        packed = judged_as[0].channel != ""
        role = "packed" if packed else judged_as[0].role
        files.append(
            {
                "file": name,
                "blob": blobs.get(name, ""),
                "role": role,
                "why": judged_as[0].guess.why,
                "channels": {j.channel: j.role for j in judged_as} if packed else {},
                "size": list(file.size),
                "bits": file.bits,
                "floating": file.floating,
                "format": file.format,
                "encoding": file.tagged or (ROLES[role].encoding if role in ROLES else "linear"),
                "tagged": bool(file.tagged),
                "levels": file.levels if not file.floating else None,
                "values": values,
                "findings": findings,
            }
        )
    return {
        "name": one.name,
        "level": one.found.level,
        "files": files,
        "findings": [as_told(finding) for finding in one.found.findings if not finding.file],
    }


def as_told(finding: AuditFinding) -> dict[str, Any]:
    """A finding as plain data."""
    return {**asdict(finding), "id": finding.id, "weak": finding.weak}


def small_picture(data: bytes, side: int = 240) -> bytes:
    """A JPEG of a file's stored numbers, side px at the most."""
    pixels = read_picture(data, "file", as_stored=True).pixels
    small = shrink(pixels, max(1, max(pixels.shape[:2]) // side))
    return encoded(quantised(small.clip(0, 1), 8), "jpg", 85)


def given_of(name: str, data: bytes) -> Given:
    return Given(name, hashlib.sha256(data).hexdigest())
