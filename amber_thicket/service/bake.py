"""Bake and pack: evaluate at full size, write every file, read each back, compare, and write a manifest."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from amber_thicket import __version__
from amber_thicket.core.check.registry import examine
from amber_thicket.core.check.rule import Finding, Rule, Subject
from amber_thicket.core.graph import Evaluation, fit_side, output_size
from amber_thicket.core.pack.encode import stored
from amber_thicket.core.pack.profiles import Plan, PlannedFile, blank_roles, planned
from amber_thicket.errors import WriteFailed
from amber_thicket.formats.glb import glb_bytes
from amber_thicket.formats.write import encoded, stored_codes

CHECK_SIDE = 768
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Written:
    """One file of a pack."""

    name: str
    data: bytes
    facts: dict[str, Any]


def subject_of(evaluation: Evaluation, name: str, side: int = CHECK_SIDE) -> Subject:
    """What the rules look at, at preview size."""
    size = fit_side(evaluation.recipe, min(side, max(output_size(evaluation.recipe))))
    return Subject(
        maps={role: evaluation.layer(role, size) for role in evaluation.maps()},
        sample=evaluation.layer("evened", size),
        recipe=evaluation.recipe,
        plan=planned(evaluation.recipe, name),
        size=output_size(evaluation.recipe),
    )


def finding_json(rule: Rule, finding: Finding) -> dict[str, Any]:
    """One answer as plain data, for the page, the manifest and the command line."""
    return {
        "rule": rule.id,
        "title": rule.title,
        "why": rule.why,
        "source": rule.source,
        **asdict(finding),
    }


def check(evaluation: Evaluation, name: str) -> list[dict[str, Any]]:
    """All rules on one material, gravest first."""
    return [finding_json(rule, finding) for rule, finding in examine(subject_of(evaluation, name))]


def pack(evaluation: Evaluation, name: str, progress: Progress) -> Iterator[Written]:
    """Every file of the material's profile, one by one, the manifest last. Raises Cancelled, WriteFailed."""
    plan, size = planned(evaluation.recipe, name), output_size(evaluation.recipe)
    progress(0.02, "Checking")
    findings = check(evaluation, name)
    facts: list[dict[str, Any]] = []
    kept: dict[str, bytes] = {}
    for number, file in enumerate(plan.files):
        evaluation.cancel.check()
        progress(0.1 + 0.8 * number / len(plan.files), f"Making {file.name}")
        maps = {role: evaluation.layer(role, size).pixels for role in file.roles}
        codes = stored(file, maps)
        data = encoded(codes, format=file.format, encoding=file.encoding)
        evaluation.cancel.check()
        written = Written(file.name, data, _facts(file, data, codes, stored_codes(data)))
        facts.append(written.facts)
        if plan.profile.glb:
            kept[file.roles[0]] = data
        yield written
    if plan.profile.glb:
        progress(0.92, "Making the scene")
        scene = _scene(plan, evaluation, size, kept)
        facts.append(scene.facts)
        yield scene
    progress(0.97, "Writing the manifest")
    yield _manifest(plan, evaluation, size, facts, findings, name)
    progress(1.0, "Done")


def _facts(file: PlannedFile, data: bytes, codes: Any, read_back: Any) -> dict[str, Any]:
    """What the manifest says of a file, once reading it back gave the very same numbers."""
    if read_back.shape != codes.shape or read_back.dtype != codes.dtype or not np.array_equal(read_back, codes):
        raise WriteFailed(
            f"{file.name} did not read back as it was written.",
            remedy="Try again; if it stays, report it.",
            file=file.name,
        )
    channels = dict(zip("RGB", file.roles, strict=False)) if len(file.roles) > 1 else {"all": file.roles[0]}
    return {
        "file": file.name,
        "width": int(codes.shape[1]),
        "height": int(codes.shape[0]),
        "bits": file.bits,
        "channels": channels,
        "encoding": file.encoding,
        **({"y": "+" if file.y == "plus" else "-"} if file.y else {}),
        "bytes": len(data),
        "sha256": hashlib.sha256(data).hexdigest(),
        "read_back": "equal",
    }


def _scene(plan: Plan, evaluation: Evaluation, size: tuple[int, int], kept: dict[str, bytes]) -> Written:
    tile_mm = evaluation.sizes(size).tile.tile_mm
    width_m = tile_mm / 1000 if tile_mm else 1.0
    data = glb_bytes(
        name=plan.stem,
        base_color=kept["base_color"],
        normal=kept["normal"],
        packed=kept["ambient_occlusion"],
        size_m=(width_m, width_m * size[1] / size[0]),
        metallic="metallic" not in blank_roles(evaluation.recipe),
    )
    facts = {"file": f"{plan.stem}.glb", "bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
    return Written(f"{plan.stem}.glb", data, facts)


def _manifest(
    plan: Plan,
    evaluation: Evaluation,
    size: tuple[int, int],
    facts: list[dict[str, Any]],
    findings: list[dict[str, Any]],
    name: str,
) -> Written:
    height = evaluation.layer("height", fit_side(evaluation.recipe, CHECK_SIDE))
    tile_mm = evaluation.sizes(size).tile.tile_mm
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
        "files": facts,
        "left_out": [{"map": role, "reason": "blank"} for role in plan.left_out],
        "checks": [{key: f[key] for key in ("rule", "map", "level", "measured", "limit")} for f in findings],
        "recipe": evaluation.recipe.as_json(),
        "source": {"sha256": evaluation.source.key.split(".")[0]},
        "brought": {role: source.key.split(".")[0] for role, source in evaluation.brought.items()},
    }
    data = (json.dumps(manifest, indent=2, ensure_ascii=False) + "\n").encode()
    return Written(f"{plan.stem}_manifest.json", data, {"file": f"{plan.stem}_manifest.json"})
