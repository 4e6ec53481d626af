"""How a sample is best made to tile: what repeats in it, and the settings that follow."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from amber_thicket.core.gather.tilt import OFF_STRAIGHT
from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side, output_size
from amber_thicket.core.raster import Pixels
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.shading.raking import ONE_SIDE, Raking, raking
from amber_thicket.core.square.crop import looked_up
from amber_thicket.core.square.propose import ENOUGH, rough_tilt
from amber_thicket.core.square.view import view_of
from amber_thicket.core.synthesis.lattice import SIDE, Lattice, find
from amber_thicket.core.tile.fit import Fit, whole_repeats
from amber_thicket.core.tile.noiselike import Noiselike, noiselike
from amber_thicket.core.tile.pieces import NONE, Pieces
from amber_thicket.service.broken import broken_by_joins, pieces_of_sample

_NEAR, _POOR = 0.012, 0.45
_BREAKS = "Mixing patches would break the pattern that returns."
_BREAKS_PIECES = "Mixing patches would break its pieces."
_NO_PIECES = "No joints stand out in it (contrast {:.1f}), so there are no pieces to keep whole."
# Joints are followed from this contrast on, where a px of join costs no more than this; whole repeats give way to that
# where they break so many pieces, or as much of the joins (%) runs through some.
_OFFERED, _DEAR, _FEW, _MOST = 3.15, 0.9, 2, 5.0
# As far pieces may be stretched for whole repeats.
_STRETCHED = 0.05
# Not where as much of the pieces would be broken all the same.
_SOME = 0.03
# From this contrast on, or where a px costs no more than this, that is so sure that nobody has to look first.
_SURE, _CHEAP = 4.5, 0.65
# What lies any way round in a light from no one side is laid anew from its parts where so many pieces of the usual
# width fit into the sample; fewer are large beside those parts, and their joints are followed.
_SMALL = 100
_EDGES = ("left", "top", "right", "bottom")


@dataclass(frozen=True)
class Suggestion:
    """method: of tile.join. reason: in words. changes: settings that follow it; empty when they are so already.
    grid: where the repeats lie in the flattened picture, in 0..1: the tile's left, top, right, bottom, and one period
    across and down (0 where nothing returns); None without a lattice. against_mixing: why the stochastic method is not
    offered; against_joints: why following joints is not; empty where it is. square_first: its lines lie askew, so no
    method can do well yet. sure: whether it can be taken without a look."""

    method: str
    reason: str
    changes: dict[str, Any]
    grid: dict[str, Any] | None
    against_mixing: str
    square_first: bool = False
    against_joints: str = ""
    sure: bool = True


def suggestion(evaluation: Evaluation) -> Suggestion:
    """The method that suits the sample, with the reason. Same settings, same answer."""
    # As the method Joints sees them: overlaps of another method do not change the answer.
    pieces = pieces_of_sample(evaluation.with_changes({"tile.join.method": "joints"}))
    against = _NO_PIECES.format(pieces.contrast) if pieces.contrast < NONE else ""
    return replace(_suggested(evaluation, pieces), against_joints=against)


def _suggested(evaluation: Evaluation, pieces: Pieces) -> Suggestion:
    recipe = evaluation.recipe
    if recipe.settings("tile.join").method == "none" and recipe.settings("tile.join").tiles:
        return Suggestion("none", "Its edges meet already.", {}, None, "")
    used = [recipe.settings(name).model_dump() for name in ("square.flat", "square.lens", "square.crop")]
    key = f"tiling/{evaluation.gathered_key(SIDE)}/{used}"
    crop: Pixels = evaluation.memory.get(f"{key}/crop", lambda: _whole_crop(evaluation))
    found: Lattice = evaluation.memory.get_persistent(key, lambda: find(crop))
    lattice = found.scaled(_crop_size(evaluation)[0] / crop.shape[1])
    width, height = output_size(recipe)
    fit = whole_repeats(lattice, _crop_size(evaluation), width / height)
    if fit is None:
        noise: Noiselike = evaluation.memory.get_persistent(f"{key}/noise", lambda: noiselike(crop))
        if not any(axis.returns for axis in lattice.axes):
            order, degrees = evaluation.memory.get(f"{key}/tilt", lambda: rough_tilt(crop))
            if order > ENOUGH and degrees > OFF_STRAIGHT:
                return _askew(degrees, noise)
        # What lies any way round is strewn, whole, unless its joints are evident or its pieces large.
        small = pieces.labels.size >= _SMALL * pieces.typical**2 or not pieces.evident
        strewn = noise.loose and small and pieces.contrast < _SURE and _loose(evaluation, noise)[0] == "strew"
        along = None if strewn else _along_joints(evaluation, pieces, noise)
        return along or _without(evaluation, lattice, noise, pieces)
    whole = _with(evaluation, lattice, fit)
    both = all(axis.returns for axis in lattice.axes)
    told = _breaks(evaluation, whole.changes, pieces, both)
    if whole.changes and abs(fit.stretch - 1) > _STRETCHED:
        told = told or f"Whole repeats would stretch it by {abs(fit.stretch - 1) * 100:.0f} %."
    along = _along_joints(evaluation, pieces, None, told) if told else None
    # Cropped to its repeats it may show pieces that did not stand out before; along a way it does not return, it is cut
    # anywhere.
    cut = _cuts(evaluation, whole.changes, both) if not along and (pieces.contrast >= NONE or not both) else {}
    if cut and not both and pieces.contrast < _OFFERED:
        return replace(whole, reason=f"{whole.reason} {_try_joints(_doubt(pieces))}", sure=False)
    return along or replace(whole, sure=cut.get("pieces") != "yes")


def _doubt(pieces: Pieces) -> str:
    return f"Whether it has pieces cannot be told (contrast {pieces.contrast:.1f})"


def _try_joints(doubt: str) -> str:
    return f"{doubt}: if stones come out cut, try joints."


def _breaks(evaluation: Evaluation, changes: dict[str, Any], pieces: Pieces, both_ways: bool) -> str:
    """What whole repeats would break, in words; empty where they break nothing to speak of."""
    if pieces.contrast < _OFFERED or not pieces.evident:
        return ""
    found = _cuts(evaluation, changes, both_ways)
    return f"Whole repeats would break {found['count']} of {found['shown']} pieces." if found else ""


def _cuts(evaluation: Evaluation, changes: dict[str, Any], both_ways: bool = False) -> dict[str, Any]:
    """What a way to join cuts of what are pieces, or may be; empty where it is nothing to speak of. both_ways: it
    returns across and down; courses that return one way are cut anywhere along the other."""
    found = broken_by_joins(evaluation.with_changes(changes))
    # Cropped to few repeats it may be too few pieces to tell; that it has some is known.
    few = _FEW if both_ways else 1
    if "count" not in found or (found["count"] < few and 100 * found["share"] <= _MOST):
        return {}
    return found


def _along_joints(evaluation: Evaluation, pieces: Pieces, noise: Noiselike | None, told: str = "") -> Suggestion | None:
    """Joins that follow joints, where there are pieces and steps at which that goes well; None where not."""
    if pieces.contrast < _OFFERED or not pieces.evident:
        return None
    reason = f"Pieces stand out from their joints (contrast {pieces.contrast:.1f}, pieces have {_OFFERED} and more)."
    return _between(evaluation, pieces, noise, f"{told} {reason}" if told else reason)


def _between(evaluation: Evaluation, pieces: Pieces, noise: Noiselike | None, reason: str) -> Suggestion | None:
    """Joins between pieces, for a reason, where there are steps at which that goes well; None where not."""
    joined = evaluation.with_changes({"tile.join.method": "joints"})
    came = joined.decided(BY_ID["tile.join"]).evidence
    if "trimmed" not in came or came["price"] > _DEAR or came["broken"] > _SOME * came["pieces"]:
        return None
    # As laid, which may be worse than the plan by itself.
    broken, trimmed = broken_by_joins(joined).get("count", came["broken"]), came["trimmed"] + came["strips"]
    if broken:
        reason += f" Joins can run between most of them: {broken} broken, {trimmed} of {came['pieces']} trimmed."
    else:
        reason += f" Joins can run between them: none broken, {trimmed} of {came['pieces']} trimmed."
    now = evaluation.recipe.settings("tile.join").method
    against = _BREAKS if noise is None or not noise.holds else _BREAKS_PIECES
    changes = {} if now == "joints" else {"tile.join.method": "joints"}
    sure = pieces.evident and (pieces.contrast >= _SURE or came["price"] <= _CHEAP)
    return Suggestion("joints", reason, changes, None, against, sure=sure)


def _crop_size(evaluation: Evaluation) -> tuple[float, float]:
    """Width and height of the crop in px of the flattened picture."""
    edges = evaluation.recipe.settings("square.crop")
    width, height = evaluation.view().size
    return (edges.right - edges.left) / 100 * width, (edges.bottom - edges.top) / 100 * height


def _whole_crop(evaluation: Evaluation) -> Pixels:
    """All of the crop, flattened, SIDE px long at the most."""
    pixels = evaluation.gathered(SIDE).pixels
    recipe = evaluation.recipe
    view = view_of(recipe.settings("square.flat"), recipe.settings("square.lens"), (pixels.shape[1], pixels.shape[0]))
    edges = recipe.settings("square.crop")
    width, height = view.size
    box = (edges.left / 100 * width, edges.top / 100 * height, edges.right / 100 * width, edges.bottom / 100 * height)
    scale = SIDE / max(box[2] - box[0], box[3] - box[1])
    size = (max(16, round((box[2] - box[0]) * scale)), max(16, round((box[3] - box[1]) * scale)))
    return looked_up(pixels, view, box, size, "sharp", least=0)


def _with(evaluation: Evaluation, lattice: Lattice, fit: Fit) -> Suggestion:
    recipe = evaluation.recipe
    edges, join = recipe.settings("square.crop"), recipe.settings("tile.join")
    finest = [axis.finest if axis.returns else 0.0 for axis in lattice.axes]
    view = evaluation.view()
    sizes = evaluation.sizes(output_size(recipe))
    sample = evaluation.sample_box(sizes.work)
    tile = (
        (sample[2] - sample[0]) * sizes.tile.width / sizes.work.width,
        (sample[3] - sample[1]) * sizes.tile.height / sizes.work.height,
    )
    counts = [t / p if p else 0.0 for t, p in zip(tile, finest, strict=True)]
    whole = all(
        abs(n - round(n)) < _NEAR * max(n, 1) and (round(n) > 0 or p == 0) for n, p in zip(counts, finest, strict=True)
    )
    if join.method == "lattice" and whole:
        box = [sample[0] / view.size[0], sample[1] / view.size[1]]
        box += [box[0] + tile[0] / view.size[0], box[1] + tile[1] / view.size[1]]
        words = _counted(round(counts[0]), round(counts[1]))
        return Suggestion("lattice", f"The tile holds {words}.", {}, _grid(box, finest, view.size), _BREAKS)
    spans = [t * (1 + o) for t, o in zip(fit.tile, fit.overlap, strict=True)]
    middle = [(edges.left + edges.right) / 200 * view.size[0], (edges.top + edges.bottom) / 200 * view.size[1]]
    low = [m - s / 2 for m, s in zip(middle, spans, strict=True)]
    box = [low[0], low[1], low[0] + spans[0], low[1] + spans[1]]
    per_cent = [100 * value / view.size[i % 2] for i, value in enumerate(box)]
    changes: dict[str, Any] = {
        f"square.crop.{edge}": round(min(max(v, 0), 100), 4) for edge, v in zip(_EDGES, per_cent, strict=True)
    }
    stretch = recipe.settings("square.flat").stretch * fit.stretch
    changes |= {
        "square.flat.stretch": round(stretch, 5) if abs(stretch - 1) > 5e-4 else None,
        "tile.join.method": "lattice",
        "tile.join.overlap_x": round(fit.overlap[0] * 100, 3),
        "tile.join.overlap_y": round(fit.overlap[1] * 100, 3),
    }
    sample_mm = recipe.settings("square.size").sample_mm
    if sample_mm:
        share = sizes.work.share
        changes["square.size.sample_mm"] = round(sample_mm * spans[0] * share / (sample[2] - sample[0]), 2)
    if join.pattern != 100:
        # All of the crop is made the tile, as it was measured.
        changes["tile.join.pattern"] = None
    shares = [box[0] / view.size[0], box[1] / view.size[1]]
    shares += [shares[0] + fit.tile[0] / view.size[0], shares[1] + fit.tile[1] / view.size[1]]
    reason = f"{_returns(lattice)} {_counted(*fit.repeats).capitalize()} fit the tile"
    stretched = abs(fit.stretch - 1) * 100
    reason += f"; the picture is stretched by {stretched:.1f} % for it." if changes["square.flat.stretch"] else "."
    return Suggestion("lattice", reason, changes, _grid(shares, finest, view.size), _BREAKS)


def _without(evaluation: Evaluation, lattice: Lattice, noise: Noiselike, pieces: Pieces) -> Suggestion:
    join = evaluation.recipe.settings("tile.join")
    method, known = "cut", True
    if any(axis.returns for axis in lattice.axes):
        reason = f"{_returns(lattice)} But no whole number of repeats leaves room to overlap: crop less of it away."
    else:
        most = max(axis.prominence for axis in lattice.axes)
        reason = f"Nothing in it returns at regular steps (prominence {most:.2f}, a lattice has 0.2 and more)."
        method, more = _loose(evaluation, noise)
        reason = f"{reason} {more}"
    whole = pieces.evident and method != "stochastic"
    if whole:
        method = "regrow"
        reason += f" Pieces stand out (contrast {pieces.contrast:.1f}): it is laid anew from parts of it, none is cut."
    elif method in ("cut", "regrow") and pieces.contrast >= _OFFERED:
        reason += " The lines that stand out part few pieces, as veins do; if they are joints, try joints."
    elif method != "stochastic" and NONE <= pieces.contrast < _OFFERED:
        doubt = _doubt(pieces)
        tried = {"tile.join.method": method} | ({"tile.join.whole": True} if method == "strew" else {})
        cut = {} if method == "regrow" else _cuts(evaluation, tried)
        if cut:
            asked = f"{doubt}; a cut would run through {cut['count']} of what may be {cut['shown']}."
            if method == "strew":
                asked = f"{doubt}; strewn, {cut['count']} of what may be {cut['shown']} would be cut."
            between = _between(evaluation, pieces, noise, asked)
            if between:
                return between
        known = not cut
        reason = f"{reason} {_try_joints(doubt)}"
    changes: dict[str, Any] = {} if join.method == method else {"tile.join.method": method}
    if not join.whole and (whole or (method == "strew" and changes)):
        changes["tile.join.whole"] = True
    sure = whole or (known and method != "regrow" and not (method == "strew" and "hardly" in reason))
    return Suggestion(method, reason, changes, None, _kept_from(lattice, noise), sure=sure)


def _askew(degrees: float, noise: Noiselike) -> Suggestion:
    reason = f"Its lines lie {degrees:.0f}° off straight on, so nothing returns at regular steps."
    reason = f"{reason} Once it is squared, it is looked at anew."
    return Suggestion("cut", reason, {}, None, _BREAKS if noise.holds else noise.reason, square_first=True)


def _loose(evaluation: Evaluation, noise: Noiselike) -> tuple[str, str]:
    """The method for a surface without a lattice, and why."""
    if noise.holds:
        return "stochastic", noise.reason
    if noise.loose:
        light = _side_lit(evaluation)
        loose = "It is made of loose pieces that lie any way round, in light"
        if light.weight == 0:
            return "strew", f"{loose} from no one side."
        if light.weight <= ONE_SIDE:
            return "strew", f"{loose} that hardly comes from one side ({light.weight:.2f} along {light.bearing:.0f}°)."
    mismatch = (
        evaluation.with_changes({"tile.join.method": "cut"}).decided(BY_ID["tile.join"]).evidence["join_mismatch"]
    )
    if mismatch >= _POOR:
        return "regrow", f"A cut would differ by {mismatch:.2f} of random places along its joins (good is {_POOR})."
    return "cut", f"A cut differs by only {mismatch:.2f} of random places along its joins."


def _side_lit(evaluation: Evaluation) -> Raking:
    """From which side the sample is lit; asked for at every change and told once for each sample."""
    size = fit_side(evaluation.recipe, PLAN_SIDE)
    key = f"tiling/lit/{evaluation.key('squared', size)}"
    light: Raking = evaluation.memory.get(key, lambda: raking(evaluation.layer("squared", size).pixels))
    return light


def _kept_from(lattice: Lattice, noise: Noiselike) -> str:
    """Why mixing patches would not do; empty where it would."""
    if any(axis.returns for axis in lattice.axes):
        return _BREAKS
    return "" if noise.holds else noise.reason


def _returns(lattice: Lattice) -> str:
    parts = [
        f"{axis.finest:.0f} px {way} (prominence {axis.prominence:.2f})"
        for axis, way in zip(lattice.axes, ("across", "down"), strict=True)
        if axis.returns
    ]
    return f"The pattern returns every {' and '.join(parts)}."


def _counted(across: int, down: int) -> str:
    if across and down:
        return f"{across} × {down} repeats"
    return f"{across or down} repeat{'s' if (across or down) != 1 else ''} {'across' if across else 'down'}"


def _grid(box: list[float], finest: list[float], size: tuple[float, float]) -> dict[str, Any]:
    return {"box": box, "period": [p / s for p, s in zip(finest, size, strict=True)]}
