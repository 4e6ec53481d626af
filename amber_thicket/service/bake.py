"""Bake and pack: evaluate at full size, write every file, read each back, compare, and write a manifest."""

from __future__ import annotations

import hashlib
import json
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from amber_thicket import __version__
from amber_thicket.core.check.blocks import blockiness
from amber_thicket.core.check.registry import examine
from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.files.encode import asked_for, stored
from amber_thicket.core.files.file_plan import Plan, PlannedFile, blank_roles, check_extent, planned, stem_of
from amber_thicket.core.graph import Evaluation, fit_side, output_size
from amber_thicket.core.memory import Cancel
from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.pack.formats import FORMATS
from amber_thicket.core.progress import progress_to
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID
from amber_thicket.errors import BadSetting, NotFound, WriteFailed
from amber_thicket.formats.glb import glb_bytes
from amber_thicket.formats.materialx import materialx_text
from amber_thicket.formats.usd import usd_text
from amber_thicket.formats.usdz import PICTURES, usdz_bytes
from amber_thicket.formats.write import encoded, stored_codes
from amber_thicket.service.broken import broken_by_joins
from amber_thicket.service.registration import fits_of
from amber_thicket.service.still import still
from amber_thicket.store.work import StillLook

CHECK_SIDE = 768
# Channels of full size that are wanted again: the tiled colour, the steps to the height, normal, roughness.
_CHANNELS_KEPT = 12
# Bytes of results that may be kept while a set is made; more where the steps to it take more (kept_of).
RESULTS_BYTES = 1_000_000_000
# Seconds a pixel of a pack on two cores, before one was measured: of a plain set, in memory or by way of the disk.
_PACE = 1.5e-6
# Files that are written and read back while the next map is made.
_ON_THEIR_WAY = 2
# Side of the corner that is written and read to try the formats.
_TRIED = 64
_RELIEF = {"height", "normal", "ambient_occlusion"}
# How far a lossy file may lie off on average, in codes.
_LOSSY_MEAN = 4.0
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Written:
    """One file of a pack."""

    name: str
    data: bytes
    facts: dict[str, Any]


# px up to which a file is made while somebody waits for it.
MOST_ALONE = 4096
# A zone that covers less is not judged.
_LEAST_ZONE = 0.002
# Bytes of a packed file to those of its pixels: noise-like maps come out at about this, smooth ones far below.
_PACKED = 0.6
# The still of a pack: built-in surroundings, and paths a pixel.
_STILL, _PATHS = StillLook(width=720, height=540), 32


def pack_bytes(recipe: Recipe, name: str) -> int:
    """About how many bytes a pack will take on the disk, in its largest size. Raises BadSetting for files with more
    pixels than they can have."""
    check_extent(recipe)
    width, height = output_size(recipe)
    lossy = 0.1
    plan = planned(recipe, name)
    sizes = [
        width * height * file.values_a_pixel * file.bits / 8 * (lossy if FORMATS[file.format].lossy else _PACKED)
        for file in plan.files
    ]
    return int(sum(sizes)) * plan.tiles * (2 if recipe.settings("pack.files").tiles == "both" else 1)


def kept_of(width: int, height: int) -> int:
    """Bytes of the steps to one set of maps that are wanted again while it is made. width, height: px."""
    return _CHANNELS_KEPT * 4 * width * height


@dataclass(frozen=True)
class PackCost:
    """What a pack takes, about. bytes: of its files; spilled: of the disk meanwhile, where the steps to a map do not
    all fit into memory; seconds: of time."""

    bytes: int
    spilled: int
    seconds: float


def pack_cost(
    recipe: Recipe, name: str, most_in_memory: float, measured: Callable[[bool], float | None] = lambda _: None
) -> PackCost:
    """most_in_memory: bytes of steps that may be there. measured: seconds a pixel that packs took here, of those whose
    steps were spilled or of those whose were not. Raises as pack_bytes()."""
    kept = kept_of(*output_size(recipe))
    spilled = kept if kept > most_in_memory else 0
    pace = measured(spilled > 0) or _PACE
    pixels = recipe.settings("tile.tileset").count * sum(width * height for width, height in _sizes(recipe))
    return PackCost(pack_bytes(recipe, name), spilled, pace * pixels)


