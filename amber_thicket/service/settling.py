"""What follows once files were added: parts are joined, sides are laid on the photograph."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import Any

from amber_thicket.core.graph import Evaluation
from amber_thicket.errors import UnreadableFile
from amber_thicket.service.kept_places import keep_places
from amber_thicket.service.library import Library
from amber_thicket.service.registration import describe_registration, fit_of, register_file
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.store.models import Material

# How each kind of second photograph goes with the first; parts first, so that sides lie on the whole.
_WAYS = {"part": "join", "back": "lay", "back_lit": "lay", "other_light": "lay"}


def settled_recipe(
    evaluation: Evaluation, infos: Sequence[dict[str, Any]], keys: Collection[str]
) -> Iterator[tuple[Evaluation, str, str, str]]:
    """Each part that was joined and each side that was laid: (what the material is then, file, level, sentence).

    What could not be placed changes nothing. infos: of all files; keys: of those that are to be placed.
    """
    for role, way in _WAYS.items():
        for info in (one for one in infos if one.get("role") == role and file_key(one["blob"]) in keys):
            key = file_key(info["blob"])
            registered = evaluation.recipe.settings("gather.registration")
            if key == evaluation.inputs.photograph or key in {r.file for r in (*registered.files, *registered.joined)}:
                continue
            try:
                changes, found = register_file(evaluation, key, way)
            except UnreadableFile as error:
                yield evaluation, info["file"], "attention", f"{info['file']}: {error.message} {error.remedy}"
                continue
            before, evaluation = evaluation, evaluation.with_changes(changes)
            kept = keep_places(before, evaluation.recipe, changes)
            evaluation = Evaluation(kept, evaluation.first, evaluation.memory, evaluation.cancel, evaluation.files)
            fit = fit_of(evaluation, key)
            yield evaluation, info["file"], fit.level, f"{info['file']}: {describe_registration(found, fit)}"


def settle(library: Library, material_id: str, keys: Iterable[str]) -> tuple[Material, list[tuple[str, str]]]:
    """(material, what was done, as level and sentence). keys: of the files that are new; others lie as they were left.

    Raises NotFound.
    """
    material, wanted = library.get(material_id), set(keys)
    told: list[tuple[str, str]] = []
    start = library.evaluation(material)
    for evaluation, file, level, said in settled_recipe(start, files_of(material.source), wanted):
        changes = {
            f"gather.registration.{name}": getattr(evaluation.recipe.settings("gather.registration"), name)
            for name in ("files", "joined")
        }
        material = library.edit(material_id, material.revision, changes, label=f"{file} placed", gesture="")
        told.append((level, said))
    return material, told
