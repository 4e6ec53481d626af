"""What the program finds out about a walk-by: where the camera was held, the surface's plane, and pictures of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import cv2
import numpy as np

from amber_thicket.core.gather.roles import LEAVE_COLOUR
from amber_thicket.core.gather.walk import FEWEST, MOST, Held
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.progress import part_of_progress, progress_to, report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.source import halvings
from amber_thicket.core.square.flat import CORNERS
from amber_thicket.core.square.propose import corners_of, focal_in_widths
from amber_thicket.core.walk.poses import Poses, find_poses, matched
from amber_thicket.core.walk.relief import find_height, how_alike, look_up, places_of
from amber_thicket.core.walk.source import LOOK, WalkBy
from amber_thicket.errors import BadSetting, NotFound, UnreadableFile
from amber_thicket.service.preview import encoded

Shown = Literal["height", "broad", "fine", "agree", "rough"]
# Below so many px of movement between photographs, per relief of 1 % of the width, no parallax is told.
_LEAST_MOVE, _ASKEW = 0.6, 1.5
# Relief, in widths, that hides too much of itself; how alike photographs are that are to be believed, and the share of
# what is usual among them under which one is doubted.
_DEEP, _ALIKE, _DOUBT = 0.09, 0.93, 0.93
# A lens that bends more is straightened in Square.
_BENT = 0.006
_SIDE = 900


def with_step(recipe: Recipe, key: str) -> dict[str, Any]:
    """Settings with one more photograph of a walk-by; what was found before is found anew."""
    frames = recipe.settings("gather.walk").frames
    if key in {frame.file for frame in frames}:
        return {}
    return {"gather.walk.frames": (*frames, Held(file=key)), "gather.walk.normal": None}


def without_step(recipe: Recipe, key: str) -> dict[str, Any]:
    """Settings without a photograph; the others stay where they are."""
    frames = recipe.settings("gather.walk").frames
    kept = tuple(frame for frame in frames if frame.file != key)
    return {"gather.walk.frames": kept} if len(kept) < len(frames) else {}


def walk_found(
    evaluation: Evaluation, names: dict[str, str], say: Callable[[float, str], None] = lambda share, what: None
) -> tuple[dict[str, Any], list[tuple[str, str]]]:
    """(settings, what was found as level and sentence). names: of files, by key.

    say hears how far it is. Raises UnreadableFile naming the photograph that does not belong, BadSetting, Cancelled.
    """

    def heard(share: float, what: str) -> None:
        evaluation.cancel.check()
        say(share, what)

    with progress_to(heard):
        return _found(evaluation, names)


def _found(evaluation: Evaluation, names: dict[str, str]) -> tuple[dict[str, Any], list[tuple[str, str]]]:
    frames = [frame for frame in evaluation.recipe.settings("gather.walk").frames if frame.file in evaluation.files]
    if not FEWEST <= len(frames) <= MOST:
        raise BadSetting(
            f"A walk-by has {FEWEST} to {MOST} photographs; these are {len(frames)}.",
            remedy="Add some from slightly different places, or take some out.", setting="gather.walk.frames",
        )  # fmt: skip
    sources = [evaluation.files[frame.file] for frame in frames]
    size = (sources[0].width, sources[0].height)
    for frame, source in zip(frames, sources, strict=True):
        if (source.width, source.height) != size:
            raise UnreadableFile(
                f"{names.get(frame.file, '')} is {source.width} × {source.height} px, the first {size[0]} × {size[1]}.",
                remedy="All photographs come from one camera with one lens, held the same way up: take this one out.",
            )
    level = halvings(max(size), LOOK)
    photographs = []
    for number, source in enumerate(sources):
        report_progress(0.05 * number / len(sources), "Reading the photographs")
        photographs.append(source.read(level).pixels)
    told_focal = getattr(sources[0], "shot", {}).get("focal_35")
    focal = focal_in_widths(told_focal, size[1] / size[0]) if told_focal else None
    titles = [names.get(frame.file, "") for frame in frames]
    poses = find_poses(matched(photographs), focal, titles, size[0] / size[1])
    moves = _moves(poses, photographs[0].shape)
    if max(moves) < _LEAST_MOVE:
        raise UnreadableFile(
            "The camera only turned or zoomed between these photographs: nothing moves against anything else.",
            remedy="Take a step aside between photographs, or use one of them alone.",
        )
    with part_of_progress(0.3, 0.5, "Looking where the camera was held"):
        poses = find_height(
            photographs, poses, hold_focal=focal is not None, rough=True,
            show=lambda height: evaluation.memory.get(_rough_key(evaluation), lambda: _jpeg(_in_unit(height, 0.5))),
        ).poses  # fmt: skip
    changes = _changes(frames, poses, evaluation)
    # The height itself is worked out once, as everybody will read it.
    with part_of_progress(0.5, 1.0, "Comparing what moved"):
        found = _walked(evaluation.with_changes(changes)).told().parallax
    share = found.share()
    relief = float(np.subtract(*np.percentile(found.height, (99.5, 0.5)))) * found.poses.focal
    deep = (
        f"{len(frames)} photographs tell the height on {100 * share:.0f} % of the picture; it is {100 * relief:.1f} %"
    )
    moved = f"The camera moved by {100 * _aside(found.poses):.0f} % of its distance to the surface; its focal length is"
    told = [
        ("pass" if share > 0.8 else "attention", f"{deep} of the width deep."),
        ("pass", f"{moved} {found.poses.focal:.2f} of the picture's width{'' if focal else ', as it was found'}."),
    ]
    noise = float(np.median(found.spread[found.agree > 0.6])) * found.poses.focal if share > 0 else 1.0
    told += _doubts(how_alike(photographs, found), titles[1:])
    if relief > _DEEP:
        told.append(
            (
                "attention",
                "It is deeper than what a walk-by is for: behind edges the height is made up. Look where sure.",
            )
        )
    if relief < 6 * noise:
        told.append(("attention", "The relief is hardly deeper than what photographs disagree by: step further aside."))
    return changes, told


def _doubts(alike: tuple[float, ...], names: list[str]) -> list[tuple[str, str]]:
    """Photographs that show the surface less alike than the others do."""
    told = []
    for number, (value, name) in enumerate(zip(alike, names, strict=True)):
        others = [other for k, other in enumerate(alike) if k != number]
        usual = float(np.median(others)) if others else _ALIKE
        if value < _DOUBT * usual and value < _ALIKE:
            why = "blurred, lit differently, or matched one repeat off"
            told.append(("attention", f"{name} fits less than the others: {why}. Look at it, and take it out."))
    return told


def _moves(poses: Poses, shape: tuple[int, ...]) -> list[float]:
    """px that a relief of 1 % of the width moves in each photograph after the first."""
    places = places_of((9, round(9 * shape[1] / shape[0])))
    step = 0.01 / poses.focal
    found = []
    for number in range(1, len(poses.cameras)):
        grid = (9, round(9 * shape[1] / shape[0]))
        one, other = (look_up(poses, number, places, np.full(len(places), h), grid) for h in (0.0, step))
        moved = np.hypot(other[0] - one[0], other[1] - one[1]) * shape[1] / grid[1]
        found.append(float(np.median(moved)))
    return found


def _aside(poses: Poses) -> float:
    """How far the camera moved at most, in its distances to the surface."""
    places = [-cv2.Rodrigues(camera.turn)[0].T @ camera.place for camera in poses.cameras]
    return float(max(np.linalg.norm(place) for place in places))


def _changes(frames: list[Held], poses: Poses, evaluation: Evaluation) -> dict[str, Any]:
    """Settings that say what was found: poses, and the corners of the surface where it is not seen straight on."""
    held = [
        Held(
            file=frame.file,
            turn=_three(camera.turn),
            place=_three(camera.place),
        )
        for frame, camera in zip(frames, poses.cameras, strict=True)
    ]
    changes: dict[str, Any] = {
        "gather.walk.frames": held,
        "gather.walk.normal": [round(float(v), 7) for v in poses.normal],
        "gather.walk.focal": round(poses.focal, 5),
        "gather.walk.bend": round(poses.bend, 5),
        **LEAVE_COLOUR,
    }
    lens = evaluation.recipe.settings("square.lens")
    if abs(poses.bend) > _BENT and lens == type(lens)():
        changes["square.lens.k1"] = round(poses.bend, 4)
    flat = evaluation.recipe.settings("square.flat")
    away = float(np.degrees(np.arccos(np.clip(poses.normal[2], -1, 1))))
    if away > _ASKEW and flat.corners == type(flat)().corners:
        width, height = evaluation.inputs.picture.width, evaluation.inputs.picture.height
        for name, (x, y) in zip(CORNERS, corners_of(_onto_plane(poses), height / width), strict=True):
            changes |= {f"square.flat.{name}_x": x, f"square.flat.{name}_y": y}
    return changes


def _three(values: Any) -> tuple[float, float, float]:
    first, second, third = (round(float(value), 7) for value in values)
    return first, second, third


def _onto_plane(poses: Poses) -> Any:
    """(3, 3) from places of the plane to places of the first photograph, from its middle, in widths."""
    normal = poses.normal
    right = np.array([1.0, 0, 0]) - normal[0] * normal
    right /= np.linalg.norm(right)
    down = np.cross(normal, right)
    middle = np.array([0, 0, 1.0]) / normal[2]
    return np.diag([poses.focal, poses.focal, 1.0]) @ np.column_stack([right, down, middle])


def _walked(evaluation: Evaluation) -> WalkBy:
    found = evaluation.inputs.walked
    if found is None:
        raise NotFound(
            "This material has no walk-by whose places were found.", remedy="Find where the camera was held."
        )
    return found


def described(evaluation: Evaluation, names: dict[str, str]) -> dict[str, Any]:
    """The photographs of a walk-by, and what was found of them."""
    settings = evaluation.recipe.settings("gather.walk")
    walked = evaluation.inputs.walked
    rows = []
    for frame in settings.frames:
        place = -cv2.Rodrigues(np.array(frame.turn, np.float64))[0].T @ np.array(frame.place)
        rows.append(
            {"file": frame.file, "name": names.get(frame.file, ""), "aside": [round(float(v), 4) for v in place]}
        )
    return {"frames": rows, "found": walked is not None, "key": walked.key if walked else "", "focal": settings.focal}


def _in_unit(field: Pixels, left: float) -> Pixels:
    """A field spread over 0..1, but for so many per cent at either end."""
    low, high = np.percentile(field, (left, 100 - left))
    return np.asarray(((field - low) / max(float(high - low), 1e-12)).clip(0, 1), np.float32)


def picture(evaluation: Evaluation, what: Shown) -> bytes:
    """The height, what parallax alone says of it, what colour adds to that, how many photographs agree, or the first
    rough height while it is looked for, as JPEG. Raises NotFound."""
    if what == "rough":
        first: bytes | None = evaluation.memory.known(_rough_key(evaluation))
        if first is None:
            raise NotFound("There is no rough height yet.", remedy="Find the height; it comes a few seconds after.")
        return first
    walked = _walked(evaluation)
    told = walked.told()
    if what in ("height", "broad"):
        field = walked.height(walked.look_level()) if what == "height" else _in_unit(told.parallax.height, 0.05)
        shown = field.clip(0, 1)
    elif what == "fine":
        shown = _in_unit(walked.height(walked.look_level()) * (told.high - told.low) - told.parallax.height, 0.5)
    else:
        shown = (told.parallax.agree / (len(walked.frames) - 1)).clip(0, 1)
    return _jpeg(shown)


def _jpeg(shown: Pixels) -> bytes:
    """A field in 0..1 as a grey picture."""
    size = (min(_SIDE, shown.shape[1]), round(min(_SIDE, shown.shape[1]) * shown.shape[0] / shown.shape[1]))
    codes = np.rint(cv2.resize(shown, size, interpolation=cv2.INTER_AREA) * 255).astype(np.uint8)
    return encoded(np.repeat(codes[..., None], 3, -1), "jpg", 88)


def _rough_key(evaluation: Evaluation) -> str:
    frames = evaluation.recipe.settings("gather.walk").frames
    return "walk-rough/" + "/".join(frame.file for frame in frames)
