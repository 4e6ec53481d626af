"""Settings carried from one material, or from a start, to others: which can be, and what does not fit."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from typing import Any, NamedTuple

from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side
from amber_thicket.core.operation import STAGES
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.settings import KEY_LENGTH, describe
from amber_thicket.core.square.flat import CORNERS

# Which file is what, and how files of one capture belong together.
_OF_FILES = ("gather.maps", "gather.lights", "gather.merge", "gather.walk", "gather.registration")
# What lies on places of one surface.
_PLACES = (
    *(f"tile.join.{name}" for name in ("one_piece", "split_piece", "excluded", "kept")),
    "tile.repair.spots", "tile.repair.aside", "tile.retouch.strokes", "tile.cutout.strokes",
)  # fmt: skip
_CORNERS = tuple(f"square.flat.{corner}_{axis}" for corner in CORNERS for axis in "xy")
_OWN = {
    "pack.files.name": "it is this material's own name",
    "relief.occlusion.pinned": "it holds settings this material was made by",
    "check.limits.waived": "somebody looked at this surface",
}
_KEY = re.compile(rf"\b[0-9a-f]{{{KEY_LENGTH}}}\b")
_ZONES, _IN_ZONES = "response.zones.zones", ("in_zones", "wet_zones")
_COVERS = "response.covers.covers"
# A zone by colour that covers less of the surface than this is not there.
_LEAST_SHARE = 0.002


class Carriable(NamedTuple):
    """A setting that is not as it comes. why: it belongs to its own surface, and stays there; "" where it can go."""

    path: str
    stage: str
    label: str
    value: str
    why: str


class LeftOut(NamedTuple):
    """What was not carried, and why. path: of a setting."""

    path: str
    what: str
    why: str


class Carried(NamedTuple):
    """changes: settings for the other material; None is back to as it comes."""

    changes: dict[str, Any]
    left_out: tuple[LeftOut, ...]


def _bound(path: str) -> str:
    """Why a setting belongs to its own surface; "" where it does not."""
    operation, _, name = path.rpartition(".")
    if operation in _OF_FILES:
        return "it names this material's own files"
    if path in _CORNERS:
        return "corners are placed on this picture"
    if path in _PLACES or name == "strokes":
        return "it is drawn on this surface"
    return _OWN.get(path, "")


def changed_paths(recipe: Recipe) -> list[str]:
    """The settings of a recipe that are not as they come."""
    return [f"{id}.{name}" for id, values in recipe.changed.items() for name in values]


def carriable(recipe: Recipe) -> list[Carriable]:
    """Settings of a recipe that are not as they come, in the order of the stages."""
    rows = []
    for path in changed_paths(recipe):
        operation, _, name = path.rpartition(".")
        if operation in _OF_FILES:
            continue
        about = _about(path)
        step, (stage, _, _) = BY_ID[operation].label, path.partition(".")
        # What finishes a map says which one by itself.
        alone = about["label"] == step or operation.partition(".")[2].startswith("on_")
        label = about["label"] if alone else f"{step}: {about['label']}"
        rows.append(Carriable(path, stage, label, _told(recipe.changed[operation][name], about), _bound(path)))
    order: list[str] = list(STAGES)
    return sorted(rows, key=lambda row: order.index(row.stage))


def _about(path: str) -> dict[str, Any]:
    operation, _, name = path.rpartition(".")
    return next(row for row in describe(BY_ID[operation].settings) if row["name"] == name)


def _told(value: Any, about: dict[str, Any]) -> str:
    """A value in words."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if about["choices"]:
        return str(next((row["label"] for row in about["choices"] if row["value"] == value), value))
    if isinstance(value, (list, dict)):
        return f"{len(value)} set" if value else "none"
    if isinstance(value, float):
        value = f"{value:.4g}"
    return f"{value} {about['unit']}".strip()


def fitting(recipe: Recipe) -> Recipe:
    """The recipe without what belongs to its own surface: what a start keeps."""
    fresh = Recipe()
    changes = {path: _value(recipe, path) for path in changed_paths(recipe) if not _bound(path)}
    zones, _ = _without_places(changes.pop(_ZONES, []) or [])
    if zones:
        changes[_ZONES] = zones
    there = {zone["id"] for zone in zones}
    for path in [path for path in changes if path.rpartition(".")[2] in _IN_ZONES]:
        changes[path] = {id: value for id, value in changes[path].items() if id in there} or None
    return fresh.with_changes(changes)


def _value(recipe: Recipe, path: str) -> Any:
    operation, _, name = path.rpartition(".")
    return recipe.changed.get(operation, {}).get(name)


