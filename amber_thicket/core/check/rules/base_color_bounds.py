"""Darkest and brightest base colour."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from amber_thicket.core.check.rule import Finding, Fix, Rule, Subject, box_of


def look(subject: Subject) -> Iterable[Finding]:
    codes = subject.codes("base_color")
    if codes is None or subject.metal:
        return
    low = 50 if subject.recipe.settings("check.limits").base_color == "strict" else 30
    grey = codes.astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    dark, bright = (float(v) for v in np.percentile(grey, (0.5, 99.5)))
    mask = (grey < low) | (grey > 240)
    share = float(mask.mean())
    bad = dark < low or bright > 240
    exposure = subject.recipe.settings("even.original").exposure
    fix = None
    if bad and (dark < low) != (bright > 240):
        stops = 2.2 * float(np.log2((low + 4) / max(dark, 1) if dark < low else 236 / bright))
        wanted = round(float(np.clip(exposure + stops, -3, 3)), 2)
        reach = bright * (low + 4) / max(dark, 1) if dark < low else dark * 236 / bright
        # Only offered when the other end stays inside as well.
        fix = (
            Fix("Set the exposure", {"even.original.exposure": wanted}) if low <= reach <= 240 or dark >= low else None
        )
    yield Finding(
        "attention" if bad else "pass",
        f"{dark:.0f}–{bright:.0f}, {share * 100:.1f} % outside",
        f"{low}–240",
        map="base_color",
        box=box_of(mask) if bad else None,
        fix=fix,
    )


RULE = Rule(
    id="base_color.bounds",
    title="Base colour lies in the believable bounds",
    why="Hardly any surface but metal reflects less than charcoal or more than snow; values beyond break lighting.",
    source="measured albedo charts; limits 30–240 (strict 50–240), common practice, no source",
    look=look,
)
