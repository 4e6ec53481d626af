"""A newcomer who only does what *Next step* says, on captures made for this alone: what is pressed, and how each ends.

What has a button that does it is pressed. What nothing mends and only wants attention is looked at in Check and let be,
as its guide says; what it was is printed. What else somebody would have to look at is left as it is. At the end it is
packed.
"""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from amber_thicket.core.settings import as_plain
from amber_thicket.service.bake import check, pack
from amber_thicket.service.next_steps import NextStep, next_steps
from amber_thicket.service.pictured import triage_of
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.timing import table
from tests.support import encoded, temporary_library

# Kinds, seeds and light no other bench and no test uses together.
_SHOTS = (
    (
        "slate_shingles",
        91,
        Shot(bearing=70, elevation=38),
        Stand(tilt=-26, pan=9, roll=2.5, distance=1.3, picture=(1300, 1000)),
    ),
    ("lime_render", 92, Shot(bearing=150, elevation=34, fall_off=0.5, vignette=0.15), None),
    ("deck_planks", 93, Shot(bearing=80, elevation=50), None),
    ("cork_board", 94, Shot(bearing=100, elevation=52, sky=0.8), None),
    ("tide_pebbles", 95, Shot(bearing=110, elevation=55, sky=0.8), None),
    ("coir_matting", 96, Shot(bearing=120, elevation=50, sky=0.7), None),
)
_MOST = 20
# As the page has it.
_TRIES = 5


def run(side: int) -> None:
    """side: px of the captures; 1200 where it is 0."""
    side = side or 1200
    rows: list[list[str]] = []
    with temporary_library() as library:
        for kind, seed, shot, stand in _SHOTS:
            codes = photograph(KINDS[kind](side, seed), shot, np.random.default_rng(seed), stand)
            size = {"square.size.width": 1024, "square.size.height": 1024}
            material = library.add([encoded(codes)], f"{kind}.png", changes=size)
            rows.append([kind, *_followed(library, str(material.id))])
            print(*rows[-1], sep=" | ", flush=True)
    table(
        "A newcomer who does what comes next",
        ["capture", "before", "pressed", "left", "after", "files", "s", "what"],
        rows,
    )


def _followed(library: Any, id: str) -> list[str]:
    """What a newcomer does with one material: findings before, buttons pressed, things left, findings after."""
    began, pressed, left, tried = time.perf_counter(), [], set[str](), list[NextStep]()
    before = ""
    done: tuple[NextStep, int, int] | None = None
    for _ in range(_MOST):
        material = library.get(id)
        evaluation = library.evaluation(material)
        findings = check(evaluation, material.name)
        before = before or _levels(findings)
        blocked, open = _count(findings, "blocked"), _count(findings, "blocked") + _count(findings, "attention")
        evident = done and (done[0].id == "corners" or done[0].label.startswith("Use"))
        if done and (blocked > done[1] or (blocked == done[1] and open > done[2] and not evident)):
            # As the page says it: it made it worse, and is taken back.
            pressed.append("Take it back")
            left.add(f"{done[0].id}: {done[0].words}")
            library.undo(id, material.revision)
            done = None
            continue
        done = None
        steps = next_steps(evaluation, findings, triage_of(material, evaluation))
        step = next((one for one in steps if f"{one.id}: {one.words}" not in left), None)
        if step is None:
            break
        before_it = [one for one in tried if one.id == step.id]
        if step.changes and len(before_it) < _TRIES and step.words not in {one.words for one in before_it}:
            tried.append(step)
            pressed.append(step.label)
            library.edit(id, material.revision, step.changes, label=step.label, gesture="")
            done = (step, blocked, open)
        else:
            left.add(f"{step.id}: {step.words}")
            seen = [f for f in findings if (f["rule"], f["map"], f["level"]) == (step.rule, step.map, "attention")]
            if seen:
                now = as_plain(evaluation.recipe.settings("check.limits").waived)
                more = [
                    {"map": f["map"] or "", **{key: f[key] for key in ("rule", "ratio", "measured", "box")}}
                    for f in seen
                ]
                library.edit(id, material.revision, {"check.limits.waived": [*now, *more]}, label="Let be", gesture="")
                pressed += ["See it in Check", *["Let it be"] * len(seen)]
                for one in seen:
                    print("  let be:", one["rule"], one["map"], one["measured"], flush=True)
    after = _levels(findings)
    packed = sum(1 for _ in pack(evaluation, material.name, lambda _share, _what: None))
    for one in findings:
        if one["level"] in ("blocked", "attention"):
            print("  left:", one["rule"], one["map"], one["measured"], flush=True)
    return [
        before,
        str(len(pressed)),
        str(len(left)),
        after,
        str(packed),
        f"{time.perf_counter() - began:.0f}",
        ", ".join(pressed),
    ]


def _levels(findings: list[dict[str, Any]]) -> str:
    return f"{_count(findings, 'blocked')} blocked, {_count(findings, 'attention')} attention"


def _count(findings: list[dict[str, Any]], level: str) -> int:
    return sum(one["level"] == level for one in findings)
