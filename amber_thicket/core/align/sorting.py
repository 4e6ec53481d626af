"""What several files are together: a light set, an exposure bracket, a focus stack, sides of a leaf, maps, or surfaces
of their own; told by their names and by what they show. The limits are ours, from photographs of the capture bench.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

import numpy as np

from amber_thicket.core.align.register import register_photographs
from amber_thicket.core.gather.roles import PHOTOGRAPHS, Guess, named
from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.shading.one_view import changes_of, compare, evenly_lit, of_one_view
from amber_thicket.errors import UnreadableFile

Kind = Literal["apart", "light_set", "two_lights", "bracket", "focus", "cutout", "walk_by", "parts", "maps"]
# Files are looked at with so many px on their longer side.
LOOK = 640
# A bracket differs by so many stops, and by no more than this from place to place at one tone.
_STOPS, _AT_ONE_TONE = 0.4, 0.12
# In a focus stack each photograph is so many stops of fine detail sharper somewhere.
_SHARPER, _CALM = 1.0, 0.16
_MOST_PARTS, _MOST_SIDES, _MOST_EXPOSURES, _MOST_STEPS = 6, 4, 9, 12
# Photographs of a walk-by show the same place: the middle of one lies no further aside in another.
_STEP_ASIDE = 0.26


class Item(NamedTuple):
    """One file. pixels: (h, w, 3) linear, LOOK px long. size: of the file. stops: of its exposure, None where its tags
    do not say. guess: what its name and its pixels alone say."""

    name: str
    pixels: Pixels
    size: tuple[int, int]
    guess: Guess
    stops: float | None = None


class Row(NamedTuple):
    """One file as it would be taken. at: its number among the files that came. role: "photo", "light", "all_lights",
    "back", "back_lit", "part", "merged", "walk", a role of a map, or "" for not used. why: in words."""

    at: int
    role: str
    why: str


class Sorting(NamedTuple):
    """kind: what they are together. rows: in the order they are taken; the first brings the colour. told: in a line.
    sure: nobody has to be asked."""

    kind: Kind
    rows: tuple[Row, ...]
    told: str
    sure: bool


def small_copy(pixels: Pixels) -> Pixels:
    """(h, w, 3), LOOK px long or less, of a picture (H, W, 3) linear."""
    pixels = shrink(pixels, max(1, max(pixels.shape[:2]) // (2 * LOOK)))
    factor = LOOK / max(pixels.shape[:2])
    if factor >= 1:
        return np.ascontiguousarray(pixels, np.float32)
    size = (max(1, round(pixels.shape[1] * factor)), max(1, round(pixels.shape[0] * factor)))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.float32)


def sort_files(items: Sequence[Item], kind: Kind | None = None) -> Sorting:
    """What several files are. kind: what the person says they are together; None where nothing was said."""
    if kind is not None:
        return _AS[kind](items)
    roles = [named(item.name).role for item in items]
    if sum(role == "light" for role in roles) >= 3:
        return light_set(items)
    if any(role in PHOTOGRAPHS for role in roles):
        return cut_out(items)
    if any(roles):
        return maps(items)
    return _by_pixels(items)


def _by_pixels(items: Sequence[Item]) -> Sorting:
    """Of photographs whose names say nothing."""
    if len(items) < 2 or len(items) > 64:
        return apart(items)
    fields = [changes_of(item.pixels) for item in items]
    one_size = len({item.pixels.shape for item in items}) == 1
    if one_size and of_one_view(fields):
        return _one_view(items)
    if all(item.guess.role == "normal" or item.guess.why.startswith("it is grey") for item in items[1:]) and one_size:
        return maps(items)._replace(sure=False)
    if len(items) <= _MOST_SIDES and all(_is_thing(item.pixels) for item in items):
        return cut_out(items)._replace(sure=False)
    if one_size and len(items) <= _MOST_STEPS and all(_beside(items[0], item) < _STEP_ASIDE for item in items[1:]):
        return walk(items)
    if len(items) <= _MOST_PARTS and all(_beside(items[n], items[n + 1]) < 1 for n in range(len(items) - 1)):
        return parts(items)._replace(sure=False)
    return apart(items)


def _one_view(items: Sequence[Item]) -> Sorting:
    """Of photographs from one fixed camera: what changed between them tells what they are."""
    steps, spread = _exposures(items)
    if spread < _AT_ONE_TONE:
        apart_by = np.diff(np.sort(steps))
        if len(items) <= _MOST_EXPOSURES and apart_by.min() > _STOPS:
            return bracket(items)
        if _focus_moves(items):
            return focus(items)
        if len(items) <= _MOST_EXPOSURES and apart_by.max() > _STOPS:
            return bracket(items)
        # The same picture several times: nobody has to be asked what they are together.
        return apart(items)
    return light_set(items) if len(items) >= 3 else two_lights(items)


def _exposures(items: Sequence[Item]) -> tuple[Pixels, float]:
    """(stops of each, the most that differs at one tone): compared in the order of their brightness, since far apart
    ones may have no tone in common."""
    bright = [float(np.median(luminance(item.pixels))) for item in items]
    order = np.argsort(bright)
    stops, spread = np.zeros(len(items)), 0.0
    for before, after in itertools.pairwise(order):
        pair = compare(items[before].pixels, items[after].pixels)
        told = np.isfinite(pair.spread)
        # Where one is burnt out all over, its brightness is all there is to go by.
        stops[after] = stops[before] + (pair.stops if told else np.log2(bright[after] / max(bright[before], 1e-4)))
        spread = max(spread, pair.spread if told else 0.0)
    return stops, spread


def _is_thing(pixels: Pixels) -> bool:
    """Whether a photograph shows one thing on an even ground."""
    outline = silhouette(pixels)
    if outline is None:
        return False
    mask = (outline > 0.5).astype(np.uint8)
    rim = np.concatenate([mask[0], mask[-1], mask[:, 0], mask[:, -1]])
    _, _, stats, _ = cv2.connectedComponentsWithStats(mask)
    return bool(rim.mean() < 0.35 and len(stats) > 1 and stats[1:, 4].max() > 0.85 * mask.sum())


def _focus_moves(items: Sequence[Item]) -> bool:
    """Whether each photograph is the sharpest one somewhere, and clearly so."""
    energies = np.stack([_sharpness(item.pixels) for item in items])
    best = energies.argmax(0)
    ordered = np.sort(energies, axis=0)
    clear = ordered[-1] - ordered[0] > _SHARPER
    shares = [float(((best == number) & clear).mean()) for number in range(len(items))]
    return min(shares) > 0.04 / len(items) and sum(shares) > _CALM


def _sharpness(pixels: Pixels) -> Pixels:
    """(h, w) log2 energy of the finest detail, over some 24 px."""
    tone = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), 2e-3)).astype(np.float32)
    fine = tone - blur(tone, 1.0, wraps=False)
    return np.asarray(np.log2(blur(fine * fine, 10.0, wraps=False, fast=True) + 1e-7) / 2)


def _beside(one: Item, other: Item) -> float:
    """How far aside the middle of one photograph lies in another, in shares of it; infinite where they show nothing in
    common."""
    try:
        found = register_photographs(one.pixels, other.pixels, outlines=False)
    except UnreadableFile:
        return np.inf
    middle = found.matrix @ np.array([0.5, 0.5, 1.0])
    return float(np.abs(middle[:2] / middle[2] - 0.5).max()) if found.sure > 0.2 else np.inf


def _number(name: str) -> tuple[int, str]:
    """What a file is sorted by: its last number, then its name."""
    digits = "".join(c if c.isdigit() else " " for c in name.rsplit(".", 1)[0]).split()
    return (int(digits[-1]) if digits else 0, name)


def light_set(items: Sequence[Item]) -> Sorting:
    """Lamps in order, and the photograph lit from all sides."""
    roles = {number: named(item.name).role for number, item in enumerate(items)}
    all_lit = [number for number, role in roles.items() if role == "all_lights" or _is_diffuse(items[number].name)]
    why = "its name says so"
    if not all_lit:
        by_pixels = evenly_lit([item.pixels for item in items])
        all_lit, why = ([by_pixels] if by_pixels is not None else []), "its shading does not turn with the lamps"
    rest = sorted((n for n in roles if n not in all_lit), key=lambda n: _number(items[n].name))
    others = [n for n in rest if roles[n] not in ("", "light")]
    lamps = [n for n in rest if n not in others]
    rows = [Row(n, "light", f"lamp {k}, in the order of the names") for k, n in enumerate(lamps, 1)]
    rows += [Row(n, "all_lights" if k == 0 else "", why) for k, n in enumerate(all_lit)]
    rows += [Row(n, items[n].guess.role, items[n].guess.why) for n in others]
    told = f"{len(lamps)} lamps in order" + (" + 1 all-lights photograph" if all_lit else "")
    return Sorting("light_set", tuple(rows), told, sure=False)


def _is_diffuse(name: str) -> bool:
    """Among lamps, “diffuse” and “flat” mean light from all sides; alone they mean a base colour."""
    return named(name).word.lower() in ("diffuse", "diff", "flat")


def bracket(items: Sequence[Item]) -> Sorting:
    """Exposures of one view, the middle one first."""
    if all(item.stops is not None for item in items):
        stops, how = [float(item.stops or 0) for item in items], "by its tags"
    else:
        stops, how = _exposures(items)[0].tolist(), "by its light"
    middle = float(np.median(stops))
    order = sorted(range(len(items)), key=lambda n: abs(stops[n] - middle))
    rows = [Row(n, "merged", f"{stops[n] - middle:+.1f} stops, {how}") for n in order]
    told = f"{len(items)} exposures of one view over {max(stops) - min(stops):.1f} stops"
    return Sorting("bracket", tuple(rows), told, sure=False)


def focus(items: Sequence[Item]) -> Sorting:
    """Photographs of one view that are sharp at different depths."""
    order = sorted(range(len(items)), key=lambda n: _number(items[n].name))
    rows = [Row(n, "merged", "sharp in a part of the picture") for n in order]
    return Sorting("focus", tuple(rows), f"{len(items)} photographs of one view, focused at different depths", False)


def cut_out(items: Sequence[Item]) -> Sorting:
    """Front (or several that go on into each other), back and back-lit photograph of a thing."""
    roles = [named(item.name).role for item in items]
    rows = []
    fronts = [n for n, role in enumerate(roles) if role == "front"] or [n for n, role in enumerate(roles) if not role]
    fronts.sort(key=lambda n: _number(items[n].name))
    first = fronts[0] if fronts else 0
    unsure = False
    for n in [first, *(n for n in range(len(items)) if n != first)]:
        role, why = roles[n], "its name says so"
        if n == first:
            role, why = "photo", "the front" if roles[n] == "front" else "the first that is called nothing else"
        elif role == "front":
            role, why = "part", "another part of the front"
        elif not role:
            role, why = _side(items[first], items[n])
            unsure = True
        rows.append(Row(n, role, why))
    count = {role: sum(row.role == role for row in rows) for role in ("photo", "part", "back", "back_lit")}
    said = [f"{count['photo'] + count['part']} of the front"] + [
        word for role, word in (("back", "the back"), ("back_lit", "back-lit")) if count[role]
    ]
    doubled = any(count[role] > 1 for role in ("back", "back_lit"))
    return Sorting("cutout", tuple(rows), ", ".join(said), sure=not unsure and not doubled)


def _side(first: Item, other: Item) -> tuple[str, str]:
    """What a photograph of a thing is beside the one of its front."""
    try:
        found = register_photographs(first.pixels, other.pixels)
    except UnreadableFile:
        return "", "nothing was found that it shows of the front"
    if found.how == "features":
        return "part", "it shows a part of the front as well"
    if np.linalg.det(found.matrix) < 0:
        return "back", "its outline is the front's, mirrored"
    return "back_lit", "its outline is the front's, its colours are not"


def walk(items: Sequence[Item]) -> Sorting:
    """One surface from slightly different places."""
    order = sorted(range(len(items)), key=lambda n: _number(items[n].name))
    rows = [Row(n, "walk", "" if k else "all lies on this one") for k, n in enumerate(order)]
    return Sorting("walk_by", tuple(rows), f"{len(items)} photographs of one surface from different places", sure=False)


def two_lights(items: Sequence[Item]) -> Sorting:
    """One view in two lights, or with and without flash; all lies on the first, whose colour is worked on."""
    order = sorted(
        range(len(items)), key=lambda n: (named(items[n].name).role == "other_light", _number(items[n].name))
    )
    words = {0: ("photo", "all lies on this one"), 1: ("other_light", "the same view in another light")}
    rows = [Row(n, *words.get(k, ("", "two photographs are enough"))) for k, n in enumerate(order)]
    return Sorting("two_lights", tuple(rows), "one view in two lights", sure=False)


def parts(items: Sequence[Item]) -> Sorting:
    """Photographs that go on into each other."""
    order = sorted(range(len(items)), key=lambda n: _number(items[n].name))
    rows = [
        Row(n, "photo" if k == 0 else "part", "overlaps the one before it" if k else "") for k, n in enumerate(order)
    ]
    return Sorting("parts", tuple(rows), f"{len(items)} parts of one picture", sure=False)


def maps(items: Sequence[Item]) -> Sorting:
    """Maps of one surface, made elsewhere."""
    taken: set[str] = set()
    rows = []
    for n, item in enumerate(items):
        role = item.guess.role
        once = role not in taken or role in ("photo", "packed", "light")
        rows.append(Row(n, role if once else "", item.guess.why if once else f"another file is {role} already"))
        taken.add(role)
    order = sorted(rows, key=lambda row: {"base_color": 0, "photo": 1}.get(row.role, 2))
    sure = all(row.role for row in rows) and sum(row.role in ("photo", "base_color") for row in rows) <= 1
    return Sorting("maps", tuple(order), f"{len(items)} files of one surface", sure=sure)


def apart(items: Sequence[Item]) -> Sorting:
    """A surface each."""
    rows = tuple(Row(n, "photo", "") for n in range(len(items)))
    return Sorting("apart", rows, f"{len(items)} surfaces, one file each", sure=True)


_AS: dict[str, Callable[[Sequence[Item]], Sorting]] = {
    "apart": apart, "light_set": light_set, "two_lights": two_lights, "bracket": bracket, "focus": focus,
    "cutout": cut_out, "walk_by": walk, "parts": parts, "maps": maps,
}  # fmt: skip
