"""The library: import, edit, undo. Every change is one transaction and raises the material's revision."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

from peewee import SqliteDatabase

from amber_thicket.core.gather.roles import Guess, named
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.core.recipe import Recipe, from_json
from amber_thicket.errors import NotFound, StaleEdit, ThicketError, UnreadableFile
from amber_thicket.formats.limits import MAX_BYTES
from amber_thicket.formats.picture import read_picture
from amber_thicket.service.followed import follow_plan
from amber_thicket.service.kept_places import keep_places, shapes_picture
from amber_thicket.service.mapset import changes_for, first_changes, first_guess, read_map, start_size
from amber_thicket.service.preview import first_thumbnail
from amber_thicket.service.sources import StoredSource, describe, file_key, files_of
from amber_thicket.store import cards
from amber_thicket.store.blobs import Blobs, Incoming
from amber_thicket.store.models import Material, Step, using

_NAME_LENGTH = 120
_PATIENCE = 2.0
# States before the newest one that a page may still ask pictures of.
_RECENT = 8


def clean_name(name: str) -> str:
    """A name fit to show: trimmed, no control characters, never empty."""
    kept = "".join(c for c in name if c.isprintable()).strip()
    return kept[:_NAME_LENGTH] or "Untitled"


class Library:
    """All materials of one data folder."""

    def __init__(self, database: SqliteDatabase, blobs: Blobs, memory: Memory) -> None:
        self.database = database
        self.blobs = blobs
        self.memory = memory

    def add(
        self,
        parts: Iterable[bytes],
        file_name: str,
        *,
        name: str | None = None,
        changes: dict[str, Any] | None = None,
        as_role: str = "",
        origin: dict[str, Any] | None = None,
        expected: int = 0,
    ) -> Material:
        """Import one capture as a material. as_role: what it is, where its name need not say so. origin: who made it,
        if it is no photograph. expected: bytes that are announced, 0 when nobody knows.

        Raises UnreadableFile, TooLarge; nothing is kept then.
        """
        file_name = clean_name(Path(file_name.replace("\\", "/")).name)
        with self.blobs.receive(parts, limit=MAX_BYTES, expected=expected) as incoming:
            return self._added(incoming, file_name, name, changes, as_role, origin)

    def _added(
        self,
        incoming: Incoming,
        file_name: str,
        name: str | None,
        changes: dict[str, Any] | None,
        as_role: str,
        origin: dict[str, Any] | None,
    ) -> Material:
        """A material of a received capture, which is kept once it was read."""
        picture = read_picture(incoming.read(), file_name)
        width, height = picture.size
        if width * height > 64 * min(width, height) ** 2 or min(width, height) < 16:
            raise UnreadableFile(
                f"{file_name} is {width} × {height} px: too narrow for a sample.",
                remedy="Give a picture at least 16 px on its shorter side and at most 64 times as long as wide.",
            )
        info = describe(picture, incoming.name, incoming.length, file_name)
        guess = Guess(as_role, "it was brought in as such") if as_role else first_guess(file_name, picture)
        role = "photo" if guess.role in ("", "cutout", "merged", "walk") else guess.role
        info |= {"role": role, "why": guess.why, **({"origin": origin} if origin else {})}
        changes = {**first_changes(info, guess, picture), **(changes or {})}
        recipe = Recipe().with_changes(start_size(width, height) | changes)
        stem = named(file_name).family if guess.role == "light" and not as_role else Path(file_name).stem
        title = clean_name(name or (stem or Path(file_name).stem).replace("_", " "))
        source = StoredSource(info, lambda: b"", self.memory)
        thumbnail, _ = self.blobs.put([first_thumbnail(source.hold(picture))])
        self.blobs.keep(incoming)
        with self.database.atomic():
            material = Material.create(name=title, source=info, thumbnail=thumbnail)
            step = Step.create(material=material, recipe=recipe.as_json(), label="Imported")
            material.head = step.id
            material.save()
            cards.sync_card(material, step.recipe["operations"])
        return material

    def add_map(
        self,
        material_id: str,
        parts: Iterable[bytes],
        file_name: str,
        *,
        gesture: str = "",
        as_role: str = "",
        expected: int = 0,
    ) -> Material:
        """Another file of the same surface. Its guessed role, or as_role, is taken when no other file has it.

        Files of one gesture are one step of the history. Raises UnreadableFile, TooLarge; nothing is kept then.
        """
        file_name = clean_name(Path(file_name.replace("\\", "/")).name)
        self.get(material_id)
        with self.blobs.receive(parts, limit=MAX_BYTES, expected=expected) as incoming:
            info, guess, _ = read_map(incoming.read(), incoming.name, file_name)
            return self._map_added(material_id, incoming, info, guess, file_name, gesture, as_role)

    def _map_added(
        self,
        material_id: str,
        incoming: Incoming,
        info: dict[str, Any],
        guess: Guess,
        file_name: str,
        gesture: str,
        as_role: str,
    ) -> Material:
        """A material with one more received map, which is kept once its place is known."""
        if as_role and as_role != guess.role:
            guess = Guess("" if as_role == "unused" else as_role, "it was brought in as such")
            info |= {"role": guess.role, "why": guess.why}
        with self.database.atomic("immediate"):
            material = self.get(material_id)
            if any(file["key"] == info["key"] for file in files_of(material.source)):
                raise UnreadableFile(
                    f"{file_name} is one of this material's files already.", remedy="Choose its role in Gather."
                )
            self.blobs.keep(incoming)
            material.source = {**material.source, "more": [*material.source.get("more", []), info]}
            recipe = self.recipe(material)
            recipe = recipe.with_changes(changes_for(recipe, info, guess))
            return self._stepped(material, recipe, label=f"{file_name} added", gesture=gesture)

    def add_set(self, name: str, infos: list[dict[str, Any]], recipes: list[tuple[str, Recipe]]) -> Material:
        """A material from files that are in the store already. recipes: its history, oldest first, with labels."""
        with self.database.atomic():
            material = Material.create(name=clean_name(name), source={**infos[0], "more": infos[1:]})
            step = None
            for label, recipe in recipes:
                step = Step.create(material=material, parent=step and step.id, recipe=recipe.as_json(), label=label)
            assert step is not None
            material.head = step.id
            material.save()
            cards.sync_card(material, step.recipe["operations"])
        return material

    def get(self, material_id: str) -> Material:
        """Raises NotFound."""
        material = Material.get_or_none(Material.id == material_id)
        if material is None:
            raise NotFound("This material does not exist.", remedy="Go back to the library.")
        return material

    def recipe(self, material: Material) -> Recipe:
        return from_json(Step.get_by_id(material.head).recipe)

    def evaluation(self, material: Material, cancel: Cancel | None = None) -> Evaluation:
        """The newest recipe on the material's capture."""
        return self._evaluation(material, self.recipe(material), cancel)

    def recent_evaluations(self, material: Material, cancel: Cancel | None = None) -> Iterator[Evaluation]:
        """The newest state, then those before it, then the one that was undone last: what a page may still ask for."""
        step = Step.get_by_id(material.head)
        yield self._evaluation(material, from_json(step.recipe), cancel)
        for _ in range(_RECENT):
            if step.parent is None:
                break
            step = Step.get_by_id(step.parent)
            yield self._evaluation(material, from_json(step.recipe), cancel)
        ahead = Step.get_or_none(Step.id == material.forward) if material.forward else None
        if ahead:
            yield self._evaluation(material, from_json(ahead.recipe), cancel)

    def _evaluation(self, material: Material, recipe: Recipe, cancel: Cancel | None = None) -> Evaluation:
        made = evaluation_of(material.source, recipe, self.blobs, self.memory, cancel)
        made.others = partial(self._laid_over, str(material.id), made)
        return made

    def _laid_over(self, own: str, made: Evaluation, material_id: str) -> Evaluation | None:
        """Another material as it is laid over one. None where it is gone, or the same."""
        # Asked from the threads that make pictures, which belong to no request.
        with using(self.database):
            found = self._bare(material_id, own)
        return found and evaluation_of(*found, self.blobs, self.memory, made.cancel)

    def _bare(self, material_id: str, own: str) -> tuple[dict[str, Any], Recipe] | None:
        """Source and recipe of another material, without what lies on it. None where it is gone, or the same."""
        material = Material.get_or_none(Material.id == material_id) if material_id != own else None
        if material is None:
            return None
        return material.source, self.recipe(material).with_changes({"response.covers.covers": None})

    def laid_over(self, material: Material) -> dict[str, Any]:
        """Source and recipe, without what lies on them, of the materials laid over one, by id: for a worker."""
        ids = self.recipe(material).settings("response.covers").materials()
        found = {id: self._bare(id, str(material.id)) for id in ids}
        return {id: {"source": one[0], "recipe": one[1].as_json()} for id, one in found.items() if one}

    def worker_payload(self, material: Material) -> dict[str, Any]:
        """A material as a worker is told to make it: fields of store.work.MaterialToPack."""
        return {
            "recipe": self.recipe(material).as_json(),
            "source": material.source,
            "name": material.name,
            "others": self.laid_over(material),
            "material": str(material.id),
            "head": material.head or 0,
        }

    def edit(
        self,
        material_id: str,
        revision: int,
        changes: dict[str, Any],
        *,
        label: str,
        gesture: str,
        coming: Callable[[Evaluation], None] | None = None,
    ) -> Material:
        """Change settings. Steps of one gesture (a drag) fold into one. coming: is handed the new state where something
        changes, before it is written to the disk.

        A revision ahead of the material's waits a moment for the change before it, which is still on its way.
        When that one never comes (its page was closed under it), the change is made on what there is.
        Raises StaleEdit when the material has moved on, BadSetting when a value is not allowed.
        """
        before = self._await(material_id, revision)
        changes = changes | self._following(before, changes)
        with self.database.atomic("immediate"):
            material = self.get(material_id)
            if material.revision not in (revision - 1, revision):
                raise _stale(material)
            step = Step.get_by_id(material.head)
            old = from_json(step.recipe)
            recipe = old.with_changes(changes)
            if recipe == old:
                return material
            if shapes_picture(changes):
                recipe = keep_places(self.evaluation(material), recipe, changes)
            if coming:
                coming(self._evaluation(material, recipe))
            return self._stepped(material, recipe, label=label, gesture=gesture, step=step)

    def _following(self, material: Material, changes: dict[str, Any]) -> dict[str, Any]:
        """What else changes with these settings, so that fills and repairs stay on what they mend. Planning may take a
        while: done before the database is held for writing."""
        old = self.recipe(material)
        if not old.settings("tile.repair").mends and not old.settings("tile.retouch").strokes:
            return {}
        return follow_plan(self._evaluation(material, old), self._evaluation(material, old.with_changes(changes)))

    def _stepped(
        self, material: Material, recipe: Recipe, *, label: str, gesture: str, step: Step | None = None
    ) -> Material:
        """A new state of the material; one of the same gesture takes the place of the last. step: the newest, where it
        is at hand."""
        step = step or Step.get_by_id(material.head)
        if gesture and step.gesture == gesture and step.parent is not None:
            step.recipe = recipe.as_json()
            step.save()
        else:
            step = Step.create(material=material, parent=step.id, recipe=recipe.as_json(), label=label, gesture=gesture)
        return self._moved(material, step, forward=None)

    def undo(self, material_id: str, revision: int) -> Material:
        """One step back; nothing happens at the beginning."""
        with self.database.atomic("immediate"):
            material = self._current(material_id, revision)
            step = Step.get_by_id(material.head)
            if step.parent is None:
                return material
            # A drag that was undone must not be folded into by a later one.
            Step.update(gesture="").where(Step.id << [step.id, step.parent]).execute()
            return self._moved(material, Step.get_by_id(step.parent), forward=step.id)

    def redo(self, material_id: str, revision: int) -> Material:
        """One step forward along what was undone; nothing happens at the end."""
        with self.database.atomic("immediate"):
            material = self._current(material_id, revision)
            if material.forward is None:
                return material
            ahead = material.forward
            return self._moved(material, Step.get_by_id(ahead), forward=self._child(ahead))

    def steps(self, material: Material) -> tuple[str | None, str | None]:
        """Labels of what undo and redo would touch; None when there is nothing."""
        # Without their recipes, which are most of them.
        wanted = [number for number in (material.head, material.forward) if number]
        rows: Any = Step.select(Step.id, Step.label, Step.parent).where(Step.id << wanted).tuples()
        found = {number: (label, parent) for number, label, parent in rows}
        label, parent = found[material.head]
        ahead = found.get(material.forward)
        return (label if parent is not None else None), (ahead[0] if ahead else None)

    @staticmethod
    def _child(step_id: int) -> int | None:
        child = Step.select().where(Step.parent == step_id).order_by(Step.id.desc()).first()
        return child.id if child else None

    def rename(self, material_id: str, name: str) -> Material:
        with self.database.atomic("immediate"):
            material = self.get(material_id)
            material.name = clean_name(name)
            material.revision += 1
            material.save()
            cards.sync_card(material, Step.get_by_id(material.head).recipe["operations"])
            return material

    def archive(self, material_id: str, archived: bool) -> Material:
        """Put aside or bring back; nothing is deleted."""
        with self.database.atomic("immediate"):
            material = self.get(material_id)
            material.archived = archived
            material.save()
            return material

    def archive_many(self, ids: Iterable[str], archived: bool) -> int:
        """As archive(), all in one transaction: how many there were."""
        with self.database.atomic("immediate"):
            moving = Material.update(archived=archived).where(Material.id.in_(list(dict.fromkeys(ids))))
            return int(moving.execute() or 0)

    def keep_thumbnail(self, material: Material, jpeg: bytes, *, chosen: bool = False) -> None:
        """Remember a small picture for the library; no change of the material itself. chosen: by somebody, who keeps it
        until the material changes."""
        if chosen:
            material.source = {**material.source, "card": material.revision}
            Material.update(source=material.source).where(Material.id == material.id).execute()
        elif material.source.get("card") == material.revision:
            return
        blob, _ = self.blobs.put([jpeg])
        if blob != material.thumbnail:
            Material.update(thumbnail=blob).where(Material.id == material.id).execute()

    def note_findings(self, material: Material, findings: list[dict[str, Any]]) -> None:
        """Remember on the material's card what came of checking its present state."""
        levels = [finding["level"] for finding in findings]
        open_ones = levels.count("blocked") + levels.count("attention")
        cards.note_checked(str(material.id), material.head or 0, open_ones, levels.count("unknown"))

    def _await(self, material_id: str, revision: int) -> Material:
        """The material once it has reached a revision, or as it is when that does not come."""
        end = time.monotonic() + _PATIENCE
        while (material := self.get(material_id)).revision < revision and time.monotonic() < end:
            time.sleep(0.02)
        return material

    def _current(self, material_id: str, revision: int) -> Material:
        material = self.get(material_id)
        if material.revision != revision:
            raise _stale(material)
        return material

    @staticmethod
    def _moved(material: Material, step: Step, *, forward: int | None) -> Material:
        material.head, material.forward = step.id, forward
        material.revision += 1
        material.changed = time.time()
        material.save()
        cards.sync_card(material, step.recipe["operations"])
        return material


def _stale(material: Material) -> StaleEdit:
    return StaleEdit(
        "This material was changed elsewhere.",
        remedy="The newest state is being loaded; make the change again.",
        revision=material.revision,
    )


def evaluation_of(
    source: dict[str, Any], recipe: Recipe, blobs: Blobs, memory: Memory, cancel: Cancel | None = None
) -> Evaluation:
    """An evaluation of a recipe on a stored capture."""
    if not source.get("blob"):
        raise ThicketError("The material has no capture.", remedy="Import one.")

    def stored(info: dict[str, Any]) -> StoredSource:
        return StoredSource(info, lambda: blobs.get(info["blob"]), memory)

    files = {file_key(info["blob"]): stored(info) for info in files_of(source)}
    first = files[file_key(source["blob"])]
    return Evaluation(recipe, first, memory, cancel, files)
