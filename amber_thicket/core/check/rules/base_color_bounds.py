"""Darkest and brightest base colour."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of
from amber_thicket.core.numeric.colour import linear_to_srgb, luminance, srgb_to_linear


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("base_color")
    if codes is None or subject.metal:
        return
    low = 50 if subject.recipe.settings("check.limits").base_color == "strict" else 30
    # In codes of 8 bits, whatever the file has.
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32) * np.float32(255 / np.iinfo(codes.dtype).max)
    grey = codes.astype(np.float32) @ weights
    dark, bright = (float(v) for v in np.percentile(grey, (0.5, 99.5)))
    mask = (grey < low) | (grey > 240)
    share = float(mask.mean())
    bad = dark < low or bright > 240
    fix = _fix(subject, dark < low, bright > 240, low) if bad else None
    yield Finding(
        "attention" if bad else "pass",
        f"{dark:.0f}–{bright:.0f}, {share * 100:.1f} % outside",
        f"{low}–240",
        map="base_color",
        box=box_of(mask) if bad else None,
        fix=fix,
        ratio=max(low / max(dark, 1e-6), bright / 240),
    )


def _fix(subject: Subject, too_dark: bool, too_bright: bool, low: int) -> Fix | None:
    """The exposure that brings one end back, if the other end stays inside as well."""
    if too_dark == too_bright:
        return None
    # Exposure multiplies light, also that which lies beyond the last code.
    light = luminance(subject.maps["base_color"].pixels)
    dark, bright = (max(float(v), 1e-5) for v in np.percentile(light, (0.5, 99.5)))
    lowest, highest = (float(v) for v in srgb_to_linear(np.array([low + 3, 236]) / 255))
    stops = np.log2(lowest / dark) if too_dark else np.log2(highest / bright)
    other = float(linear_to_srgb(np.array((bright if too_dark else dark) * 2**stops))) * 255
    if not low <= other <= 240:
        return None
    wanted = subject.recipe.settings("even.original").exposure + stops
    return Fix("Set the exposure", {"even.original.exposure": round(float(np.clip(wanted, -3, 3)), 2)})


RULE = Rule(
    id="base_color.bounds",
    title="Base colour lies in the believable bounds",
    fault="The colour is darker or brighter than such surfaces are",
    why="Hardly any surface but metal reflects less than charcoal or more than snow; values beyond break lighting.",
    source="measured albedo charts; limits 30–240 (strict 50–240), common practice, no source",
    look=look,
    basis="stored",
)
