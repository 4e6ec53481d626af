"""What an operation is: one step of a stage, with its settings, declared next to its function."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from amber_thicket.core.raster import Frame, Raster
from amber_thicket.core.settings import OperationSettings

Stage = Literal["gather", "square", "even", "tile", "relief", "response", "check", "pack"]
STAGES: tuple[Stage, ...] = ("gather", "square", "even", "tile", "relief", "response", "check", "pack")

Apply = Callable[..., Raster]
Decide = Callable[..., Any]


@dataclass(frozen=True)
class ExistingMap:
    """How an operation takes an existing map instead of making one.

    role: the existing map. apply, decide: as an operation's own, but their first input is that map, squared and tiled
    (scalars in [0, 1] or unit normals). beside: roles of other existing maps that come along, None where there is none.
    """

    role: str
    apply: Apply
    decide: Decide | None = None
    beside: tuple[str, ...] = ()


@dataclass(frozen=True)
class Operation:
    """One step.

    id: "stage.name". reads: layers it takes, in the order of the function's arguments; "?step.role" is an existing
    map after a step, None where the capture brought none; "previous" is what the link before it in its chain makes.
    writes: the layer it makes ("" for settings that other parts read; a link of a chain is named by the chain
    then). carries: existing maps go through it with the colour; the step's name for them. decide: optional first
    half that looks at the inputs at plan size and returns what holds for every size (levels, joins, light field);
    its result reaches `apply` as `decided`. also: ids of operations without a function whose settings this one
    reads too, handed over under their names; "#tag" stands for all that have a tag. tags: what others may ask for.
    decides_by: the settings that `decide` looks at (all when None), so that the others do not make it decide again; or
    a function that names them, where they hang on the settings themselves.
    settle: makes what `apply` is handed out of what was decided and all settings, where that is quick and deciding
    is not. decides_at: the longest side in pixels its decision looks at, as far as the capture is that sharp; 0 for
    plan size. idle: says from the settings that the operation would change nothing, so its first input passes
    through; needs: a role that a file has to bring, or it passes through as well. lazy: the inputs are handed over as
    functions that make them, for an operation that does not always need all of them. uses: those of `reads` that its
    settings ask for; the others are None. matters: what of its own settings and those of `also` changes the pixels; all
    of them when None. borrows: ids of other materials whose maps it asks for by `borrowed`. recalls: settings of Relief
    and Response its inputs are made with instead of those of the recipe. decides_with: settings of earlier operations
    that its decision's inputs are made with instead of those of the recipe, so that it does not hang on them. given:
    what it does when the capture brought such a map; the first that is there counts.
    version: raise it when the pixels change.
    """

    id: str
    label: str
    help: str
    settings: type[OperationSettings]
    reads: tuple[str, ...] = ()
    writes: str = ""
    apply: Apply | None = None
    carries: str = ""
    also: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    decide: Decide | None = None
    decides_by: tuple[str, ...] | Callable[[Any], tuple[str, ...]] | None = None
    settle: Decide | None = None
    decides_at: int = 0
    lazy: bool = False
    uses: Callable[[dict[str, Any]], tuple[str, ...]] | None = None
    matters: Callable[[dict[str, Any]], Any] | None = None
    borrows: Callable[[dict[str, Any]], tuple[str, ...]] | None = None
    recalls: Callable[[Any], dict[str, Any] | None] | None = None
    decides_with: Callable[[Any], dict[str, Any]] | None = None
    idle: Callable[[Any], bool] | None = None
    needs: str = ""
    given: tuple[ExistingMap, ...] = ()
    version: int = 1

    @property
    def stage(self) -> str:
        return self.id.split(".")[0]

    @property
    def name(self) -> str:
        return self.id.split(".")[1]


def unexposed(_: object) -> dict[str, Any]:
    """For `decides_with` of what is decided the same however bright the picture is made."""
    return {"even.original.exposure": 0.0}


__all__ = ["STAGES", "Apply", "Decide", "ExistingMap", "Frame", "Operation", "Raster", "Stage", "unexposed"]
