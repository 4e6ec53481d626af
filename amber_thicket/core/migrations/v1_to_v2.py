"""Version 1 held what is more than a number as JSON in strings, and strokes as rows of numbers; version 2 holds both as
objects with names. Three operations were renamed.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any


def _parsed(text: Any, empty: Any) -> Any:
    """The JSON in a setting; nothing for no text. Raises ValueError in words."""
    if not isinstance(text, str):
        return text
    if not text.strip():
        return empty
    try:
        return json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise ValueError(f"it is no JSON ({type(error).__name__})") from None


def _rows(make: Callable[[list[Any]], Any]) -> Callable[[Any], Any]:
    """A setting that was a list of lists. make: an object of one of them."""

    def convert(text: Any) -> Any:
        rows = _parsed(text, [])
        if not isinstance(rows, list):
            raise ValueError("it must be a list")
        return [make(row) if isinstance(row, list) else row for row in rows]

    return convert


def _stroke(row: list[Any]) -> dict[str, Any]:
    """[radius, x, y, x, y, …]"""
    if len(row) % 2 == 0:
        raise ValueError("each stroke is a list of numbers: radius, then x and y of each point")
    return {"radius": row[0], "points": [list(point) for point in zip(row[1::2], row[2::2], strict=True)]}


def _led_by(*names: str) -> Callable[[list[Any]], dict[str, Any]]:
    """Rows that begin with values of those names, then go on as a stroke."""

    def make(row: list[Any]) -> dict[str, Any]:
        return dict(zip(names, row, strict=False)) | _stroke(row[len(names) :])

    return make


def _repair(row: list[Any]) -> dict[str, Any]:
    made = _led_by("kind", "dx", "dy")(row)
    if made["kind"] == "fill":
        del made["dx"], made["dy"]
    return made


def _spot(row: list[Any]) -> dict[str, Any]:
    return dict(zip(("x", "y", "radius", "from_x", "from_y"), row, strict=False))


def _object(text: Any) -> Any:
    return _parsed(text, {})


def _list(text: Any) -> Any:
    return _parsed(text, [])


def _zones(text: Any) -> Any:
    zones = _parsed(text, [])
    for zone in zones if isinstance(zones, list) else ():
        for part in zone.get("parts", ()) if isinstance(zone, dict) else ():
            if isinstance(part, dict) and "strokes" in part:
                part["strokes"] = [_stroke(row) for row in part["strokes"]]
    return zones


def _pinned(text: Any) -> Any:
    kept = _parsed(text, {})
    return migrated(kept) if isinstance(kept, dict) else kept


_PAINTED = _rows(_led_by("kind", "value", "strength", "soft"))
_FINISHED = ("ambient_occlusion", "base_color", "roughness", "metallic", "specular", "opacity", "translucency",
             "back_color", "emissive")  # fmt: skip
_CONVERTED: dict[str, Callable[[Any], Any]] = {
    "gather.lights.frames": _list,
    "gather.placed.places": _list,
    "gather.placed.joined": _list,
    "even.tone.curve": _list,
    "tile.join.excluded": _rows(_stroke),
    "tile.join.kept": _rows(_stroke),
    "tile.repair.spots": _rows(_spot),
    "tile.touch.strokes": _rows(_repair),
    "tile.cutout.ground": _list,
    "tile.cutout.strokes": _rows(_led_by("kind")),
    "response.zones.zones": _zones,
    "response.covers.covers": _list,
    "relief.shape.in_zones": _object,
    "relief.shape.strokes": _PAINTED,
    "relief.occlusion.pinned": _pinned,
    "pack.files.own": lambda text: _parsed(text, None),
}
for _role in _FINISHED:
    _stage = "relief" if _role == "ambient_occlusion" else "response"
    _CONVERTED |= {f"{_stage}.on_{_role}.in_zones": _object, f"{_stage}.on_{_role}.strokes": _PAINTED}


# What was called otherwise, by its name in version 1.
_RENAMED = {
    "gather.placed": "gather.registration",
    "tile.touch": "tile.retouch",
    "even.known": "even.known_shading",
    "gather.placed.places": "files",
}


def migrated(operations: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """Operations of version 1 as those of version 2. Raises ValueError in words, naming the setting."""
    made: dict[str, dict[str, Any]] = {}
    for operation, settings in operations.items():
        kept = made[_RENAMED.get(operation, operation)] = {}
        for name, value in settings.items():
            path = f"{operation}.{name}"
            convert = _CONVERTED.get(path)
            try:
                kept[_RENAMED.get(path, name)] = convert(value) if convert else value
            except ValueError as error:
                raise ValueError(f"{path}: {error}") from None
    return made