def _without_places(zones: Iterable[dict[str, Any]]) -> tuple[list[dict[str, Any]], list[LeftOut]]:
    """Zones without what is brushed on one surface; zones of which nothing is left are left out."""
    kept, left = [], []
    for zone in zones:
        parts = [part for part in zone.get("parts", []) if part.get("kind") != "brush"]
        name = f"Zone {zone.get('name') or zone['id']}"
        if parts:
            kept.append({**zone, "parts": parts})
        if len(parts) < len(zone.get("parts", [])):
            left.append(LeftOut(_ZONES, name, "what is brushed lies on its own surface"))
    return kept, left


def carry(source: Recipe, target: Evaluation, paths: Iterable[str], stages: Iterable[str], own: str = "") -> Carried:
    """What another material takes of a recipe. paths: settings to carry. stages: those taken whole, with what is as it
    comes there as well. own: id of the other material, which cannot lie on itself."""
    stages = tuple(stages)
    changed, there = changed_paths(source), changed_paths(target.recipe)
    asked = dict.fromkeys([*paths, *(path for path in changed if path.split(".")[0] in stages)])
    changes: dict[str, Any] = {}
    left: list[LeftOut] = []
    for path in asked:
        why = _bound(path)
        if path.rpartition(".")[0] not in _OF_FILES and why:
            left.append(LeftOut(path, _about(path)["label"], why))
        elif not why:
            changes[path] = _value(source, path)
    changes |= {
        path: None for path in there if path.split(".")[0] in stages and path not in changed and not _bound(path)
    }
    _fit_covers(changes, left, own)
    _fit_zones(source, target, changes, left)
    return Carried(
        {path: value for path, value in changes.items() if value != _value(target.recipe, path)}, tuple(left)
    )


def _put(changes: dict[str, Any], path: str, fit: Any) -> None:
    """What is left of a setting; where nothing is, the other material keeps its own."""
    if fit:
        changes[path] = fit
    else:
        del changes[path]


def _fit_covers(changes: dict[str, Any], left: list[LeftOut], own: str) -> None:
    """A material cannot lie on itself."""
    covers = changes.get(_COVERS)
    if covers and own:
        fit = [row for row in covers if row.get("material") != own]
        if len(fit) < len(covers):
            left.append(LeftOut(_COVERS, "Cover", "a material cannot lie on itself"))
            _put(changes, _COVERS, fit)


def _fit_zones(source: Recipe, target: Evaluation, changes: dict[str, Any], left: list[LeftOut]) -> None:
    """Leaves out zones whose colours are not on the other surface, and what hangs on zones that do not come along."""
    hanging = [path for path in changes if path.rpartition(".")[2] in _IN_ZONES and changes[path]]
    names = {zone["id"]: zone.get("name") or zone["id"] for zone in _value(source, _ZONES) or []}
    zones, brushed = _without_places(changes.get(_ZONES) or [])
    left += brushed
    if zones:
        shares = _shares(target, zones)
        for zone, share in zip(list(zones), shares, strict=True):
            if share < _LEAST_SHARE and any(part.get("kind") == "colour" for part in zone["parts"]):
                zones.remove(zone)
                left.append(LeftOut(_ZONES, f"Zone {names[zone['id']]}", "its colours are not on this surface"))
    if changes.get(_ZONES):
        _put(changes, _ZONES, zones)
    there = {zone["id"] for zone in zones}
    for path in hanging:
        kept = {id: value for id, value in changes[path].items() if id in there}
        if len(kept) < len(changes[path]):
            gone = [names.get(id, id) for id in changes[path] if id not in there]
            left.append(LeftOut(path, f"{_about(path)['label']}: {', '.join(gone)}", "its zone does not come along"))
        _put(changes, path, kept)


def _shares(target: Evaluation, zones: list[dict[str, Any]]) -> list[float]:
    """How much of the other surface each zone covers, 0..1."""
    tried = target.with_changes({_ZONES: zones})
    masks = tried.layer("zones", fit_side(tried.recipe, PLAN_SIDE // 2)).pixels
    return [float(masks[..., number].mean()) for number in range(len(zones))]


def whole_recipe(wanted: Recipe, now: Recipe, files: set[str]) -> dict[str, Any]:
    """Settings that make one recipe of another. files: keys of the files that are there; what names others is left as
    it is."""
    changes: dict[str, Any] = {}
    for path in dict.fromkeys([*changed_paths(wanted), *changed_paths(now)]):
        value = _value(wanted, path)
        if path.rpartition(".")[0] in _OF_FILES:
            named = set(_KEY.findall(json.dumps(value)))
            if value is None or not named <= files:
                continue
        if value != _value(now, path):
            changes[path] = value
    return changes
