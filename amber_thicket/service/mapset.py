"""Several files of one surface: which becomes which map, and the settings that say so."""

from __future__ import annotations

import re
from typing import Any

from amber_thicket.core.check.figures import coded, seam
from amber_thicket.core.gather.maps import TAKEN
from amber_thicket.core.gather.merge import Exposure
from amber_thicket.core.gather.roles import (
    LEAVE_COLOUR,
    PHOTOGRAPHS,
    Guess,
    assignment,
    guessed,
    named,
    packed_channels,
)
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import EVERY
from amber_thicket.core.square.size import SIZES
from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.formats.picture import Picture, read_picture
from amber_thicket.service.lights import with_frame, without_frame
from amber_thicket.service.registration import place_exchanged, register_file
from amber_thicket.service.sources import describe_map, file_key, files_of
from amber_thicket.service.walking import with_step, without_step

# What was kept of another size once; it is told of the photograph that is worked on now.
_OLD_NOTE = re.compile("the first file has [0-9]")
# Roles a file can have.
FILED = ("base_color", *TAKEN)
# What goes with a cut-out: nothing repeats, and no light is evened across ground and thing.
CUT_OUT: dict[str, Any] = {
    "tile.cutout.on": True, "tile.join.method": "none", "even.light.amount": 0.0, "pack.files.profile": "cut_out",
}  # fmt: skip
LABELS = {
    **{id: EVERY[id].label for id in FILED},
    "gloss": "Gloss",
    "photo": "Photograph",
    "packed": "Packed",
    "light": "One light",
    "all_lights": "All lights",
    "merged": "Merged",
    "part": "Part of the picture",
    "walk": "From another place",
}


def read_map(data: bytes, blob: str, name: str) -> tuple[dict[str, Any], Guess, Picture]:
    """(description, guessed role, pixels as stored) of a file that may be a map. Raises UnreadableFile, TooLarge."""
    picture = read_picture(data, name, as_stored=True)
    guess = guessed(name, picture.pixels)
    if named(name).role == "front":
        # The first front is the photograph already.
        guess = Guess("part", "its name says that it shows the front as well")
    return describe_map(picture, blob, len(data), name, guess), guess, picture