def subject_of(evaluation: Evaluation, name: str, side: int = CHECK_SIDE) -> Subject:
    """What the rules look at, at preview size."""
    size = fit_side(evaluation.recipe, min(side, max(output_size(evaluation.recipe))))
    plan = planned(evaluation.recipe, name)
    roles = dict.fromkeys([*evaluation.maps(), *(role for file in plan.files for role in asked_for(file))])
    maps = {role: evaluation.layer(role, size) for role in roles}
    return Subject(
        maps=maps,
        sample=evaluation.layer("evened", size),
        recipe=evaluation.recipe,
        plan=plan,
        notes={
            "read_back": _read_back(plan, maps),
            "made_of": _made_of(evaluation, size),
            **_of_files(evaluation),
            **_light_taken(evaluation),
        },
        size=output_size(evaluation.recipe),
    )


def _light_taken(evaluation: Evaluation) -> dict[str, float]:
    """From which side, in degrees, the light came that Even takes out of the colour; nothing where it takes none."""
    operation = BY_ID["even.raking"]
    if not evaluation.recipe.settings(operation.id).amount:
        return {}
    found = evaluation.decided(operation)
    return {"light_taken": found.light.bearing} if found.strength else {}


def _made_of(evaluation: Evaluation, size: tuple[int, int]) -> list[tuple[str, str, float, str]]:
    """(name, kind, luminance of its base colour on the average, id) of every zone that is told what it is made of; of
    all of it as well, where there are no zones."""
    told = evaluation.recipe.settings("response.zones")
    rows = [(number, zone) for number, zone in enumerate(told.zones) if zone.kind]
    if not rows and (told.zones or not told.kind):
        return []
    bright = luminance(evaluation.layer("base_color", size).pixels)
    if not rows:
        return [("The surface", told.kind, float(bright.mean()), "")]
    masks = evaluation.layer("zones", size).pixels
    found = []
    for number, zone in rows:
        mask = masks[..., number]
        if float(mask.mean()) > _LEAST_ZONE:
            found.append((zone.name or "Unnamed", zone.kind, float((bright * mask).sum() / mask.sum()), zone.id))
    return found


def _of_files(evaluation: Evaluation) -> dict[str, Any]:
    """What the rules know of the files: which maps were brought, the shape of each, how wide the tile is."""
    shapes = {role: (one.width, one.height) for role, one in evaluation.brought.items()}
    shapes["base_color"] = (evaluation.source.width, evaluation.source.height)
    made = evaluation.lights is not None or evaluation.inputs.walked is not None
    blocks = {} if made or "normal" not in evaluation.brought else {"normal_blocks": _blocks(evaluation, "normal")}
    return {
        **blocks,
        "brought": () if made else tuple(evaluation.brought),
        "relief_brought": _RELIEF & set(evaluation.brought),
        "shapes": shapes,
        "tile_mm": evaluation.picture_mm(),
        "scale": evaluation.enlarged(),
        "broken": broken_by_joins(evaluation),
        "placements": fits_of(evaluation),
    }


def _blocks(evaluation: Evaluation, role: str) -> float:
    """How much the blocks of a JPEG stand out in the file of a map that was brought."""
    source = evaluation.brought[role]
    return float(
        evaluation.memory.get(f"blocks/{source.key}", lambda: blockiness(source.read(0, data=True).pixels[..., :2]))
    )


def _read_back(plan: Plan, maps: dict[str, Raster]) -> dict[str, bool]:
    """Whether a corner of every lossless file reads back as it was written."""
    corner = {role: np.ascontiguousarray(raster.pixels[:_TRIED, :_TRIED]) for role, raster in maps.items()}
    told = {}
    for file in plan.files:
        if FORMATS[file.format].lossy:
            continue
        codes = stored(file, corner)
        data = encoded(codes, format=file.format, encoding=file.encoding)
        told[file.name] = _same(codes, _again(data, codes))
    return told


