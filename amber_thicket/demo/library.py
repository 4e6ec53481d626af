"""The demo library: the material record of Quell Island Ropewalk, photographed on the simulated capture bench."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from amber_thicket.core.generate import Request
from amber_thicket.core.memory import Memory
from amber_thicket.core.response.kinds import KINDS
from amber_thicket.core.roles import ROLES
from amber_thicket.formats.write import png_bytes
from amber_thicket.service import preview
from amber_thicket.service.images import file_name
from amber_thicket.service.incoming import Brought, take
from amber_thicket.service.library import Library
from amber_thicket.service.lights import light_set_found
from amber_thicket.service.registration import register_file as laid
from amber_thicket.service.scanning import Asked, keep, make, opened
from amber_thicket.service.sources import file_key, files_of, names_of
from amber_thicket.service.walking import walk_found
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph, ring
from amber_thicket.standins.capture_rig.coir_matting import coir_matting
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.deck_planks import deck_planks
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.handheld import hands, seen_by
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from amber_thicket.standins.capture_rig.lime_render import lime_render
from amber_thicket.standins.capture_rig.piecewise_kinds import rubble_wall
from amber_thicket.standins.capture_rig.scanned import ply_bytes, scanned
from amber_thicket.standins.capture_rig.slate_shingles import slate_shingles
from amber_thicket.standins.capture_rig.surface import Surface
from amber_thicket.standins.capture_rig.tide_pebbles import tide_pebbles
from amber_thicket.standins.capture_rig.truth import truth_seen
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
from amber_thicket.standins.words_to_picture import SimulatedProvider
from amber_thicket.store import cards
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import DEMO_DONE, open_database
from amber_thicket.store.decisions import DecisionCache
from amber_thicket.store.models import Material, using

SIDE = 1536


@dataclass(frozen=True)
class Capture:
    """One demo photograph and the settings it starts with."""

    name: str
    make: Callable[[int, int], Surface]
    seed: int
    shot: Shot
    changes: dict[str, Any] = field(default_factory=dict)
    stand: Stand | None = None


# Colours of the copper roof, as they are suggested there.
_GREEN, _BARE = ("#7a9983", "#907965", "#818672", "#80b099"), ("#af785f", "#bd8165", "#9c735d", "#9d6a54")


def _made_of(*told: tuple[str, str, tuple[str, ...]]) -> dict[str, Any]:
    """Settings of zones by colour that are told what they are made of: name, kind and colours of each."""
    zones: list[dict[str, Any]] = []
    changes: dict[str, dict[str, Any]] = {}
    for number, (name, kind, picks) in enumerate(told, 1):
        others = [pick for one in told if one[1] != kind for pick in one[2]]
        part = {"kind": "colour", "picks": picks, "against": others, "tolerance": 60, "light": 0.25}
        zones.append({"id": f"z{number}", "name": name, "kind": kind, "parts": [part]})
        for role, change in KINDS[kind].changes().items():
            if change:
                changes.setdefault(f"response.on_{role}.in_zones", {})[f"z{number}"] = change
    return {"response.zones.zones": zones, **changes}


CAPTURES = (
    Capture(
        "Slate shingles, north store",
        slate_shingles,
        11,
        Shot(bearing=118, elevation=38, sky=0.5, fall_off=0.12),
        {"square.crop.left": 4.0, "square.crop.right": 96.0, "square.size.sample_mm": 1100.0},
    ),
    Capture(
        "Slate shingles, south roof",
        slate_shingles,
        23,
        Shot(bearing=60, elevation=36, sky=0.45, fall_off=0.1),
        stand=Stand(tilt=-30, pan=11, roll=3.5, distance=1.35, k1=-0.03, picture=(1800, 1350)),
    ),
    Capture(
        "Shell-lime render, boiling house",
        lime_render,
        11,
        Shot(bearing=155, elevation=30, sky=0.6, fall_off=0.6, fall_off_bearing=160, vignette=0.15, exposure=1.25),
        {"square.size.sample_mm": 600.0},
    ),
    Capture(
        "Coir matting, net loft",
        coir_matting,
        11,
        Shot(bearing=110, elevation=48, sky=0.7),
        {"square.size.sample_mm": 300.0},
    ),
    Capture(
        "Cork board, tally office",
        cork_board,
        11,
        Shot(bearing=100, elevation=50, sky=0.8, fall_off=0.2, fall_off_bearing=60),
        {"square.size.sample_mm": 240.0},
    ),
    Capture(
        "Verdigris copper, sail loft roof",
        verdigris_copper,
        11,
        Shot(bearing=120, elevation=44, sky=0.7, fall_off=0.08),
        {
            "square.size.sample_mm": 500.0,
            **_made_of(("Verdigris", "patina", _GREEN), ("Bare copper", "copper", _BARE)),
        },
    ),
    Capture(
        "Deck planks, tender barge",
        deck_planks,
        11,
        Shot(bearing=75, elevation=46, sky=0.6),
        {"square.size.sample_mm": 900.0},
    ),
    Capture(
        "Tide pebbles, slip foot",
        tide_pebbles,
        11,
        Shot(bearing=105, elevation=48, sky=0.8),
        {"square.size.sample_mm": 600.0},
    ),
)


def jpeg_of(capture: Capture, surface: Surface | None = None, side: int = SIDE) -> bytes:
    """The simulated photograph as a JPEG file."""
    surface = surface or capture.make(side, capture.seed)
    codes = photograph(surface, capture.shot, np.random.default_rng(capture.seed + 1), capture.stand)
    stream = io.BytesIO()
    Image.fromarray(codes).save(stream, "JPEG", quality=94, subsampling=0)
    return stream.getvalue()


def truth_files(surface: Surface, stand: Stand | None, stem: str) -> Iterator[tuple[str, bytes]]:
    """(file name, PNG) of the surface's true maps as the camera saw them, to compare with."""
    for role, codes in truth_seen(surface, stand).items():
        narrow = (codes >> 8).astype(np.uint8) if role == "normal" else codes
        yield f"{stem}_truth_{role}.png", png_bytes(narrow, encoding=ROLES[role].encoding)


