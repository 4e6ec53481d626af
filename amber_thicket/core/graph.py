"""Evaluates a recipe at a size: frames, content keys, what depends on what."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, replace
from functools import cached_property, lru_cache, partial
from typing import Any

from amber_thicket.core.gather.maps import as_layer
from amber_thicket.core.inputs import resolve_inputs
from amber_thicket.core.memory import Cancel, Memory
from amber_thicket.core.numeric.sampling import repeated
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.present import present
from amber_thicket.core.progress import progress_to
from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import BY_ID, BY_LAYER, CARRIED
from amber_thicket.core.roles import BESIDE, COMPARED, EVERY, MADE
from amber_thicket.core.settings import Record
from amber_thicket.core.source import Source, halvings
from amber_thicket.core.square.crop import sampled
from amber_thicket.core.square.view import View, view_of
from amber_thicket.core.tile.join import looked_at, reach
from amber_thicket.core.tile.tileset import meet

PLAN_SIDE = 768
AS_SHOT = "as_shot"
_BEFORE_TILE = ("gather", "square", "even")
# What of a recipe a map can be pinned to, and what all tiles of a set have in common.
_RECALLED = ("relief", "response")
# The photograph as it was before Even goes through Tile as an existing map does.
_ALIASES = {f"squared.{AS_SHOT}": "squared"}


@dataclass(frozen=True)
class Sizes:
    """Frames of one evaluation. work: the whole sample; tile: what repeats; level: how often the source is halved."""

    work: Frame
    tile: Frame
    level: int


def output_size(recipe: Recipe) -> tuple[int, int]:
    """(width, height) in pixels of the finished maps."""
    size = recipe.settings("square.size")
    return size.width, size.height


def fit_side(recipe: Recipe, side: int) -> tuple[int, int]:
    """The output's size scaled so that its longer side is `side`."""
    width, height = output_size(recipe)
    longer = max(width, height)
    return max(1, width * side // longer), max(1, height * side // longer)


class Evaluation:
    """One recipe on one source. Holds no pixels of its own: all go through the shared memory."""

    def __init__(
        self,
        recipe: Recipe,
        source: Source,
        memory: Memory,
        cancel: Cancel | None = None,
        files: Mapping[str, Source] | None = None,
    ) -> None:
        """source: what was brought first, and brings the colour where nothing else does. files: all files of the
        material by the names settings of gather.maps use."""
        self.recipe = recipe
        self.files = files or {}
        self.first = source
        self.inputs = resolve_inputs(recipe, self.files, source, memory)
        self.source, self.brought, self.lights = self.inputs[:3]
        self.memory = memory
        self.cancel = cancel or Cancel()
        # Other materials of the library, which may be laid over this one. What lies on them themselves is left out.
        self.others: Callable[[str], Evaluation | None] = lambda id: None
        # Who is told how far a long decision is: the share done, and what is being done.
        self.told: Callable[[float, str], None] | None = None
        self._keys: dict[tuple[str, Sizes], str] = {}
        self._decided_keys: dict[str, str] = {}
        self._sizes: dict[tuple[int, int], Sizes] = {}
        self._recalled: dict[str, Evaluation] = {}
        # None where it is this one: what knew itself would stay until the collector comes.
        self._deciding: dict[str, Evaluation | None] = {}

    def with_changes(self, changes: dict[str, Any]) -> Evaluation:
        """The same capture and materials over it under a recipe with settings changed. Raises BadSetting."""
        made = Evaluation(self.recipe.with_changes(changes), self.first, self.memory, self.cancel, self.files)
        made.others = self.others
        return made

    def sizes(self, size: tuple[int, int]) -> Sizes:
        """Frames for a tile of (width, height) pixels."""
        if size not in self._sizes:
            self._sizes[size] = self._made_sizes(size)
        return self._sizes[size]

    def _made_sizes(self, size: tuple[int, int]) -> Sizes:
        join = self.recipe.settings("tile.join")
        over = reach(join)
        width, height = size
        share = looked_at(join)
        sample_mm = share * self.recipe.settings("square.size").sample_mm
        # Rounded down, and the rest of a pixel left out: then all sizes show the picture at one scale, and the copies
        # that are joined lie a whole number of pixels apart at each of them.
        exact = (width * (1 + over[0]), height * (1 + over[1]))
        tile_mm = sample_mm / (1 + over[0]) if sample_mm else None
        picture = self.picture_size()
        meets = join.method == "none" and join.tiles and share == 1 and self._uncut()
        work = Frame(
            int(exact[0] + 1e-6), int(exact[1] + 1e-6), float(width), meets, tile_mm, picture, exact, share=share
        )
        box, whole = self.sample_box(work), self.view().size
        part = (box[0] / whole[0], box[1] / whole[1], box[2] / whole[0], box[3] / whole[1])
        tile = Frame(width, height, float(width), True, tile_mm, picture, part=part)
        return Sizes(work, tile, self._level(work))

    def _uncut(self) -> bool:
        """Whether the sample is the whole picture, flat as it was brought."""
        names = ("square.crop", "square.flat", "square.lens")
        return all(self.recipe.settings(name) == type(self.recipe.settings(name))() for name in names)

    def picture_size(self) -> tuple[int, int]:
        """(width, height) of the capture after it is turned the right way up."""
        turned = self.recipe.settings("gather.orient").turn in ("90", "270")
        return (self.source.height, self.source.width) if turned else (self.source.width, self.source.height)

    def view(self) -> View:
        """How the flattened picture looks into the capture."""
        return self._view

    @cached_property
    def _view(self) -> View:
        return view_of(self.recipe.settings("square.flat"), self.recipe.settings("square.lens"), self.picture_size())

    def sample_box(self, work: Frame) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the sample in pixels of the flattened picture."""
        return sampled(self.recipe.settings("square.crop"), self.view().size, work)

    def _level(self, work: Frame) -> int:
        return max(0, int(math.log2(max(self._sharper(work), 1.0))))

    def enlarged(self) -> float:
        """Px of the finished maps to one of the capture's: over 1, they are enlarged."""
        return 1 / self._sharper(self.sizes(output_size(self.recipe)).work)

    def _sharper(self, work: Frame) -> float:
        """Pixels of the capture to one of the sample's."""
        view, box = self.view(), self.sample_box(work)
        return (box[2] - box[0]) / work.width if view.plain else view.scales(box, work.width)[0]

    def _frame(self, operation: Operation, sizes: Sizes) -> Frame:
        if operation.stage == "gather":
            width, height = self.picture_size()
            return Frame(width >> sizes.level, height >> sizes.level, float(sizes.tile.width), False)
        return sizes.work if operation.stage in _BEFORE_TILE else sizes.tile

    def key(self, layer: str, size: tuple[int, int]) -> str:
        """The content key of a layer: same key, same pixels."""
        return self._key(layer, self.sizes(size))

    def _key(self, layer: str, sizes: Sizes) -> str:
        known = self._keys.get((layer, sizes))
        if known is None:
            known = self._keys[layer, sizes] = self._made_key(layer, sizes)
        return known

    def _made_key(self, layer: str, sizes: Sizes) -> str:
        if layer == "photo":
            return f"{self._photo_key()}/{sizes.level}"
        if layer in _ALIASES:
            return self._key(_ALIASES[layer], sizes)
        if "." in layer:
            return self._together_key(layer, sizes)
        if layer in COMPARED or layer in BESIDE:
            return self._key(f"tiled.{layer}", sizes)
        operation = BY_LAYER[layer]
        if self._passes(operation):
            return self._key(operation.reads[0], sizes)
        frame = _frame_fields(self._frame(operation, sizes))
        parts = [operation.id, operation.version, *self._mattering(operation), frame]
        given = self.given(operation)
        parts += [given.role if given else "", *self._input_keys(operation, sizes)]
        if (given or operation).decide:
            parts.append(self._decided_key(operation))
        return _digest(parts)

    def _passes(self, operation: Operation) -> bool:
        """Whether an operation changes nothing: by its settings, or because the capture brought no such file."""
        if operation.needs and operation.needs not in self.brought:
            return True
        return bool(operation.idle and operation.idle(self.recipe.settings(operation.id)))

    def known_keys(self) -> set[str]:
        """The content keys of what was asked for or hangs together with it and is quickly made again: layers, and what
        was made out of decisions."""
        # Copies: somebody may still be asking for more.
        settled = [key for id, key in list(self._decided_keys.items()) if self._settles(BY_ID[id])]
        return {*list(self._keys.values()), *settled}

    def given(self, operation: Operation) -> ExistingMap | None:
        """How the operation takes an existing map, when the capture brought one for it."""
        return next((given for given in operation.given if self._whole(given.role)), None)

    def _whole(self, role: str) -> bool:
        """Whether the capture brought a map that takes the place of the one made here, and does not only lie on it."""
        detail = role == "normal" and self.recipe.settings("gather.maps").normal_is == "detail"
        return role in self.brought and not detail

    def maps(self) -> tuple[str, ...]:
        """Roles of all maps of the set: those every surface has, and the others that say something here."""
        return (*MADE, *present(self.recipe))

    def compared(self) -> tuple[str, ...]:
        """Layers that are there to compare with."""
        return tuple(role for role in (*COMPARED, *BESIDE) if role in self.brought)

    def _inputs(self, operation: Operation) -> tuple[str | None, ...]:
        given = self.given(operation)
        if given is None:
            used = operation.uses(self._options(operation)) if operation.uses else operation.reads
            return tuple(self._there(name) if name in used else None for name in operation.reads)
        beside = (f"tiled.{role}" if self._whole(role) else None for role in given.beside)
        return (f"tiled.{given.role}", *beside)

    def _there(self, name: str) -> str | None:
        """The layer meant; None for an existing map the capture did not bring."""
        if not name.startswith("?"):
            return name
        return name[1:] if name.split(".")[1] in self.brought else None

    def _for_inputs(self, operation: Operation) -> Evaluation:
        """What the operation's inputs are made by: this, or the same with settings that were kept."""
        kept = operation.recalls(self.recipe.settings(operation.id)) if operation.recalls else None
        if kept is None:
            return self
        if operation.id not in self._recalled:
            recipe = self.recipe.with_kept(kept, _RECALLED)
            other = Evaluation(recipe, self.first, self.memory, self.cancel, self.files)
            other.others, other.told = self.others, self.told
            self._recalled[operation.id] = other
        return self._recalled[operation.id]

    def deciding(self, operation: Operation) -> Evaluation:
        """What the inputs of an operation's decision are made by: this, or the same with what must not matter to it."""
        if operation.decides_with is None or self.given(operation):
            return self
        if operation.id not in self._deciding:
            wanted = operation.decides_with(self.recipe.settings(operation.id))
            changes = {path: value for path, value in wanted.items() if self._value(path) != value}
            self._deciding[operation.id] = self._beside(changes) if changes else None
        return self._deciding[operation.id] or self

    def _value(self, path: str) -> Any:
        id, _, name = path.rpartition(".")
        return getattr(self.recipe.settings(id), name)

    def _input_keys(self, operation: Operation, sizes: Sizes) -> list[str]:
        by = self._for_inputs(operation)
        return [by._key(name, sizes) if name else "" for name in self._inputs(operation)]

    def _input_layers(self, operation: Operation, sizes: Sizes) -> list[Any]:
        by = self._for_inputs(operation)
        if operation.lazy and not self.given(operation):
            return [partial(by._layer, name, sizes) if name else None for name in self._inputs(operation)]
        return [by._layer(name, sizes) if name else None for name in self._inputs(operation)]

    def _together_key(self, layer: str, sizes: Sizes) -> str:
        step, role = layer.split(".")
        if step == "photo":
            source = self.brought[role]
            settings = self.recipe.settings("gather.maps")
            kinds = [value for name, value in settings.options().items() if name not in EVERY]
            return _digest([source.key, role, kinds, self._map_level(source, sizes)])
        operation, before = CARRIED[step]
        settings = self.recipe.settings(operation.id)
        if self._passes(operation):
            return self._key(f"{before}.{role}", sizes)
        parts = ["together", operation.id, operation.version, settings]
        parts += [_frame_fields(self._frame(operation, sizes)), self._key(f"{before}.{role}", sizes)]
        parts += [self.recipe.settings(other) for other in operation.also]
        if operation.decide:
            parts.append(self._decided_key(operation))
        return _digest(parts)

    def _map_level(self, source: Source, sizes: Sizes) -> int:
        """How often a map of another size is halved, so that it comes to about the scale of the colour."""
        larger = math.log2(max(source.width * source.height, 1) / (self.source.width * self.source.height)) / 2
        return max(0, math.floor(sizes.level + larger + 0.01))

    def _together(self, layer: str, sizes: Sizes) -> Raster:
        """An existing map after one of the steps it takes with the colour."""
        step, role = layer.split(".")
        if step == "photo":
            source = self.brought[role]
            settings = self.recipe.settings("gather.maps")
            if getattr(source, "made", False):
                return source.read(self._map_level(source, sizes))
            data = EVERY[role].encoding == "linear"
            return as_layer(role, source.read(self._map_level(source, sizes), data=data).pixels, settings)
        operation, before = CARRIED[step]
        return self._applied(operation, [self._layer(f"{before}.{role}", sizes)], sizes)

    def _options(self, operation: Operation) -> dict[str, Any]:
        options: dict[str, Any] = self.recipe.settings(operation.id).options()
        return options | {other.split(".")[1]: self.recipe.settings(other) for other in operation.also}

    def _handed(self, operation: Operation, sizes: Sizes) -> dict[str, Any]:
        """What a function of an operation is handed besides its inputs and its frame."""
        borrowed = {"borrowed": partial(self._borrowed, sizes)} if operation.borrows else {}
        return self._options(operation) | borrowed

    def _mattering(self, operation: Operation) -> list[Any]:
        """What of the settings, and of other materials, goes into a content key."""
        options = self._options(operation)
        borrowed = [self._borrowed_key(id) for id in operation.borrows(options)] if operation.borrows else []
        if operation.matters:
            return [operation.matters(options), *borrowed]
        others = [self.recipe.settings(other) for other in operation.also]
        return [self.recipe.settings(operation.id), *others, *borrowed]

    def _borrowed_key(self, id: str) -> str:
        other = self.others(id)
        if other is None:
            return ""
        size = fit_side(other.recipe, PLAN_SIDE)
        return _digest([*(other.key(role, size) for role in other.maps()), other.picture_mm()])

    def _borrowed(self, sizes: Sizes, id: str, role: str, repeat: int) -> Raster | None:
        """A map of another material, laid side by side until it fills the tile; None where there is none."""
        other = self.others(id)
        if other is None or role not in other.maps():
            return None
        frame = sizes.tile
        count = repeat or self._fitting(other)
        size = (max(8, round(frame.width / count)), max(8, round(frame.height / count)))
        layer = other.layer(role, size)
        return replace(
            layer, pixels=repeated(layer.pixels, (frame.width, frame.height), count), span=layer.span / count
        )

    def _fitting(self, other: Evaluation) -> int:
        """How often another material fits across by real size; once where that is not known."""
        own, its = self.picture_mm(), other.picture_mm()
        return min(8, max(1, round(own / its))) if own and its else 1

    def picture_mm(self) -> float | None:
        """Physical width of one tile."""
        return self.tile_mm(self._plan_sizes())

    def tile_mm(self, sizes: Sizes, *, wait: bool = True) -> float | None:
        """Physical width of one tile, mm; None when it is not known. Where steps were looked for, they tell; without
        `wait` only if they are found already, and about so much else."""
        rough = sizes.tile.tile_mm
        if rough is None or self.recipe.settings("tile.join").method != "joints":
            return rough
        join = BY_ID["tile.join"]
        plan = self.decided(join) if wait else self.memory.known(self._decided_key(join))
        return rough * plan.framing.scale if plan and plan.framing else rough

    def _applied(self, operation: Operation, inputs: list[Any], sizes: Sizes) -> Raster:
        given = self.given(operation)
        options = self._handed(operation, sizes)
        if (given or operation).decide:
            options["decided"] = self.decided(operation)
        self.cancel.check()
        apply = (given or operation).apply
        assert apply is not None
        frame = self._frame(operation, sizes)
        if frame.tile_mm and operation.stage not in (*_BEFORE_TILE, "gather", "tile"):
            frame = replace(frame, tile_mm=self.tile_mm(sizes))
        with progress_to(self._reached):
            return apply(*inputs, frame=frame, **options)

    def _plan_sizes(self) -> Sizes:
        return self.sizes(fit_side(self.recipe, PLAN_SIDE))

    def _decide_sizes(self, operation: Operation) -> Sizes:
        """The frames a decision looks at: those of plan size, or the capture's own pixels up to what it asks for."""
        plan = self._plan_sizes()
        if not operation.decides_at:
            return plan
        side = min(operation.decides_at, round(PLAN_SIDE * self._sharper(plan.work)))
        return self.sizes(fit_side(self.recipe, side)) if side > PLAN_SIDE else plan

    def _decided_key(self, operation: Operation) -> str:
        """The content key of what `apply` is handed."""
        if self._first is not None and operation.stage in _RECALLED:
            return self._first._decided_key(operation)
        if operation.id not in self._decided_keys:
            key = self._made_decided_key(operation)
            if self._settles(operation):
                key = _digest(["settle", key, *self._mattering(operation)])
            self._decided_keys[operation.id] = key
        return self._decided_keys[operation.id]

    def plan_key(self) -> str:
        """The content key of the tile plan: another key, and joins lie elsewhere. "" where nothing is joined."""
        operation = BY_ID["tile.join"]
        idle = self._passes(operation)
        chosen = self.recipe.settings(operation.id)
        key = "" if idle else self._made_decided_key(operation)
        # Which of several arrangements shows is chosen after they were laid.
        return _digest([key, chosen.rank, chosen.larger]) if chosen.method == "joints" else key

    def _settles(self, operation: Operation) -> bool:
        return operation.settle is not None and self.given(operation) is None

    def _made_decided_key(self, operation: Operation) -> str:
        sizes = self._decide_sizes(operation)
        settings: Any = self._mattering(operation)
        if operation.decides_by is not None:
            own = self.recipe.settings(operation.id)
            names = operation.decides_by(own) if callable(operation.decides_by) else operation.decides_by
            settings = [getattr(own, name) for name in names]
        given = self.given(operation)
        parts = ["decide", operation.id, operation.version, settings, given.role if given else ""]
        if operation.stage == "even" and sizes.work.wraps:
            parts.append("round")
        return _digest(parts + self.deciding(operation)._input_keys(operation, sizes))

    def decided(self, operation: Operation) -> Any:
        """What the operation decided, at plan size if it does not ask for more; the same for every output size."""
        if self._first is not None and operation.stage in _RECALLED:
            # One level, one light, one curve for all tiles of a set.
            return self._first.decided(operation)
        decide = (self.given(operation) or operation).decide
        assert decide is not None
        sizes = self._decide_sizes(operation)
        frame = self._frame(operation, sizes)

        def compute() -> Any:
            inputs = self.deciding(operation)._input_layers(operation, sizes)
            self.cancel.check()
            with progress_to(self._reached):
                return decide(*inputs, frame=frame, **self._handed(operation, sizes))

        key = self._decided_key(operation)
        if not self._settles(operation):
            return self.memory.get_persistent(key, compute, self.cancel.check)

        def settled() -> Any:
            found = self.memory.get_persistent(self._made_decided_key(operation), compute, self.cancel.check)
            assert operation.settle is not None
            return operation.settle(found, frame=frame, **self._handed(operation, sizes))

        return self.memory.get(key, settled, self.cancel.check)

    def _reached(self, share: float, what: str) -> None:
        self.cancel.check()
        if self.told:
            self.told(share, what)

    def layer(self, name: str, size: tuple[int, int]) -> Raster:
        """A layer for a tile of (width, height) pixels. Raises Cancelled."""
        sizes = self.sizes(size)
        if self._first is None or name not in self.maps():
            return self._layer(name, sizes)
        first, border = self._first, self.recipe.settings("tile.tileset").border / 100 * sizes.tile.tile_width

        def met() -> Raster:
            return meet(self._layer(name, sizes), first._layer(name, sizes), border)

        return self.memory.get(f"{self._key(name, sizes)}/met", met, self.cancel.check)

    def tile_of_set(self, number: int) -> Evaluation:
        """Another tile of the set, from 1; the only one there is where there is no set."""
        chosen = self.recipe.settings("tile.tileset")
        wanted = min(number, chosen.count)
        return self if wanted == min(chosen.shown, chosen.count) else self._beside({"tile.tileset.shown": wanted})

    def before_set(self) -> Evaluation:
        """The one tile the tiles of a set are made of, as joins, fills and strokes lie on it."""
        return self if self.recipe.settings("tile.tileset").count < 2 else self._beside({"tile.tileset.count": 1})

    def _beside(self, changes: dict[str, Any]) -> Evaluation:
        other = self.with_changes(changes)
        other.others, other.told = self.others, self.told
        return other

    @cached_property
    def _first(self) -> Evaluation | None:
        """The first tile of a set, where another one is shown: its maps are made by the same rules."""
        chosen = self.recipe.settings("tile.tileset")
        return self.tile_of_set(1) if min(chosen.shown, chosen.count) > 1 else None

    def gathered(self, side: int) -> Raster:
        """The whole capture, the right way up, halved until its longer side is under twice `side`."""
        level = halvings(max(self.picture_size()), 2 * side - 1)
        plan = self._plan_sizes()
        return self._layer("gathered", Sizes(plan.work, plan.tile, level))

    def gathered_key(self, side: int) -> str:
        """The content key of gathered(side)."""
        settings = [self.recipe.settings(name) for name in ("gather.orient", "gather.white")]
        return _digest([self.source.key, *settings, side])

    def _photo_key(self) -> str:
        white = self.recipe.settings("gather.white")
        return f"{self.source.key}/{white.raw_white}/{white.raw_highlights}"

    def _photo(self, level: int) -> Raster:
        white = self.recipe.settings("gather.white")
        return self.source.read(level, white=white.raw_white, highlights=white.raw_highlights)

    def _layer(self, name: str, sizes: Sizes) -> Raster:
        if name == "photo":
            if getattr(self.source, "keeps", False):
                return self._photo(sizes.level)
            return self.memory.get(self._key(name, sizes), lambda: self._photo(sizes.level))
        if name in _ALIASES:
            return self._layer(_ALIASES[name], sizes)
        if "." in name:
            step, role = name.split(".")
            if step in CARRIED:
                operation, before = CARRIED[step]
                if self._passes(operation):
                    return self._layer(f"{before}.{role}", sizes)
            return self.memory.get(self._key(name, sizes), lambda: self._together(name, sizes), self.cancel.check)
        if name in COMPARED or name in BESIDE:
            return self._layer(f"tiled.{name}", sizes)
        operation = BY_LAYER[name]
        if self._passes(operation):
            return self._layer(operation.reads[0], sizes)

        def compute() -> Raster:
            self.cancel.check()
            return self._applied(operation, self._input_layers(operation, sizes), sizes)

        return self.memory.get(self._key(name, sizes), compute, self.cancel.check)


@lru_cache(maxsize=512)
def _frame_fields(frame: Frame) -> dict[str, Any]:
    """A frame as it goes into a content key. The same few are asked for again with every change."""
    return asdict(frame)


def _digest(parts: list[Any]) -> str:
    return hashlib.sha256(json.dumps(parts, sort_keys=True, default=_digestible).encode()).hexdigest()[:32]


def _digestible(value: Any) -> str:
    return value.digest if isinstance(value, Record) else str(value)