def _again(data: bytes, codes: Any) -> Any:
    """What a file gives back; a format that has colour alone repeats the grey numbers, and WebP leaves out an alpha
    that is solid everywhere, which is what readers take for none."""
    back = stored_codes(data)
    if codes.ndim == 3 and back.shape == (*codes.shape[:2], 3) and codes.shape[2] == 4:
        return np.dstack([back, np.full(back.shape[:2], np.iinfo(back.dtype).max, back.dtype)])
    return back[..., 0] if back.ndim > codes.ndim else back


def _same(codes: Any, back: Any) -> bool:
    return back.dtype == codes.dtype and np.array_equal(back, codes)


def finding_json(rule: Rule, finding: Finding, size: tuple[int, int]) -> dict[str, Any]:
    """One answer as plain data, for the page, the manifest and the command line. size: of the maps looked at, px."""
    return {
        "rule": rule.id,
        "title": rule.title,
        "fault": rule.fault or f"Not so: {rule.title.lower()}",
        "why": rule.why,
        "source": rule.source,
        "sure": rule.certainty(finding),
        "evidence": rule.evidence(size),
        **asdict(finding),
        "ratio": finding.times_limit,
    }


def check(evaluation: Evaluation, name: str) -> list[dict[str, Any]]:
    """All rules on one material, gravest first. Raises Cancelled."""
    subject = subject_of(evaluation, name)
    return [finding_json(rule, finding, subject.size) for rule, finding in examine(subject, evaluation.cancel.check)]


def pack(evaluation: Evaluation, name: str, progress: Progress) -> Iterator[Written]:
    """Every file of the material's profile, one by one, the manifest last. Raises Cancelled, WriteFailed.

    While a map is made, other threads check the set, and write and read back the maps before it.
    """
    with ThreadPoolExecutor(2, thread_name_prefix="files") as beside:
        yield from _packed(evaluation, name, progress, beside)


class _Writing:
    """Files on their way: encoded, written and read back by other threads while the next maps are made. facts: of what
    is written; kept: the files of the full size, by what follows the stem in their names."""

    def __init__(self, cancel: Cancel, beside: ThreadPoolExecutor, most: int) -> None:
        """most: files that may be on their way at once."""
        self.facts: list[dict[str, Any]] = []
        self.kept: dict[str, bytes] = {}
        self._cancel, self._beside, self._most = cancel, beside, most
        self._coming: deque[tuple[str, Future[Written]]] = deque()

    def write(
        self, file: PlannedFile, folder: str, codes: Any, keep: str = "", *, per_metre: float = 0.0, **more: Any
    ) -> Iterator[Written]:
        """Begins with a file; gives one that is ready when too many are on their way. more: what its facts say too."""
        making = self._beside.submit(_written, self._cancel, file, folder, codes, per_metre=per_metre, **more)
        self._coming.append((keep, making))
        if len(self._coming) > self._most:
            yield self._ready()

    def rest(self) -> Iterator[Written]:
        while self._coming:
            yield self._ready()

    def _ready(self) -> Written:
        keep, making = self._coming.popleft()
        written = making.result()
        self.facts.append(written.facts)
        if keep:
            self.kept[keep] = written.data
        return written


def _packed(evaluation: Evaluation, name: str, progress: Progress, beside: ThreadPoolExecutor) -> Iterator[Written]:
    recipe, size = evaluation.recipe, output_size(evaluation.recipe)
    check_extent(recipe)
    plan = planned(recipe, name)
    # What is left for lack of room in the middle of it all would be made anew from the photograph on.
    evaluation.memory.at_least(kept_of(*output_size(recipe)))
    progress(0.02, "Checking")
    tiles = {number: evaluation.tile_of_set(number) for number in range(1, plan.tiles + 1)}
    findings = {number: beside.submit(check, tile, name) for number, tile in tiles.items()}
    # Where the room is short, nothing is written while the next map is made.
    writing = _Writing(evaluation.cancel, beside, 0 if evaluation.memory.is_spilling else _ON_THEIR_WAY)
    sizes = _sizes(recipe)
    # A half has a quarter of the pixels.
    weights = [(at[0] / size[0]) ** 2 for at in sizes]
    begun = 0.0
    for weight, at in zip(weights, sizes, strict=True):
        first, last = (0.1 + 0.8 * share / sum(weights) for share in (begun, begun + weight))
        yield from _of_size(tiles, at, name, writing, _part_of(progress, first, last))
        begun += weight
    yield from writing.rest()
    progress(0.97, "Writing the manifest")
    told = {number: found.result() for number, found in findings.items()}
    yield _manifest(plan, evaluation, size, writing.facts, told, name)
    progress(1.0, "Done")


