"""What the photographs of a light set say about how they were taken, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from amber_thicket.core.gather.lights import FEWEST, MOST, Settings
from amber_thicket.core.lightset import ring
from amber_thicket.core.lightset.stabilize import Stabilization, apply_stabilization, middle
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.settings import as_plain
from amber_thicket.core.shading.one_view import upside_down
from amber_thicket.errors import UnreadableFile

_PART = 768
_BLACK, _SAME = 0.003, 0.0015


@dataclass(frozen=True)
class LightSetReport:
    """changes: settings of gather.lights that follow. told: sentences with a level each ("pass", "attention").
    certain: whether bump and dent were told apart; where not, the user has to say where the first lamp stood.
    confidence: 0..1, of the bearing."""

    changes: dict[str, Any]
    told: tuple[tuple[str, str], ...]
    certain: bool
    confidence: float
    found: ring.Found


def check_light_set(names: Sequence[str], sizes: Sequence[tuple[int, int]], small: Sequence[Pixels]) -> None:
    """Raises UnreadableFile naming the photograph that cannot belong to a light set. small: (h, w, 3) of each."""
    if not FEWEST <= len(names) <= MOST:
        raise UnreadableFile(
            f"A light set has {FEWEST} to {MOST} photographs; these are {len(names)}.",
            remedy="Add photographs under other lamps." if len(names) < FEWEST else "Take some out.",
        )
    usual = max(set(sizes), key=list(sizes).count)
    for name, size in zip(names, sizes, strict=True):
        if size != usual:
            raise UnreadableFile(
                f"{name} is {size[0]} × {size[1]} px, the others {usual[0]} × {usual[1]}.",
                remedy="All photographs of a light set come from one fixed camera: take this one out.",
            )
    for number, (name, one) in enumerate(zip(names, small, strict=True)):
        if float(np.percentile(one, 95)) < _BLACK:
            raise UnreadableFile(f"{name} is black.", remedy="Its lamp was not lit: take it out, or photograph again.")
        for other, before in zip(names[:number], small[:number], strict=True):
            if float(np.mean(np.abs(one - before))) < _SAME:
                raise UnreadableFile(
                    f"{name} shows the same as {other}.", remedy="One lamp was photographed twice: take one out."
                )
    turned = upside_down(small)
    if turned is not None:
        raise UnreadableFile(
            f"{names[turned]} is upside down.",
            remedy="Turn it by half, or take it out: all come from one fixed camera.",
        )


def analyze_light_set(
    photographs: Pixels,
    settings: Settings,
    steady: Stabilization,
    names: Sequence[str],
    all_lights: Pixels | None = None,
) -> LightSetReport:
    """photographs: (N, H, W, 3) linear as shot, of up to some 1500 px, without those that are left out. names: of their
    files, for the sentences. all_lights: (H, W, 3), the photograph lit from all sides, if there is one."""
    lamps = list(settings.frames)
    used = [number for number, lamp in enumerate(lamps) if not lamp.out]
    whole = len(used) == len(lamps)
    report_progress(0.75, "Looking for the order")
    shots = middle(np.stack([apply_stabilization(p, k, steady) for k, p in enumerate(photographs)]), _PART)
    told: list[tuple[str, str]] = []
    changes: dict[str, Any] = {}
    own = any(lamp.bearing is not None for lamp in lamps)
    arranged = ring.Order(None, settings.gap, 1.0) if own or not whole else ring.order(shots, gap=settings.gap)
    if arranged.swapped:
        one, other = arranged.swapped
        lamps[one], lamps[other] = lamps[other], lamps[one]
        order = list(range(len(lamps)))
        order[one], order[other] = other, one
        shots = shots[order]
        changes["gather.lights.frames"] = as_plain(lamps)
        told.append(
            (
                "attention",
                f"{names[one]} and {names[other]} were out of order: exchanged ({arranged.gain:.1f} × better).",
            )
        )
    if arranged.gap:
        told.append(("attention", f"One photograph is missing after number {arranged.gap}."))
    lit = middle(all_lights[None], _PART)[0] if all_lights is not None else None
    slots = None if whole else (used, len(lamps))
    seen = ring.found(shots, elevation=settings.elevation, gap=arranged.gap, slots=slots, all_lights=lit)
    changes |= {
        "gather.lights.first": round(seen.first, 1) % 360.0,
        "gather.lights.direction": "cw" if seen.clockwise else "ccw",
        "gather.lights.gap": arranged.gap,
    }
    confidence = float(np.clip(1 - 3 * seen.curl / max(seen.twisted, 1e-9), 0, 1))
    way = "clockwise" if seen.clockwise else "counter-clockwise"
    told.insert(
        0,
        (
            "pass" if confidence > 0.5 else "attention",
            f"The first lamp stood at {seen.first:.0f}°, the others follow {way}: {confidence:.0%} sure, because the "
            "normals then fit one surface.",
        ),
    )
    if seen.certain:
        told.append(("pass", f"Bumps and dents are told apart by {_by(seen)}."))
    else:
        told.append(
            (
                "attention",
                "Nothing tells bumps from dents here for certain: say on which side the first lamp stood "
                f"({seen.first:.0f}° or {(seen.first + 180) % 360:.0f}°).",
            )
        )
    if seen.elevation is not None and abs(seen.elevation - settings.elevation) > 6:
        told.append(
            ("attention", f"The lamps may have stood at {seen.elevation:.0f}° instead of {settings.elevation:g}°.")
        )
    told += _changed_between(steady, photographs.shape[2], names)
    return LightSetReport(changes, tuple(told), seen.certain, confidence, seen)


def _by(seen: ring.Found) -> str:
    words = {
        "shadows": "cast shadows",
        "all_lights": "recesses that stay dark with all lamps lit",
    }
    return " and ".join(words[name] for name in seen.cues.telling)


def _changed_between(steady: Stabilization, width: int, names: Sequence[str]) -> list[tuple[str, str]]:
    told = []
    for name, shift, gain in zip(names, steady.shifts * width, steady.gains, strict=True):
        if np.any(shift):
            told.append(
                ("attention", f"{name} lay {np.hypot(*shift):.1f} px aside: the camera moved. It is put right.")
            )
        if gain != 1:
            told.append(("attention", f"{name} was exposed {-np.log2(gain):+.1f} stops otherwise. It is put right."))
    return told