def first_guess(name: str, picture: Picture) -> Guess:
    """The role of a material's first file, which was read as colour."""
    return guessed(name, encode_srgb(picture.every(max(1, min(picture.size) // 512))))


def first_changes(info: dict[str, Any], guess: Guess, picture: Picture) -> dict[str, Any]:
    """The settings that go with a material's first file, which brings the colour until another does.

    A finished map keeps its light, and its edges when they meet already. info: as describe() gives it.
    """
    key = info["key"]
    if guess.role == "light":
        return with_frame(Recipe(), key)
    if guess.role == "merged":
        return with_exposure(Recipe(), info)
    if guess.role == "walk":
        return with_step(Recipe(), key)
    if guess.role == "cutout":
        return {**CUT_OUT}
    if guess.role in ("photo", *PHOTOGRAPHS):
        return {}
    changes: dict[str, Any] = {**LEAVE_COLOUR} if guess.role == "base_color" else assignment(key, guess)
    if changes and guess.role != "base_color":
        changes["gather.maps.colour"] = "none"
    if guess.role and tiles_already(picture):
        changes |= {"tile.join.method": "none", "tile.join.tiles": True}
    return changes


def with_exposure(recipe: Recipe, info: dict[str, Any]) -> dict[str, Any]:
    """Settings with one more photograph that is merged."""
    frames = recipe.settings("gather.merge").frames
    if info["key"] in {frame.file for frame in frames}:
        return {}
    return {"gather.merge.frames": (*frames, Exposure(file=info["key"], stops=info.get("shot", {}).get("stops")))}


def changes_for(recipe: Recipe, info: dict[str, Any], guess: Guess) -> dict[str, Any]:
    """The settings that take one more file as what it is guessed to be; none where another file is that already."""
    key = info["key"]
    if guess.role == "light":
        return with_frame(recipe, key)
    if guess.role == "merged":
        return with_exposure(recipe, info)
    if guess.role == "walk":
        return with_step(recipe, key)
    changes = assignment(key, guess)
    taken = any(
        getattr(recipe.settings(path.rpartition(".")[0]), path.rpartition(".")[2])
        for path in changes
        if path.rpartition(".")[2] in (*FILED, "all_lights")
    )
    return {} if taken else changes


def tiles_already(picture: Picture) -> bool:
    """Whether opposite edges of a picture meet as it is."""
    factor = max(1, min(picture.pixels.shape[:2]) // 1024)
    values = coded(shrink(picture.pixels, factor), "base_color")
    return min(values.shape[:2]) >= 32 and all(seam(values, axis=axis).level == "pass" for axis in (0, 1))


def start_size(width: int, height: int) -> dict[str, Any]:
    """The output size a capture of so many px begins with."""
    side = max((s for s in SIZES if s <= min(width, height, 4096)), default=SIZES[0])
    return {"square.size.width": side, "square.size.height": side}


def mismatch_note(info: dict[str, Any], picture: tuple[int, int]) -> str | None:
    """In words, how the size of a map differs from the photograph's, (width, height) px."""
    if (info["width"], info["height"]) == picture:
        return None
    text = f"{info['width']} × {info['height']} px, the photograph has {picture[0]} × {picture[1]}"
    shape, other = info["width"] / info["height"], picture[0] / picture[1]
    if abs(shape / other - 1) > 0.01:
        return f"{text}: another shape, so it is stretched to fit"
    return f"{text}: brought to the same size"


def listed(source: dict[str, Any], evaluation: Evaluation) -> list[dict[str, Any]]:
    """All files of a material with the role each has now ("" for none), and what was guessed and why."""
    chosen = evaluation.recipe.settings("gather.maps")
    lights = evaluation.recipe.settings("gather.lights")
    frames = {lamp.file for lamp in lights.frames}
    taken = evaluation.inputs
    photograph = evaluation.files.get(taken.photograph)
    walked = {frame.file for frame in evaluation.recipe.settings("gather.walk").frames}
    merged = {frame.file for frame in evaluation.recipe.settings("gather.merge").frames}
    registered = evaluation.recipe.settings("gather.registration")
    placed = {row.file for row in (*registered.files, *registered.joined)}
    rows = []
    for info in files_of(source):
        key = file_key(info["blob"])
        roles = [name for name in FILED if getattr(chosen, name).partition(".")[0] == key]
        role = "packed" if len(roles) > 1 else (roles[0] if roles else "")
        if not role and key in frames:
            role = "light"
        if not role and key == lights.all_lights:
            role = "all_lights"
        if not role and key in merged and key != taken.photograph:
            role = "merged"
        if not role and key in taken.joined:
            role = "part"
        if not role and key in walked and key != taken.photograph:
            role = "walk"
        if not role and key == taken.photograph and not chosen.base_color:
            role = "base_color"
        if role == "roughness" and chosen.roughness_white == "smooth":
            role = "gloss"
        shown = ("file", "width", "height", "bits", "floating", "format")
        notes = [note for note in info["notes"] if not _OLD_NOTE.search(note)]
        if photograph and role not in ("", "base_color", "light", "merged", "part", "walk") and key not in placed:
            notes += [note] if (note := mismatch_note(info, (photograph.width, photograph.height))) else []
        rows.append(
            {
                "key": key,
                "role": role,
                "guess": info.get("role", "photo"),
                "why": info.get("why", ""),
                "notes": notes,
                **{name: info[name] for name in shown},
            }
        )
    return rows


def _unmerged(recipe: Recipe, key: str) -> dict[str, Any]:
    """Settings without a photograph among those that are merged."""
    frames = recipe.settings("gather.merge").frames
    kept = tuple(frame for frame in frames if frame.file != key)
    return {"gather.merge.frames": kept} if len(kept) < len(frames) else {}


def _merged_with(library: Any, material: Any, recipe: Recipe, info: dict[str, Any]) -> dict[str, Any]:
    """Settings that merge a file with the photograph, which is the first of those that are merged."""
    photograph = library.evaluation(material).inputs.photograph
    infos = {file_key(one["blob"]): one for one in files_of(material.source)}
    own = with_exposure(recipe, infos[photograph]) if photograph in infos else {}
    return own | with_exposure(recipe.with_changes(own) if own else recipe, info)


def with_role(library: Any, material: Any, key: str, role: str) -> tuple[dict[str, Any], str]:
    """(changes, label) that give a file another role, "" for none; whatever it was before is let go.

    Raises NotFound for a file the material does not have, BadSetting for a role there is not.
    """
    info = next((f for f in files_of(material.source) if file_key(f["blob"]) == key), None)
    if info is None:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    if role and role not in LABELS:
        raise BadSetting(f"There is no role “{role[:40]}”.", remedy=f"Known: {', '.join(LABELS)}.", setting="role")
    role = "base_color" if role == "photo" else role
    chosen = library.recipe(material).settings("gather.maps")
    changes: dict[str, Any] = {
        f"gather.maps.{name}": None for name in FILED if getattr(chosen, name).partition(".")[0] == key
    }
    first = file_key(material.source["blob"])
    recipe = library.recipe(material)
    changes |= without_frame(recipe, key)
    if recipe.settings("gather.lights").all_lights == key:
        changes["gather.lights.all_lights"] = None
    changes |= _unmerged(recipe, key) | without_step(recipe, key) if role != "base_color" else {}
    if role == "light":
        changes |= with_frame(recipe, key)
    elif role == "merged":
        changes |= _merged_with(library, material, recipe, info)
    elif role == "walk":
        own = with_step(recipe, library.evaluation(material).inputs.photograph)
        changes |= own | with_step(recipe.with_changes(own) if own else recipe, key)
    elif role == "part":
        changes |= register_file(library.evaluation(material), key, "join")[0]
    elif role == "all_lights":
        changes["gather.lights.all_lights"] = key
    elif role == "base_color":
        changes["gather.maps.base_color"] = None if key == first else key
        if key == first:
            changes["gather.maps.colour"] = None
        changes |= place_exchanged(library.evaluation(material), key)
    elif key == first and not chosen.base_color and role:
        raise BadSetting(
            f"{info['file']} brings the colour.", remedy="Make another file the photograph first.", setting="role"
        )
    elif role:
        channels = tuple(packed_channels(named(info["file"]).word or "orm").items())
        guess = Guess(role, "", "minus" if chosen.normal_y == "minus" else "plus", channels)
        changes |= assignment(key, guess)
    return changes, f"{info['file']}: {LABELS.get(role, 'not used')}"