def _part_of(progress: Progress, first: float, last: float) -> Progress:
    return lambda share, what: progress(first + share * (last - first), what)


def _of_size(
    tiles: dict[int, Evaluation], at: tuple[int, int], name: str, writing: _Writing, progress: Progress
) -> Iterator[Written]:
    """All files of one size: those of every tile, each with its scenes, and the atlas."""
    recipe = tiles[1].recipe
    size, how = output_size(recipe), recipe.settings("pack.files").tiles
    folder = "" if at == size else f"{at[0]}x{at[1]}/"
    per_metre = _per_metre(tiles[1], at)
    atlas: dict[int, Any] = {}
    for number, tile in tiles.items():
        plan = planned(recipe, name, "atlas" if how == "atlas" else number, at)
        numbered = {"tile": number} if len(tiles) > 1 else {}
        for index, file in enumerate(plan.files):
            tile.cancel.check()
            share = (number - 1 + index / len(plan.files)) / len(tiles)
            told = f"Making {folder}{file.name}" + (f", tile {number} of {len(tiles)}" if numbered else "")
            progress(share, told)
            # What takes long within a map is told beside its name.
            tile.told = lambda _, what, share=share, told=told: progress(share, f"{told}: {what}")
            codes = stored(file, {role: tile.layer(role, at).pixels for role in asked_for(file)})
            if plan.atlas:
                _put_in_atlas(atlas, index, codes, number - 1, plan.atlas)
            if not plan.atlas or how == "both":
                keep = "" if folder or not plan.scenes else file.suffix
                yield from writing.write(file, folder, codes, keep, per_metre=per_metre, **numbered)
            del codes
        if plan.scenes and not folder:
            progress(number / len(tiles), "Making the scene")
            yield from writing.rest()
        for kind, title in () if folder else plan.scenes:
            scene = _scene(kind, title, plan, tile, size, writing.kept)
            writing.facts.append(scene.facts)
            yield scene
    for index, file in enumerate(planned(recipe, name, "atlas", at).files if atlas else ()):
        yield from writing.write(file, folder, atlas.pop(index), per_metre=per_metre)


def one_file(evaluation: Evaluation, name: str, number: int) -> Written:
    """One file of the pack at its finished size, as the pack would hold it. Raises NotFound, Cancelled, WriteFailed,
    BadSetting for what has to be packed as a job."""
    plan, at = planned(evaluation.recipe, name), output_size(evaluation.recipe)
    if number >= len(plan.files):
        raise NotFound("The pack has no such file any more.", remedy="Ask for the files of the newest state.")
    if max(at) > MOST_ALONE or plan.tiles > 1:
        raise BadSetting(
            f"Files of more than {MOST_ALONE} px, or of a set of tiles, are not made one by one.",
            remedy="Pack the set.",
        )
    file = plan.files[number]
    codes = stored(file, {role: evaluation.layer(role, at).pixels for role in asked_for(file)})
    return _written(evaluation.cancel, file, "", codes, per_metre=_per_metre(evaluation, at))


def _per_metre(evaluation: Evaluation, at: tuple[int, int]) -> float:
    """Pixels to a metre of the surface at a size; 0 where its real size is not known."""
    tile_mm = evaluation.tile_mm(evaluation.sizes(at))
    return 1000 * at[0] / tile_mm if tile_mm else 0.0


def _put_in_atlas(atlas: dict[int, Any], index: int, codes: Any, place: int, shape: tuple[int, int]) -> None:
    """A tile beside the others of its map, row by row. atlas: by the number of the file; shape: (columns, rows)."""
    columns, rows = shape
    high, wide = codes.shape[:2]
    if index not in atlas:
        atlas[index] = np.zeros((rows * high, columns * wide, *codes.shape[2:]), codes.dtype)
    row, column = divmod(place, columns)
    atlas[index][row * high : (row + 1) * high, column * wide : (column + 1) * wide] = codes


