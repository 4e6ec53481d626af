"""Files that were brought together: what they are, said before anything is made of them, and what is made then."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.align.sorting import Item, Kind, Sorting, small_copy, sort_files
from amber_thicket.core.gather.merge import FEWEST, MOST
from amber_thicket.core.gather.roles import Guess, guessed, named
from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8
from amber_thicket.core.raster import Pixels
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.formats.picture import read_picture
from amber_thicket.service.library import Library, clean_name
from amber_thicket.service.preview import encoded
from amber_thicket.store.models import Material

_SHOWN = 240


class Brought(NamedTuple):
    """A file in the store. blob: its checksum."""

    blob: str
    file: str


class _Look(NamedTuple):
    size: tuple[int, int]
    pixels: Pixels
    guess: Guess
    stops: float | None


def look_at(library: Library, blob: str, name: str) -> _Look:
    """What is seen of a file that was brought. Raises NotFound, UnreadableFile, TooLarge."""
    found: _Look = library.memory.get(_key(blob, name), lambda: _looked(library.blobs.get(blob), name))
    return found


def look_at_bytes(library: Library, data: bytes, blob: str, name: str) -> _Look:
    """As look_at(), of a file that is not kept yet."""
    found: _Look = library.memory.get(_key(blob, name), lambda: _looked(data, name))
    return found


def _key(blob: str, name: str) -> str:
    return f"incoming/{blob}/{name}"


def _looked(data: bytes, name: str) -> _Look:
    picture = read_picture(data, name)
    height, width = picture.pixels.shape[:2]
    small = small_copy(picture.pixels)
    guess = guessed(name, encode_srgb(np.ascontiguousarray(small.clip(0, 1))))
    return _Look((width, height), small, guess, picture.shot.get("stops"))


def sort(library: Library, files: Sequence[Brought], kind: Kind | None = None) -> Sorting:
    """What files are together. kind: what the person says. Raises NotFound, UnreadableFile."""
    looks = [look_at(library, file.blob, file.file) for file in files]
    items = [
        Item(file.file, look.pixels, look.size, look.guess, look.stops) for file, look in zip(files, looks, strict=True)
    ]
    return sort_files(items, kind)


def thumbnail(library: Library, blob: str, name: str) -> bytes:
    """A file that was brought, small, as JPEG."""
    pixels = look_at(library, blob, name).pixels
    step = max(1, max(pixels.shape[:2]) // _SHOWN)
    return encoded(encode_srgb8(np.ascontiguousarray(pixels[::step, ::step].clip(0, 1))), "jpg", 82)


def take(
    library: Library, kind: Kind, rows: Sequence[tuple[Brought, str]], *, to: str = "", gesture: str = ""
) -> list[Material]:
    """Materials of files as what they were said to be, in their order. to: the material they are added to, "" for new
    ones. Raises UnreadableFile, BadSetting, NotFound; what was made until then stays.
    """
    if kind in ("bracket", "focus") and not to:
        merged = sum(role == "merged" for _, role in rows)
        if not FEWEST <= merged <= MOST:
            raise BadSetting(
                f"{FEWEST} to {MOST} photographs are merged; these are {merged}.",
                remedy="Take some out, or choose another kind.", setting="rows",
            )  # fmt: skip
    if kind == "apart" and not to:
        return [_new(library, file, role, kind) for file, role in rows if role]
    made: Material | None = library.get(to) if to else None
    used = [file.file for file, role in rows if role]
    for file, role in rows:
        if made is None:
            if role:
                made = _new(library, file, role, kind, common_name(used))
            continue
        made = library.add_map(
            str(made.id), [library.blobs.get(file.blob)], file.file, gesture=gesture, as_role=role or "unused"
        )
    if made is None:
        raise UnreadableFile("None of these files is used.", remedy="Choose what one of them is.")
    return [made]


def common_name(files: Sequence[str]) -> str | None:
    """What several maps of one surface are called without their roles (`cliffscan`, not `cliffscan color`); None where
    their names have nothing in common, or it is one file. Written as the files have it."""
    found = [named(file) for file in files]
    if len(files) < 2 or not found[0].role or not found[0].family or len({one.family for one in found}) > 1:
        return None
    words = re.split(r"[^A-Za-z0-9]+", Path(files[0]).stem)
    family = _letters([found[0].family])
    kept = next((words[:n] for n in range(len(words), 0, -1) if _letters(words[:n]) == family), None)
    return " ".join(kept) if kept else found[0].family.replace("_", " ")


def _letters(words: Sequence[str]) -> str:
    return "".join(words).replace("_", "").lower()


def _new(library: Library, file: Brought, role: str, kind: Kind, name: str | None = None) -> Material:
    as_role = {"cutout": "cutout", "bracket": "merged", "focus": "merged", "walk_by": "walk"}.get(kind, "")
    changes: dict[str, Any] = {"gather.merge.by": "focus"} if kind == "focus" else {}
    if kind == "light_set" and role in ("light", "all_lights"):
        as_role = role
    data = [library.blobs.get(file.blob)]
    return library.add(data, clean_name(file.file), name=name, as_role=as_role, changes=changes)
