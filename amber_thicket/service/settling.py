"""What follows once files were added: parts are joined, sides are laid on the photograph."""

from __future__ import annotations

from collections.abc import Iterable

from amber_thicket.errors import UnreadableFile
from amber_thicket.service.library import Library
from amber_thicket.service.registration import describe_registration, fit_of, register_file
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.store.models import Material

# How each kind of second photograph goes with the first; parts first, so that sides lie on the whole.
_WAYS = {"part": "join", "back": "lay", "back_lit": "lay"}


def settle(library: Library, material_id: str, keys: Iterable[str]) -> tuple[Material, list[tuple[str, str]]]:
    """(material, what was done, as level and sentence). keys: of the files that are new; others lie as they were left.

    Raises NotFound.
    """
    material, wanted = library.get(material_id), set(keys)
    told: list[tuple[str, str]] = []
    infos = [info for info in files_of(material.source) if file_key(info["blob"]) in wanted]
    for role, way in _WAYS.items():
        for info in (one for one in infos if one.get("role") == role):
            key = file_key(info["blob"])
            evaluation = library.evaluation(material)
            registered = evaluation.recipe.settings("gather.registration")
            if key == evaluation.inputs.photograph or key in {r.file for r in (*registered.files, *registered.joined)}:
                continue
            try:
                changes, found = register_file(evaluation, key, way)
            except UnreadableFile as error:
                told.append(("attention", f"{info['file']}: {error.message} {error.remedy}"))
                continue
            label = f"{info['file']} {'joined' if way == 'join' else 'laid in place'}"
            material = library.edit(material_id, material.revision, changes, label=label, gesture="")
            fit = fit_of(library.evaluation(material), key)
            told.append((fit.level, f"{info['file']}: {describe_registration(found, fit)}"))
    return material, told