def _sizes(recipe: Recipe) -> list[tuple[int, int]]:
    """Sizes the set is written at, largest first."""
    width, height = output_size(recipe)
    count = {"one": 1, "half": 2, "quarter": 3}[recipe.settings("pack.files").sizes]
    return [(width >> n, height >> n) for n in range(count) if min(width >> n, height >> n) >= 16]


def _written(
    cancel: Cancel, file: PlannedFile, folder: str, codes: Any, *, per_metre: float = 0.0, **more: Any
) -> Written:
    """One file at one size, written and read back. more: what its facts say besides."""
    cancel.check()
    data = encoded(codes, format=file.format, encoding=file.encoding, per_metre=per_metre)
    cancel.check()
    return Written(folder + file.name, data, _facts(file, folder, data, codes, _again(data, codes)) | more)


def _facts(file: PlannedFile, folder: str, data: bytes, codes: Any, read_back: Any) -> dict[str, Any]:
    """What the manifest says of a file, once reading it back gave the very same numbers."""
    lossy = FORMATS[file.format].lossy
    fits = read_back.shape == codes.shape
    off = float(np.abs(read_back.astype(np.float32) - codes.astype(np.float32)).mean()) if lossy and fits else 0.0
    if not (fits and off <= _LOSSY_MEAN if lossy else _same(codes, read_back)):
        raise WriteFailed(
            f"{file.name} did not read back as it was written.",
            remedy="Try again; if it stays, report it.",
            file=file.name,
        )
    inside = file.contents
    names = {1: ("all",), 2: ("RGB", "A")}.get(len(inside)) or tuple("RGBA"[: len(inside)])
    return {
        "file": folder + file.name,
        "width": int(codes.shape[1]),
        "height": int(codes.shape[0]),
        "bits": file.bits,
        **({"floating": True} if file.floating else {}),
        "channels": dict(zip(names, inside, strict=True)),
        "encoding": file.encoding,
        **({"y": "+" if file.y == "plus" else "-"} if file.y else {}),
        "bytes": len(data),
        "sha256": _sha256(data),
        "read_back": f"within {off:.2f} codes on average, lossy" if lossy else "equal",
    }


def _scene(
    kind: str, title: str, plan: Plan, evaluation: Evaluation, size: tuple[int, int], kept: dict[str, bytes]
) -> Written:
    """The material as a scene that a renderer opens, or as it looks in one."""
    if kind == "still":
        with progress_to(lambda *_: evaluation.cancel.check()):
            *_, last = still(evaluation, _STILL, Path(), _PATHS)
        return Written(title, last.png, {"file": title, "bytes": len(last.png), "sha256": _sha256(last.png)})
    tile_mm = evaluation.tile_mm(evaluation.sizes(size))
    width_m = tile_mm / 1000 if tile_mm else 1.0
    size_m = (width_m, width_m * size[1] / size[0])
    if kind == "gltf":
        data = glb_bytes(
            name=plan.stem,
            base_color=kept["base_color"],
            normal=kept["normal"],
            packed=kept["occlusion_roughness_metallic"],
            emissive=kept.get("emissive"),
            specular=kept.get("specular"),
            transmission=kept.get("transmission"),
            size_m=size_m,
            metallic="metallic" not in blank_roles(evaluation.recipe),
            cut_out="opacity" not in blank_roles(evaluation.recipe),
        )
    else:
        depth = evaluation.layer("height", fit_side(evaluation.recipe, CHECK_SIDE)).span * width_m
        if kind == "materialx":
            data = materialx_text(name=plan.stem.replace("-", "_"), files=plan.files, depth=depth).encode()
        elif kind == "usdz":
            files, pictures = _packable(plan, evaluation, size, kept)
            layer = usd_text(name=plan.stem, files=files, size_m=size_m, depth_m=depth)
            data = usdz_bytes(f"{plan.stem}.usda", layer, pictures)
        else:
            data = usd_text(name=plan.stem, files=plan.files, size_m=size_m, depth_m=depth).encode()
    return Written(title, data, {"file": title, "bytes": len(data), "sha256": _sha256(data)})


