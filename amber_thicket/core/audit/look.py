"""Looks at a map set that was made elsewhere: what each file is, what is wrong with it, and what mends it.

Every finding names the settings that put it right; taken together they make the set one that passes.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from amber_thicket.core.audit.polarity import Sides, sides
from amber_thicket.core.check.aligned import ASIDE, OF_TONE, beyond_light, lying_beside, steep
from amber_thicket.core.check.blocks import BLOCKY, blockiness
from amber_thicket.core.check.figures import coded, seam
from amber_thicket.core.gather.registration import RegisteredFile, moved_back
from amber_thicket.core.gather.roles import LEAVE_COLOUR, Guess, assignment, guessed, named
from amber_thicket.core.numeric.colour import srgb_to_linear
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels
from amber_thicket.core.roles import ROLES
from amber_thicket.core.settings import as_plain
from amber_thicket.core.shading.normal_reading import Reading, normal_reading, vectors_as
from amber_thicket.core.shading.raking import raking

Level = Literal["pass", "note", "attention", "blocked", "unknown"]
# Nothing is repaired unasked on less evidence than this.
SURE = 0.5
_SIDE = 1024
_GRADE: dict[Level, int] = {"pass": 0, "note": 0, "unknown": 1, "attention": 1, "blocked": 2}


@dataclass(frozen=True)
class Stored:
    """One file as it was read. key: how settings name it. values: (H, W, 3) stored numbers in [0, 1]; alpha: (H, W) or
    None. levels: how many different values its first channel takes. tagged: the encoding its tags say, "" for none."""

    key: str
    name: str
    values: Pixels
    alpha: Pixels | None
    bits: int
    floating: bool
    format: str
    levels: int
    size: tuple[int, int]
    tagged: Literal["srgb", "linear", ""] = ""


# What every metal/rough renderer reads.
NEEDED = {"base_color": "base colour", "normal": "normal", "roughness": "roughness"}


@dataclass(frozen=True)
class AuditFinding:
    """One thing about one file, or about the set where file is "". sure: 0..1. repair: what mending does, in words;
    changes: the settings that do it. weak: it is not sure enough to be repaired unasked."""

    rule: str
    level: Level
    what: str
    why: str
    file: str = ""
    sure: float = 1.0
    repair: str = ""
    changes: dict[str, Any] = field(default_factory=dict)
    #: Values for programs, as "normal.y": "+".
    values: dict[str, Any] = field(default_factory=dict)

    @property
    def weak(self) -> bool:
        return bool(self.changes) and self.sure < SURE

    @property
    def id(self) -> str:
        """What a repair that is asked for by itself goes by."""
        return f"{self.rule}/{self.file}"


@dataclass
class Judged:
    """A file with the role it was found to have. channel: "" for the whole file."""

    file: Stored
    guess: Guess
    role: str
    channel: str = ""

    @property
    def key(self) -> str:
        return f"{self.file.key}.{self.channel}" if self.channel else self.file.key

    def scalar(self) -> Pixels:
        if self.channel == "a":
            return self.file.alpha if self.file.alpha is not None else np.ones(self.file.values.shape[:2], np.float32)
        return np.ascontiguousarray(self.file.values[..., "rgb".index(self.channel or "r")])


@dataclass(frozen=True)
class Audit:
    """roles: what each file is, in order. findings: gravest first. changes: all repairs that are sure, together. level:
    the worst."""

    roles: tuple[Judged, ...]
    findings: tuple[AuditFinding, ...]
    changes: dict[str, Any]

    def lightened(self) -> Audit:
        """The same without any pixels: what a report and a repair need."""
        none = np.zeros((0, 0, 3), np.float32)
        roles = tuple(replace(one, file=replace(one.file, values=none, alpha=None)) for one in self.roles)
        return replace(self, roles=roles)

    @property
    def level(self) -> Level:
        return max((f.level for f in self.findings), key=lambda level: _GRADE[level], default="pass")


def audit(files: Sequence[Stored], *, y: Literal["plus", "minus"] = "plus", gloss: bool = False) -> Audit:
    """files: of one surface. y, gloss: what the receiver wants: green up or down, gloss instead of roughness."""
    judged = list(_judged(files))
    found: list[AuditFinding] = []
    changes: dict[str, Any] = {}
    by_role: dict[str, Judged] = {}
    for one in judged:
        if one.role in ROLES and one.role not in by_role:
            by_role[one.role] = one
            changes |= _taken(one)
    size = _common(by_role)
    normal = by_role.get("normal")
    reading = normal_reading(normal.file.values) if normal else None
    witness = _sides(by_role, reading, size)
    found += _of_files(judged, by_role)
    if normal and reading:
        found += _of_normal(normal, reading, witness, y)
    found += _of_scalars(by_role, witness, gloss)
    found += _of_set(judged, by_role)
    for finding in found:
        changes |= {} if finding.weak else finding.changes
    order = sorted(found, key=lambda f: -_GRADE[f.level])
    return Audit(tuple(judged), tuple(order), changes)


def _judged(files: Sequence[Stored]) -> Iterator[Judged]:
    """Every map there is: files, and channels of packed files."""
    for file in files:
        guess = _guessed(file)
        if guess.role == "packed":
            for channel, role in guess.channels:
                yield Judged(file, guess, "roughness" if role == "gloss" else role, channel)
        else:
            yield Judged(file, guess, _map_of(guess))


def _map_of(guess: Guess) -> str:
    return {"gloss": "roughness", "photo": "base_color"}.get(guess.role, guess.role)


def _guessed(file: Stored) -> Guess:
    """A name that says normal is believed even where the numbers are spoilt: that is what is looked for here."""
    guess = guessed(file.name, file.values)
    if guess.role in ("", "photo"):
        said = named(file.name)
        if said.role == "normal":
            return Guess("normal", f"its name ends in “{said.word}”", said.y)
        if said.role and said.role in ROLES and guess.role == "":
            return Guess(said.role, guess.why)
    return guess


def _taken(one: Judged) -> dict[str, Any]:
    """Settings that take a file as a map, before anything is put right."""
    if one.role == "base_color":
        return {**LEAVE_COLOUR}
    return assignment(one.key, Guess("gloss" if _holds_gloss(one) else one.role, ""))


def _holds_gloss(one: Judged) -> bool:
    return (dict(one.guess.channels).get(one.channel) if one.channel else one.guess.role) == "gloss"


def _common(by_role: dict[str, Judged]) -> tuple[int, int]:
    """(width, height) all maps are compared at."""
    sizes = [one.file.size for one in by_role.values()] or [(64, 64)]
    width, height = min(sizes, key=lambda size: size[0] * size[1])
    scale = min(1.0, _SIDE / max(width, height))
    return max(16, round(width * scale)), max(16, round(height * scale))


def fitted(pixels: Pixels, size: tuple[int, int]) -> Pixels:
    """A map brought to (width, height). pixels: (H, W[, C])."""
    if pixels.shape[1::-1] == size:
        return pixels
    smaller = pixels.shape[1] >= size[0]
    mode = cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(np.ascontiguousarray(pixels), size, interpolation=mode))


def _sides(by_role: dict[str, Judged], reading: Reading | None, size: tuple[int, int]) -> Sides:
    def scalar(role: str) -> Pixels | None:
        one = by_role.get(role)
        if one is None or float(np.ptp(one.scalar())) < 2 / 255:
            return None
        return fitted(one.scalar(), size)

    vectors = None
    if reading and by_role["normal"].file.values.size:
        vectors = vectors_as(fitted(by_role["normal"].file.values, size), reading)
    colour = by_role.get("base_color")
    linear = srgb_to_linear(fitted(colour.file.values, size)).astype(np.float32) if colour else None
    return sides(scalar("height"), vectors, scalar("ambient_occlusion"), linear)


def _of_normal(one: Judged, reading: Reading, told: Sides, y: Literal["plus", "minus"]) -> Iterator[AuditFinding]:
    name = one.file.name
    if reading.stored != "linear":
        how = "coded as sRGB: flat is 188 instead of 128" if reading.stored == "srgb" else "decoded once: flat is 55"
        yield AuditFinding(
            "normal.encoding", "blocked", f"Its numbers were {how}.", "Every slope is read too steep and to one side.",
            name, repair="Undoes it.", changes={"gather.maps.normal_stored": reading.stored},
            values={"normal.encoding": reading.stored},
        )  # fmt: skip
    if reading.two:
        yield AuditFinding(
            "normal.channels", "attention", "Its third channel is missing.", "Most renderers read three channels.",
            name, repair="Rebuilds blue from red and green.", changes={"gather.maps.normal_two": True},
        )  # fmt: skip
    if reading.swapped:
        yield AuditFinding(
            "normal.swapped", "blocked", "Red and green are swapped.",
            "Light from the left would seem to come from above.", name, reading.sure, "Swaps them back.",
            {"gather.maps.normal_swapped": True}, {"normal.swapped": True},
        )  # fmt: skip
    yield _of_green(name, reading, y)
    if told.normal:
        yield AuditFinding(
            "normal.inverted", "blocked", f"Bumps are dents: it says the opposite of {told.by}.",
            "The whole surface seems turned inside out.", name, told.sure, "Turns it round.",
            {"gather.maps.normal_inverted": True}, {"normal.inverted": True},
        )  # fmt: skip
    if reading.unit < 0.9:
        yield AuditFinding(
            "normal.unit_length", "attention",
            f"{100 * (1 - reading.unit):.0f} % of its vectors are not of unit length.",
            "It was scaled, blended or compressed as a colour.", name, repair="Makes them so.",
        )  # fmt: skip
    blocks = blockiness(np.ascontiguousarray(one.file.values[..., :2]))
    if blocks > BLOCKY:
        yield AuditFinding(
            "normal.steps", "attention",
            f"It was a JPEG once: lines at every eighth pixel are {100 * (blocks - 1):.0f} % stronger.",
            "Blocks turn into facets once light falls on them.", name,
        )  # fmt: skip
    if reading.tilt > 0.1:
        yield AuditFinding(
            "normal.tilt", "attention", f"On the whole it leans by {np.degrees(np.arcsin(min(1, reading.tilt))):.0f}°.",
            "A flat surface would be lit as a slope.", name,
        )  # fmt: skip


def _of_green(name: str, reading: Reading, y: Literal["plus", "minus"]) -> AuditFinding:
    signs = {"plus": "+", "minus": "-", "unknown": "unknown"}
    told_y = {"normal.y": signs[reading.y], "confidence": reading.sure}
    own = {"gather.maps.normal_y": "minus"} if reading.y == "minus" else {}
    if reading.y == "unknown":
        return AuditFinding(
            "normal.y_direction", "unknown", "Which way green points cannot be told.",
            "Light it: where bumps are dark on the lamp's side, green is the wrong way round.", name,
            min(reading.sure, SURE / 2), "Turns green round.", {"gather.maps.normal_y": "minus"}, told_y,
        )  # fmt: skip
    word = "up, Y+" if reading.y == "plus" else "down, Y−"
    right = reading.y == y
    return AuditFinding(
        "normal.y_direction", "pass" if right else "blocked",
        f"Green points {word}" + ("." if right else f"; the receiver wants {'Y+' if y == 'plus' else 'Y−'}."),
        "The wrong way turns bumps into dents along one axis.", name, reading.sure,
        "" if right else "Turns green round.", own, told_y,
    )  # fmt: skip


def _of_scalars(by_role: dict[str, Judged], told: Sides, gloss: bool) -> Iterator[AuditFinding]:
    height = by_role.get("height")
    if height:
        yield from _of_height(height, told)
    rough = by_role.get("roughness")
    if rough and not _blank(rough):
        is_gloss = _holds_gloss(rough)
        if is_gloss and not gloss:
            yield AuditFinding(
                "roughness.polarity", "blocked", f"It holds gloss ({rough.guess.why}); the receiver wants roughness.",
                "Read as roughness, what shines turns dull and what is dull shines.", rough.file.name,
                repair="Writes one minus it.", values={"roughness.holds": "gloss"},
            )  # fmt: skip
        else:
            yield from _doubtful_roughness(rough, by_role, is_gloss)
    mirror = by_role.get("specular")
    if mirror and rough and not gloss and "metallic" not in by_role and not _flat(mirror):
        yield AuditFinding(
            "set.workflow", "blocked", "It is a specular and gloss set; the receiver wants metal and roughness.",
            "Its diffuse is black where metal is, and nothing says where that is.", mirror.file.name,
            repair="Works base colour and metallic out of diffuse and specular.",
            changes={"gather.maps.workflow": "specular"}, values={"workflow": "specular/gloss"},
        )  # fmt: skip
    metal = by_role.get("metallic")
    if metal and not _blank(metal):
        between = float(np.mean((metal.scalar() > 0.2) & (metal.scalar() < 0.8)))
        if between > 0.1:
            yield AuditFinding(
                "metallic.extremes", "attention", f"{100 * between:.0f} % lies between black and white.",
                "Values between are no material.", metal.file.name,
            )  # fmt: skip
    if told.occlusion:
        yield AuditFinding(
            "ambient_occlusion.polarity", "blocked", "It is mostly dark: white means closed.",
            "Open places would be darkened and recesses lit.", by_role["ambient_occlusion"].file.name,
            repair="Turns it round.", changes={"gather.maps.occlusion_white": "closed"},
            values={"ambient_occlusion.white": "closed"},
        )  # fmt: skip


def _of_height(one: Judged, told: Sides) -> Iterator[AuditFinding]:
    name, file = one.file.name, one.file
    if _blank(one):
        return
    if told.height:
        yield AuditFinding(
            "height.polarity", "blocked", f"White is low: it says the opposite of {told.by}.",
            "Displaced, every bump becomes a dent.", name, told.sure, "Turns it round.",
            {"gather.maps.height_white": "low"}, {"height.white": "low"},
        )  # fmt: skip
    elif told.height is None and told.agree is not None and told.agree < -0.2:
        yield AuditFinding(
            "height.normal_agree", "unknown", "Height and normal contradict each other; nothing says which is right.",
            "Light it: if bumps are bumps there, the height is the wrong way round.", name,
            min(abs(told.agree), SURE / 2), "Turns the height round.", {"gather.maps.height_white": "low"},
        )  # fmt: skip
    if not file.floating and file.levels <= 256:
        deep = "" if file.bits == 8 else f", though the file has {file.bits} bits"
        yield AuditFinding(
            "height.bit_depth", "attention", f"It has {file.levels} levels{deep}: too few to displace with.",
            "Displaced, 256 levels show as steps.", name,
            repair="Smooths its steps by half a level at most and writes 16 bits.",
            changes={"gather.maps.height_steps": "smoothed"}, values={"height.levels": file.levels},
        )  # fmt: skip


def _doubtful_roughness(one: Judged, by_role: dict[str, Judged], is_gloss: bool) -> Iterator[AuditFinding]:
    """Bare metal that is rougher than what lies on it, everywhere, is mostly gloss under a wrong name."""
    metal = by_role.get("metallic")
    if metal is None or _blank(metal):
        return
    rough = 1 - one.scalar() if is_gloss else one.scalar()
    bare = fitted(metal.scalar(), rough.shape[1::-1]) > 0.6
    if not 0.05 < float(bare.mean()) < 0.95:
        return
    apart = float(rough[bare].mean() - rough[~bare].mean())
    if apart > 0.15:
        yield AuditFinding(
            "roughness.polarity", "attention",
            f"Bare metal is rougher than the rest by {apart:.2f}: perhaps it holds gloss.",
            "Read the wrong way round, what shines turns dull.", one.file.name, min(1.0, apart * 2),
        )  # fmt: skip


def _blank(one: Judged) -> bool:
    return float(np.ptp(one.scalar())) < 2 / 255


def _of_files(judged: Sequence[Judged], by_role: dict[str, Judged]) -> Iterator[AuditFinding]:
    seen: set[str] = set()
    for one in judged:
        file = one.file
        role = ROLES.get(one.role)
        if role is None:
            continue
        if by_role[one.role] is not one:
            yield AuditFinding("set.roles", "attention", f"There is another {role.label.lower()}: it is not used.",
                          "Two files for one map leave it open which counts.", file.name)  # fmt: skip
            continue
        if role.channels == 1 and _blank(one):
            value = float(one.scalar().mean())
            yield AuditFinding(
                "set.blank_maps", "note", f"{role.label} is {value:.2f} everywhere: nothing is in it.",
                "A blank map costs memory and says nothing.", file.name, repair="Leaves it out.",
                changes={f"gather.maps.{one.role}": ""}, values={"blank": True},
            )  # fmt: skip
        if file.name in seen:
            continue
        seen.add(file.name)
        if role.encoding == "linear" and file.tagged == "srgb":
            yield AuditFinding("files.encoding", "attention", "Its tags say sRGB, but it holds numbers.",
                          "A reader that obeys the tag bends every value.", file.name,
                          repair="Writes it without the tag.")  # fmt: skip
        if role.encoding == "linear" and file.format in ("jpeg",):
            yield AuditFinding("files.lossless", "attention", "It is a JPEG: a lossy format for numbers.",
                          "Blocks show up as facets under a raking light.", file.name,
                          repair="Writes a lossless file; what is lost stays lost.")  # fmt: skip


def _of_set(judged: Sequence[Judged], by_role: dict[str, Judged]) -> Iterator[AuditFinding]:
    sizes = {one.file.name: one.file.size for one in judged if one.role in ROLES}
    if len(set(sizes.values())) > 1:
        usual = max(set(sizes.values()), key=lambda size: (list(sizes.values()).count(size), size))
        for name, size in sizes.items():
            if size != usual:
                shape = "" if abs(size[0] / size[1] / (usual[0] / usual[1]) - 1) < 0.01 else ", and another shape"
                yield AuditFinding(
                    "set.same_size", "blocked",
                    f"It is {size[0]} × {size[1]} px, the others {usual[0]} × {usual[1]}{shape}.",
                    "Maps of different sizes blur against each other, or are refused.", name,
                    repair="Brings it to the size of the others.", values={"size": list(size)},
                )  # fmt: skip
    for role, label in NEEDED.items():
        if role not in by_role:
            yield AuditFinding("set.required_maps", "attention", f"There is no {label}.",
                          "A metal/rough renderer needs it.", repair="Made from the others.")  # fmt: skip
    yield from _misaligned(by_role)
    for role, one in by_role.items():
        if role in ("base_color", "height", "normal", "roughness", "ambient_occlusion") and not _flat(one):
            values = _for_eye(one, role)
            worst = [seam(values, axis=axis) for axis in (0, 1)]
            if any(figure.level == "blocked" for figure in worst):
                z = max(figure.border for figure in worst)
                yield AuditFinding(
                    "tiling.seam", "blocked", f"Its edges do not meet (seam {z:.1f}).",
                    "The border shows when it repeats.", one.file.name, repair="Joins the edges, in all maps alike.",
                    changes={"tile.join.method": "cut"}, values={"seam": z},
                )  # fmt: skip


def _flat(one: Judged) -> bool:
    return float(np.ptp(one.file.values)) < 2 / 255


def _for_eye(one: Judged, role: str) -> Pixels:
    values = one.file.values if ROLES[role].channels == 3 else one.scalar()
    small = shrink(np.ascontiguousarray(values), max(1, max(values.shape[:2]) // _SIDE))
    return small if small.ndim == 3 else coded(small, role)


def _steep(one: Judged, size: tuple[int, int]) -> Pixels:
    values = fitted(one.file.values if not one.channel else one.scalar(), size)
    return steep(np.ascontiguousarray(values, np.float32), leans=one.role == "normal")


def _for_light(colour: Judged) -> Pixels:
    """The colour as linear light, small enough to be read quickly."""
    values = colour.file.values[..., :3]
    small = shrink(np.ascontiguousarray(values, np.float32), max(1, max(values.shape[:2]) // _SIDE))
    return np.asarray(srgb_to_linear(small), np.float32)


def _misaligned(by_role: dict[str, Judged]) -> Iterator[AuditFinding]:
    """Maps that lie beside where most of them lie."""
    order = [role for role in ("height", "ambient_occlusion") if role in by_role and not _blank(by_role[role])]
    if not order:
        return
    size = _common(by_role)
    left_out = ("metallic", "opacity", "emissive")
    fields = {role: _steep(one, size) for role, one in by_role.items() if role not in left_out and not _flat(one)} | {
        order[0]: _steep(by_role[order[0]], size)
    }
    aside = {}
    rows: tuple[RegisteredFile, ...] = ()
    doubtful: dict[str, tuple[float, float]] = {}
    light = raking(_for_light(by_role["base_color"])) if "base_color" in by_role else None
    for role, off in lying_beside(fields, order[0]).items():
        scale = by_role[role].file.size[0] / size[0]
        far = beyond_light(off, light, size[0]) if role in OF_TONE else float(np.hypot(off.x, off.y))
        if far * scale > ASIDE:
            aside[role] = round(off.x * scale, 2), round(off.y * scale, 2), off.sure
            if off.sure >= SURE:
                rows = moved_back(rows, by_role[role].file.key, off.x / size[0], off.y / size[1])
            else:
                doubtful[role] = off.x / size[0], off.y / size[1]
    for role, (x, y, sure) in aside.items():
        # What is not sure is moved only when it is asked for, and nothing else with it.
        moved = moved_back(rows, by_role[role].file.key, *doubtful[role]) if role in doubtful else rows
        yield AuditFinding(
            "set.aligned", "attention", f"It lies {x:+.1f}, {y:+.1f} px beside the others.",
            "Edges of colour, relief and gloss fall apart.", by_role[role].file.name, sure,
            repair="Moves it back.", changes={"gather.registration.files": as_plain(moved)}, values={"offset": [x, y]},
        )  # fmt: skip