def _shot(captures: Sequence[Capture]) -> Iterator[list[tuple[str, bytes]]]:
    """(file name, bytes) of the photograph and then of the truth of each capture, two made at a time."""

    def shoot(capture: Capture) -> list[tuple[str, bytes]]:
        stem = capture.name.split(",")[0].lower().replace(" ", "_").replace("-", "_")
        surface = capture.make(SIDE, capture.seed)
        return [(f"{stem}.jpg", jpeg_of(capture, surface)), *truth_files(surface, capture.stand, stem)]

    with ThreadPoolExecutor(2) as pool:
        yield from pool.map(shoot, captures)


def _jpeg(codes: NDArray[np.uint8]) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(codes).save(stream, "JPEG", quality=94, subsampling=0)
    return stream.getvalue()


def _hide(library: Library, name: str) -> Material:
    """Eight photographs under a ring of lamps; the program finds where the lamps stood."""
    surface = embossed_hide(SIDE, 11)
    shots = ring(8, first=24.0, clockwise=True)
    with ThreadPoolExecutor(2) as pool:
        jpegs = list(
            pool.map(lambda k: _jpeg(photograph(surface, shots[k], np.random.default_rng(200 + k))), range(len(shots)))
        )
    settings = {"square.size.sample_mm": 180.0}
    material = library.add([jpegs[0]], "embossed_hide_light_1.jpg", name=name, changes=settings)
    for number, data in enumerate(jpegs[1:], 2):
        material = library.add_map(str(material.id), [data], f"embossed_hide_light_{number}.jpg", gesture="lights")
    for file, data in truth_files(surface, None, "embossed_hide"):
        material = library.add_map(str(material.id), [data], file, gesture="lights")
    report = light_set_found(library.evaluation(material), names_of(material.source))
    return library.edit(str(material.id), material.revision, report.changes, label="Lamps found", gesture="")


def _frond(library: Library, name: str) -> Material:
    """The front, the back and the back-lit photograph of a frond, each laid on the first."""
    frond, rng = kelp_frond(SIDE, 4), np.random.default_rng(5)
    back, lit = placed(-7, (0.015, -0.01), 0.97, mirrored=True), placed(3, (-0.01, 0.012), 1.02, mirrored=False)
    material = library.add(
        [_jpeg(front_shot(frond, rng))],
        "kelp_frond.jpg",
        name=name,
        as_role="cutout",
        changes={"square.size.sample_mm": 320.0, "relief.split.on": True},
    )
    for file, codes in (
        ("kelp_frond_back.jpg", back_shot(frond, back, rng)),
        ("kelp_frond_back_lit.jpg", back_lit_shot(frond, lit, rng)),
    ):
        material = library.add_map(str(material.id), [_jpeg(codes)], file, gesture="sides")
        key = file_key(files_of(material.source)[-1]["blob"])
        changes, _ = laid(library.evaluation(material), key, "lay")
        material = library.edit(str(material.id), material.revision, changes, label="Laid in place", gesture="sides")
    return material