def _packable(
    plan: Plan, evaluation: Evaluation, size: tuple[int, int], kept: dict[str, bytes]
) -> tuple[list[PlannedFile], dict[str, bytes]]:
    """The files of a plan as a package may hold them, with their bytes by name: as they are, or as PNG."""
    files: list[PlannedFile] = []
    pictures: dict[str, bytes] = {}
    for file in plan.files:
        if file.y == "minus":
            continue
        data = kept[file.suffix]
        if file.format not in PICTURES:
            bits = 8 if file.bits == 8 else 16
            name = f"{file.name.rsplit('.', 1)[0]}.png"
            file = replace(file, name=name, format="png", bits=bits, floating=False)
            codes = stored(file, {role: evaluation.layer(role, size).pixels for role in asked_for(file)})
            data = encoded(codes, format="png", encoding=file.encoding, per_metre=_per_metre(evaluation, size))
        files.append(file)
        pictures[file.name] = data
    return files, pictures


def _sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _told_source(evaluation: Evaluation) -> dict[str, Any]:
    """Checksums of the files the colour comes from."""
    if evaluation.lights:
        return {"light_set": [frame.key.split(".")[0] for frame in evaluation.lights.frames]}
    taken = evaluation.inputs
    if taken.walked:
        return {"walk_by": [frame.key.split(".")[0] for frame in taken.walked.frames]}
    if taken.merged:
        return {"merged": [frame.key.split(".")[0] for frame in taken.merged.frames]}
    if taken.joined:
        return {"joined": [evaluation.files[key].key.split(".")[0] for key in (taken.photograph, *taken.joined)]}
    return {"sha256": evaluation.source.key.split(".")[0]}


def _manifest(
    plan: Plan,
    evaluation: Evaluation,
    size: tuple[int, int],
    facts: list[dict[str, Any]],
    findings: dict[int, list[dict[str, Any]]],
    name: str,
) -> Written:
    """findings: by the number of the tile."""
    several = len(findings) > 1
    height = evaluation.layer("height", fit_side(evaluation.recipe, CHECK_SIDE))
    tile_mm = evaluation.tile_mm(evaluation.sizes(size))
    manifest = {
        "program": f"Amber Thicket {__version__}",
        "material": name,
        "profile": plan.profile.id,
        "size_px": list(size),
        "tile_mm": round(tile_mm, 3) if tile_mm else None,
        "height_depth": {
            "fraction_of_tile_width": round(height.span, 6),
            "mm": round(height.span * tile_mm, 4) if tile_mm else None,
        },
        **({"tile_set": _told_set(plan, evaluation)} if several else {}),
        "files": facts,
        "left_out": [
            *({"map": role, "reason": "blank"} for role in plan.left_out),
            *({"map": role, "reason": "no place in the profile"} for role in plan.without_place),
        ],
        "checks": [
            {key: f[key] for key in ("rule", "map", "level", "measured", "limit")} | ({"tile": tile} if several else {})
            for tile, found in findings.items()
            for f in found
        ],
        "recipe": evaluation.recipe.as_json(),
        "source": _told_source(evaluation),
        "brought": {role: source.key.split(".")[0] for role, source in evaluation.brought.items()},
    }
    data = (json.dumps(manifest, indent=2, ensure_ascii=False) + "\n").encode()
    title = f"{stem_of(evaluation.recipe, name)}_manifest.json"
    return Written(title, data, {"file": title})


def _told_set(plan: Plan, evaluation: Evaluation) -> dict[str, Any]:
    """How the tiles of a set belong together."""
    border = evaluation.recipe.settings("tile.tileset").border
    told: dict[str, Any] = {"tiles": plan.tiles, "common_border_percent": border, "meets": "every tile, at every edge"}
    if plan.atlas:
        told["atlas"] = {"columns": plan.atlas[0], "rows": plan.atlas[1], "order": "row by row from the top left"}
    return told
