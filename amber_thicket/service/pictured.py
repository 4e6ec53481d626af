"""What is told of the picture a material is made of: of the file that is its photograph now, or of the joined ones."""

from __future__ import annotations

from typing import Any

from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Evaluation
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.store.models import Material


def described_picture(material: Material, evaluation: Evaluation) -> dict[str, Any]:
    """As describe() tells of a capture, for the picture that is worked on: its files, size, depth and findings.

    Findings of a picture that was not looked at yet are worked out and kept with the material.
    """
    infos = {file_key(info["blob"]): info for info in files_of(material.source)}
    taken = evaluation.inputs
    info = infos.get(taken.photograph, material.source)
    shown = {key: value for key, value in info.items() if key not in ("more", "measured", "card")}
    shown["key"] = file_key(info["blob"])
    if taken.joined:
        parts = [info, *(infos[key] for key in taken.joined)]
        shown |= {
            "file": " + ".join(part["file"] for part in parts),
            "bytes": sum(part["bytes"] for part in parts),
            "width": evaluation.source.width,
            "height": evaluation.source.height,
            "bits": min(part["bits"] for part in parts),
            "notes": list(dict.fromkeys(note for part in parts for note in part["notes"])),
        }
    if taken.joined or "findings" not in info:
        shown["findings"] = _findings(material, evaluation, info)
    return shown


def _findings(material: Material, evaluation: Evaluation, info: dict[str, Any]) -> list[dict[str, Any]]:
    source = evaluation.inputs.picture
    known = material.source.get("measured", {})
    if source.key not in known:
        known = {
            **known,
            source.key: triage(source.read(0).pixels, bits=info["bits"], floating=info["floating"]),
        }
        material.source = {**material.source, "measured": known}
        Material.update(source=material.source).where(Material.id == material.id).execute()
    found: list[dict[str, Any]] = known[source.key]
    return found