def _felt(library: Library, name: str) -> Material:
    """A picture made from words by the simulation."""
    words = "tarred felt, worn and dusty"
    *_, made = SimulatedProvider().candidates(Request(words, seed=1), 3, lambda share, what: None, lambda: None)
    origin = {"words": words, "seed": made.seed, "provider": SimulatedProvider.label}
    data = png_bytes(made.pixels, encoding="srgb")
    return library.add([data], file_name(words, made.seed), name=name, origin=origin)


def _walk(library: Library, name: str) -> Material:
    """Five handheld photographs, a step aside between them; the program finds where the camera was held."""
    surface = tide_pebbles(1024, 17)
    rng = np.random.default_rng(17)
    light = Shot(bearing=105, elevation=46, sky=0.7, gloss=0.2)
    rows = []
    for number, hand in enumerate(hands(5, rng), 1):
        data = _jpeg(seen_by(surface, light, hand, (1120, 896), rng).codes)
        rows.append((Brought(library.blobs.put([data])[0], f"pebbles_step_{number}.jpg"), "walk"))
    (material,) = take(library, "walk_by", rows)
    material = library.rename(str(material.id), name)
    changes, _ = walk_found(library.evaluation(material), names_of(material.source))
    changes["square.size.sample_mm"] = 600.0
    return library.edit(str(material.id), material.revision, changes, label="Camera's places found", gesture="")


def _scan(library: Library, name: str) -> Material:
    """A patch of a wall as a simulated scanner saw it: triangles with a colour at each corner."""
    surface, _ = rubble_wall(900, 12)
    turn, _ = cv2.Rodrigues(np.array([0.35, -0.2, 0.04]))
    data = ply_bytes(scanned(replace(surface, width_mm=1400.0), 640, turn))
    made = make(opened(data, "slip_wall.ply"), Asked(unit="mm"))
    return keep(library, made, "slip_wall.ply", hashlib.sha256(data).hexdigest(), name)


OTHERS: dict[str, Callable[[Library, str], Material]] = {
    "Embossed hide, chandlery": _hide,
    "Kelp frond, slip wall": _frond,
    "Tarred felt, ropewalk roof": _felt,
    "Tide pebbles, five steps aside": _walk,
    "Slip wall stones, scanned": _scan,
}


TAGS = {
    "Slip wall stones, scanned": ("stone", "ground"),
    "Tide pebbles, five steps aside": ("stone", "ground"),
    "Tide pebbles, slip foot": ("stone", "ground"),
    "Tarred felt, ropewalk roof": ("roof",),
    "Verdigris copper, sail loft roof": ("roof", "metal"),
    "Deck planks, tender barge": ("wood", "boat"),
    "Cork board, tally office": ("indoors",),
    "Coir matting, net loft": ("indoors", "cloth"),
    "Embossed hide, chandlery": ("indoors", "leather"),
    "Shell-lime render, boiling house": ("wall",),
}


def make_demo(folder: Path, say: Callable[[str], None] = print) -> None:
    """Fill a data folder with the demo library; does nothing where it already is."""
    marker = folder / DEMO_DONE
    if marker.exists():
        return
    database = open_database(folder)
    library = Library(database, open_blobs(folder), Memory(1_500_000_000, persistent=DecisionCache(folder)))
    with using(database):
        have = {material.name for material in Material.select()}
        missing = [capture for capture in CAPTURES if capture.name not in have]
        for capture, files in zip(missing, _shot(missing), strict=True):
            say(f"Photographing {capture.name} (simulated) …")
            (name, photo), *truth = files
            material = library.add([photo], name, name=capture.name, changes=capture.changes)
            for name, data in truth:
                material = library.add_map(str(material.id), [data], name, gesture="truth")
            library.keep_thumbnail(material, preview.thumbnail(library.evaluation(material)))
        for name, made_by in OTHERS.items():
            if name not in have:
                verb = "Generating" if made_by is _felt else "Scanning" if made_by is _scan else "Photographing"
                say(f"{verb} {name} (simulated) …")
                material = made_by(library, name)
                library.keep_thumbnail(material, preview.thumbnail(library.evaluation(material)))
        for name, tags in TAGS.items():
            found = Material.get_or_none(Material.name == name)
            if found is not None:
                cards.change_labels([str(found.id)], "tag", tags, ())
    database.close_all() if hasattr(database, "close_all") else database.close()
    marker.write_text("made by the simulated capture bench\n")
