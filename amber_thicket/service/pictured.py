"""What is told of the picture a material is made of: of the file that is its photograph now, or of the joined ones."""

from __future__ import annotations

import contextlib
from typing import Any

from peewee import OperationalError

from amber_thicket.core.gather.orient import turned_box
from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Evaluation
from amber_thicket.errors import WriteFailed
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.store.models import Material


def described_picture(material: Material, evaluation: Evaluation) -> dict[str, Any]:
    """As describe() tells of a capture, for the picture that is worked on: its files, size, depth and findings, None
    where nobody has looked at it yet."""
    info = _file_of(material, evaluation)
    shown = {key: value for key, value in info.items() if key not in ("more", "measured", "card")}
    shown["key"] = file_key(info["blob"])
    joined = evaluation.inputs.joined
    if joined:
        infos = {file_key(one["blob"]): one for one in files_of(material.source)}
        parts = [info, *(infos[key] for key in joined)]
        shown |= {
            "file": " + ".join(part["file"] for part in parts),
            "bytes": sum(part["bytes"] for part in parts),
            "width": evaluation.source.width,
            "height": evaluation.source.height,
            "bits": min(part["bits"] for part in parts),
            "notes": list(dict.fromkeys(note for part in parts for note in part["notes"])),
        }
    shown["findings"] = _known(material, evaluation, info)
    return shown


def triage_of(material: Material, evaluation: Evaluation) -> list[dict[str, Any]]:
    """What the picture that is worked on is good for. Looked at once; what was found is kept with the material."""
    info = _file_of(material, evaluation)
    known = _known(material, evaluation, info)
    if known is not None:
        return known
    source = evaluation.inputs.picture
    bits, floating = info["bits"], info["floating"]
    # The same file may lie in several materials.
    found: list[dict[str, Any]] = evaluation.memory.get(
        f"triage/{source.key}/{bits}/{floating}",
        lambda: triage(source.read(0).pixels, bits=bits, floating=floating),
    )
    # A full disk keeps nobody from looking.
    with contextlib.suppress(WriteFailed, OperationalError):
        _keep(material, source.key, found)
    return found


def _keep(material: Material, key: str, found: list[dict[str, Any]]) -> None:
    database: Any = Material._meta.database
    with database.atomic("IMMEDIATE"):
        # Files may have come meanwhile.
        newest = Material.get_by_id(material.id).source
        newest["measured"] = {**newest.get("measured", {}), key: found}
        Material.update(source=newest).where(Material.id == material.id).execute()
    material.source = newest


def turned_findings(findings: list[dict[str, Any]], evaluation: Evaluation) -> list[dict[str, Any]]:
    """What was seen on a capture, with its places turned as the capture is turned."""
    way = evaluation.recipe.settings("gather.orient")
    boxes = [finding.get("box") for finding in findings]
    turned = [turned_box(box, way.turn, way.mirror) if box else None for box in boxes]
    return [{**finding, "box": box} for finding, box in zip(findings, turned, strict=True)]


def _file_of(material: Material, evaluation: Evaluation) -> dict[str, Any]:
    infos = {file_key(info["blob"]): info for info in files_of(material.source)}
    found: dict[str, Any] = infos.get(evaluation.inputs.photograph, material.source)
    return found


def _known(material: Material, evaluation: Evaluation, info: dict[str, Any]) -> list[dict[str, Any]] | None:
    found: list[dict[str, Any]] | None = material.source.get("measured", {}).get(evaluation.inputs.picture.key)
    # Materials of older versions have them with their file.
    return info.get("findings") if found is None and not evaluation.inputs.joined else found
