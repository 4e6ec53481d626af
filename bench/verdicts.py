"""Verdicts against what people see: right and wrong sets, good and broken tiles, what catches the eye, counted pieces.

Cases and what was seen in them stand in verdicts.tsv. Those named real/… need pictures that do not ship with the
program, and are passed over, by name, where these are not there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.check.registry import RULES
from amber_thicket.core.check.rules import tiling_joins
from amber_thicket.core.gather.features import count_features
from amber_thicket.core.gather.triage import triage
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.raster import Pixels
from amber_thicket.core.square.propose import propose
from amber_thicket.core.tile.broken_pieces import broken_pieces
from amber_thicket.core.tile.pieces import find_pieces
from amber_thicket.core.tile.repeat_artifacts import ALARM, PERHAPS, find_repeats
from amber_thicket.service.broken import broken_by_joins
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.timing import table
from tests.service.test_matrix import OF_FILES, TWINS, right, true_faults
from tests.support import PHOTOGRAPHS, evaluation, linear_photograph, rig_surface, size_of, squared_up, wall

CASES = Path(__file__).with_name("verdicts.tsv")
REAL = Path(__file__).parents[2] / "shared" / "real"
_SIDE = 512


class NotThere(Exception):
    """A picture that does not ship with the program is not there."""


def cases() -> list[tuple[str, str, str, str]]:
    """(case, rule, wanted, what was seen)."""
    lines = CASES.read_text().splitlines()
    return [tuple(line.split("\t")) for line in lines if line and not line.startswith("#")]  # type: ignore[misc]


@lru_cache(maxsize=8)
def picture(name: str) -> Pixels:
    """A photograph, a colour of the capture rig, or a real surface. Raises NotThere."""
    if name in PHOTOGRAPHS:
        return linear_photograph(name)
    if name in KINDS:
        return np.ascontiguousarray(rig_surface(name, 1024, 4).albedo, np.float32)
    path = REAL / f"{name.removeprefix('real/')}_base_color.jpg"
    codes = cv2.imread(str(path)) if path.is_file() else None
    if codes is None:
        raise NotThere(name)
    return decode_srgb(np.ascontiguousarray(codes[..., ::-1]))


def files(case: str) -> str:
    """The gravest level of what was asked for, less what is wrong with it by its format alone."""
    kind, name, *profile = case.split("/")
    if kind == "right":
        of = right(name, PROFILES[profile[0]], "png", "16")
        found = {(rule.id, f.level) for rule in OF_FILES for f in rule.look(of)}
        found = {(rule, level) for rule, level in found if rule not in true_faults(of)}
    else:
        make, rules = TWINS[name]
        for material, id in (("plain", "separate_y_plus"), ("plain", "gltf")):
            twin = make(right(material, PROFILES[id], "png", "16"))
            if twin is not None:
                break
        assert twin is not None
        found = {(rule.id, f.level) for rule in RULES if rule.id in rules for f in rule.look(twin)}
    return next((level for level in ("blocked", "attention") if level in {one for _, one in found}), "pass")


def joins(case: str) -> str:
    """The level of the joins of a tile."""
    name, _, how = case.rpartition("/")
    if name == "wall":
        width, height = {"whole bricks": (500, 480), "half a brick off": (530, 480)}.get(how, (500, 500))
        y, x = np.mgrid[0:height, 0:width]
        cut = broken_pieces(np.stack([x, y], -1).astype(np.float64), find_pieces(wall()))
        return "attention" if cut.count else "pass"
    pixels = picture(name)
    height, width = pixels.shape[:2]
    changes: dict[str, Any] = {"tile__join__method": "cut"}
    if how == "whole":
        pixels = np.ascontiguousarray(np.tile(pixels, (2, 2, 1))[: int(1.25 * height), : int(1.25 * width)])
        changes |= {"tile__join__overlap_x": 25.0, "tile__join__overlap_y": 25.0}
    elif how == "lattice":
        corners = squared_up(propose(pixels))
        found = suggestion(evaluation(pixels, **size_of(_SIDE), **corners))
        changes = {**corners, **found.changes}
    elif name.startswith("real/"):
        pixels = np.ascontiguousarray(pixels[: int(0.72 * height), int(0.1 * width) : int(0.82 * width)])
    told = broken_by_joins(evaluation(pixels, **size_of(_SIDE), **changes))
    return tiling_joins.judged(told) if told else "pass"


def _noise(stretch: float, finest: float) -> Pixels:
    grain = np.random.default_rng(3).standard_normal((256, 256)).astype(np.float32)
    soft = cv2.GaussianBlur(np.tile(grain, (3, 3)), (0, 0), finest, sigmaY=finest * stretch)[256:512, 256:512]
    return np.repeat((0.3 * (1 + 0.25 * soft / soft.std()))[..., None], 3, -1).clip(0.01, 1).astype(np.float32)


def _tile(name: str) -> Pixels:
    """A tile to look at, (H, W, 3)."""
    kind, _, what = name.partition("/")
    if kind == "noise":
        return _noise(*{"fine": (1.0, 1.0), "mid": (1.0, 2.5), "stretched": (4.0, 1.2)}[what])
    if kind == "wall":
        return wall(side=480, across=8, down=16, spread=0.01)
    if kind == "real":
        return picture(name)
    base = {"planted": {"gravel": "gravel", "grass": "grass", "render": "lime_render"}.get(name.split()[-1], "")}.get(
        kind, name
    )
    tile = evaluation(picture(base), **size_of(_SIDE), tile__join__method="cut").layer("base_color", (256, 256)).pixels
    y, x = np.mgrid[0:256, 0:256].astype(np.float32)
    if "pale" in what:
        return _spot(tile, x, y, 16, 1.7)
    if "dark" in what:
        return _spot(tile, x, y, 22, 0.55)
    if "bright" in what:
        return _spot(tile, x, y, 7, 2.2)
    if "crack" in what:
        line = np.exp(-0.5 * ((y - 128 - 8 * np.sin(x / 17)) / 1.2) ** 2) * (np.abs(x - 128) < 60)
        return np.asarray(tile * (1 - 0.75 * line[..., None]), np.float32)
    if "blotches" in what:
        wave = np.sin(x * np.pi / 128 + 1) * np.cos(y * np.pi / 128)
        return np.asarray(tile * (1 + 0.5 * wave[..., None]), np.float32)
    return tile


def _spot(tile: Pixels, x: Pixels, y: Pixels, radius: float, gain: float) -> Pixels:
    inside = 1 / (1 + np.exp((np.hypot(x - 90, y - 120) / radius - 1) / 0.06))
    return np.asarray(tile * (1 + inside[..., None] * (gain - 1)), np.float32)


def giveaways(case: str) -> str:
    figure = find_repeats(_tile(case)).figure
    return "attention" if figure >= ALARM else "unknown" if figure >= PERHAPS else "pass"


def features(case: str) -> str:
    """The count, or that it cannot be told."""
    if case.startswith("wall"):
        across, down = (int(part) for part in case.removeprefix("wall ").split(" x "))
        pixels = wall(across=across, down=down)
    else:
        pixels = picture(case)
    found = count_features(pixels)
    return "cannot tell" if found.across is None else f"{found.across:g} x {found.down:g}"


def _shot(name: str) -> Pixels:
    base, _, how = name.partition("/")
    if base == "slate":
        stand = Stand(tilt=-35, pan=9, roll=2, picture=(1200, 900), distance=1.35) if how == "tilted" else None
        surface = rig_surface("slate_shingles", 1536 if stand else 1024, 5)
        return decode_srgb(photograph(surface, Shot(), np.random.default_rng(1), stand))
    if base == "render":
        shot = Shot(bearing=100, elevation=25, sky=0.3) if how == "low sun" else Shot(sun=0.1, sky=1.2, elevation=70)
        return decode_srgb(photograph(rig_surface("lime_render", 768, 3), shot, np.random.default_rng(1)))
    pixels = picture(base)
    strip = {"mirrored strip": pixels[:50][::-1], "smeared strip": np.repeat(pixels[:1], 50, 0)}.get(how)
    return pixels if strip is None else np.concatenate([strip, pixels])


def _triaged(*names: str) -> Callable[[str], str]:
    def level(case: str) -> str:
        told = {f["what"] for f in triage(_shot(case), bits=8, floating=False) if f["level"] == "attention"}
        return "attention" if told & set(names) else "pass"

    return level


LOOKS: dict[str, Callable[[str], str]] = {
    "files": files,
    "tiling.joins": joins,
    "tiling.giveaways": giveaways,
    "triage.features": features,
    "triage.tilt": _triaged("Tilt"),
    "triage.light": _triaged("Light from one side"),
    "triage.strips": _triaged("Mirrored edge", "Smeared edge"),
}


def outcome(rule: str, wanted: str, told: str) -> str:
    """ "right", "caught", "missed", "false alarm", "false block" or "perhaps"."""
    if rule == "triage.features":
        if wanted == told == "cannot tell":
            return "right"
        if "cannot tell" in (wanted, told):
            return "false alarm" if wanted == "cannot tell" else "missed"
        pairs = zip(wanted.split(" x "), told.split(" x "), strict=True)
        return "right" if all(abs(float(b) / float(a) - 1) <= 0.4 for a, b in pairs) else "missed"
    if told == "unknown":
        return "perhaps"
    if wanted == "wrong":
        return "caught" if told in ("attention", "blocked") else "missed"
    return {"blocked": "false block", "attention": "false alarm"}.get(told, "right")


def run(side: int = 0) -> None:
    """Prints, per rule, what was caught, missed and accused wrongly, and every case that came out otherwise."""
    counted: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    otherwise, away = [], []
    for case, rule, wanted, seen in cases():
        try:
            told = LOOKS[rule](case)
        except NotThere:
            away.append(case)
            continue
        result = outcome(rule, wanted, told)
        counted[rule][result] += 1
        if result not in ("right", "caught"):
            otherwise.append(f"  {rule}, {case}: {result}, “{told}”; {seen}")
    names = ("right", "caught", "perhaps", "missed", "false alarm", "false block")
    rows = [[rule, *(str(counts[name]) for name in names)] for rule, counts in counted.items()]
    table("Verdicts against what people see", ["rule", *names], rows)
    print("\n".join(otherwise))
    wrong = sum(counts["caught"] + counts["missed"] for counts in counted.values())
    caught = sum(counts["caught"] for counts in counted.values())
    blocks = sum(counts["false block"] for counts in counted.values())
    print(f"{100 * caught / max(wrong, 1):.0f} % of wrong caught, {blocks} false blocks")
    if away:
        print(f"Not there, passed over: {len(away)} cases with pictures that do not ship with the program.")
