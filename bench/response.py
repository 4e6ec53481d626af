"""Zones and roughness of photographs, against what surfaces of the bench are made of: how well suggested zones lie on
the true ones, and how far roughness follows the truth and the light."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

import cv2
import numpy as np

from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.response.kinds import KINDS as MADE_OF
from amber_thicket.service.zones import suggested_zones
from amber_thicket.standins.capture_rig.camera import Shot
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface
from amber_thicket.standins.capture_rig.zoned_kinds import ZONED, Zoned
from bench.relief import LIGHTS, photographed
from bench.timing import table
from tests.support import bracketed, size_of

# What zones are told apart by was found on seed 5.
SEEDS = (8, 11)
# Mirrored light of a clear sun: as much as Fresnel's formula leaves of it.
_HARD = 3.0
# What somebody would say the surfaces of the bench are, as a whole.
_WHOLE = {
    "slate_shingles": "slate", "lime_render": "plaster", "coir_matting": "textile", "cork_board": "bark",
    "verdigris_copper": "patina", "deck_planks": "bare_wood", "tide_pebbles": "stone", "tarred_felt": "asphalt",
    "embossed_hide": "leather",
}  # fmt: skip


class Follows(NamedTuple):
    """Correlations of a roughness, −1..1: with the true one, and with the light that falls on the true slopes."""

    truth: float
    light: float


def follows(made: Pixels, surface: Surface, shot: Shot) -> Follows:
    """made: (H, W), on the surface."""
    bearing = np.radians(shot.bearing)
    normal = from_height(surface.height, depth=1.0, wraps=False)
    lit = normal[..., 0] * np.cos(bearing) + normal[..., 1] * np.sin(bearing)
    one, other = (float(np.corrcoef(made.ravel(), field.ravel())[0, 1]) for field in (surface.roughness, lit))
    return Follows(one, other if shot.sun else 0.0)


def with_kinds(zones: list[dict[str, Any]], kinds: list[str]) -> dict[str, Any]:
    """Settings of suggested zones once each is told what it is made of."""
    rows = [{"id": f"z{n}", "parts": [zone["part"]], "kind": kind} for n, (zone, kind) in enumerate(zip(zones, kinds, strict=True))]  # fmt: skip
    rough = {f"z{n}": MADE_OF[kind].changes()["roughness"] for n, kind in enumerate(kinds)}
    return {"response.zones.zones": rows, "response.on_roughness.in_zones": rough}


def overlaps(masks: Pixels, zoned: Zoned) -> tuple[list[float], list[str]]:
    """(intersection over union of each true zone with the one that lies best on it, the kind each suggested zone is
    mostly). masks: (h, w, N)."""
    labels = masks.argmax(-1)
    true = cv2.resize(zoned.zones.astype(np.uint8), labels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    count = masks.shape[-1]
    shares = []
    for number in range(len(zoned.kinds)):
        here = true == number
        shares.append(max(float(((labels == n) & here).sum() / ((labels == n) | here).sum()) for n in range(count)))
    kinds = [zoned.kinds[int(np.bincount(true[labels == n], minlength=1).argmax())] for n in range(count)]
    return shares, kinds


def run(side: int) -> None:
    side = side or 512
    _zones(side)
    _whole(side)
    _brackets(side)


def _zones(side: int) -> None:
    rows: list[list[str]] = []
    figures: list[float] = []
    for name, make in ZONED.items():
        for seed in SEEDS:
            zoned = make(side, seed)
            for light, shot in LIGHTS.items():
                plain = photographed(zoned.surface, shot)
                alone = follows(plain.layer("roughness", (side, side)).pixels, zoned.surface, shot)
                found = suggested_zones(plain)["zones"]
                if not found:
                    rows.append([name, light, "one material", f"{alone.truth:+.2f}", "", f"{alone.light:+.2f}"])
                    continue
                masks = photographed(
                    zoned.surface, shot, **with_kinds(found, ["stone"] * len(found))
                ).layer("zones", (side, side)).pixels  # fmt: skip
                shares, kinds = overlaps(masks, zoned)
                told = photographed(zoned.surface, shot, **with_kinds(found, kinds))
                after = follows(told.layer("roughness", (side, side)).pixels, zoned.surface, shot)
                figures.append(after.truth)
                rows.append([name, light, " ".join(f"{share:.2f}" for share in shares), f"{alone.truth:+.2f}",
                             f"{after.truth:+.2f}", f"{after.light:+.2f}"])  # fmt: skip
                print(" ".join(rows[-1]), flush=True)
    rows.append(["mean", "", "", "", f"{np.mean(figures):+.2f}", ""])
    table("Suggested zones on true ones (IoU), and roughness against the truth, before and after zones are told what they "
          "are", ["surface", "light", "zones", "alone", "with kinds", "light in it"], rows)  # fmt: skip


def _whole(side: int) -> None:
    rows, figures = [], []
    for name, make in KINDS.items():
        surface = make(side, 5)
        cells = []
        for shot in LIGHTS.values():
            old, new, kind = (
                follows(photographed(surface, shot, **more).layer("roughness", (side, side)).pixels, surface, shot)
                for more in ({"response.roughness.reads": "tone"}, {}, MADE_OF[_WHOLE[name]].whole())
            )
            figures.append([old.truth, abs(old.light), new.truth, abs(new.light), kind.truth, abs(kind.light)])
            cells.append(f"{old.truth:+.2f} ({old.light:+.2f}) {new.truth:+.2f} ({new.light:+.2f}) {kind.truth:+.2f}")
        rows.append([name, *cells])
        print(" ".join(rows[-1]), flush=True)
    means = np.mean(figures, axis=0)
    rows.append(["mean", " ".join(f"{value:.3f}" for value in means), "", ""])
    table("Roughness against the truth (and the light): tone and detail, the surface, the surface with its kind",
          ["surface", *LIGHTS], rows)  # fmt: skip


def _brackets(side: int) -> None:
    """Four exposures, two stops apart, in hard light whose glints burn out."""
    rows = []
    for name, make in (*KINDS.items(), *((name, lambda *at, of=of: of(*at).surface) for name, of in ZONED.items())):
        for seed in SEEDS:
            surface = make(side, seed)
            for light in ("low sun", "high sun"):
                shot = replace(LIGHTS[light], gloss=_HARD)
                plain = {"tile.join.method": "none", **size_of(side)}
                ready = bracketed(surface, shot, **plain)
                without = bracketed(surface, shot, **plain, **{"response.roughness.glints": 0.0})
                before, after = (
                    follows(one.layer("roughness", (side, side)).pixels, surface, shot) for one in (without, ready)
                )
                there = "yes" if ready.layer("glints", (side, side)).evidence["glints"] else ""
                rows.append([name, f"{light} {seed}", there, f"{before.truth:+.2f}", f"{after.truth:+.2f}",
                             f"{before.light:+.2f}", f"{after.light:+.2f}"])  # fmt: skip
                print(" ".join(rows[-1]), flush=True)
    table("Roughness of exposure brackets against the truth and the light, without and with their glints",
          ["surface", "light", "glints", "truth", "with", "light", "with"], rows)  # fmt: skip
