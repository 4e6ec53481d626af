"""What a job is to do and what came of it, by its kind: what goes through the queue and into the database."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from amber_thicket.errors import ThicketError


class Work(BaseModel):
    """Plain data of one shape; nothing unknown in it."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class MaterialToPack(Work):
    """A material as a worker makes it. source: what the database keeps of its files; recipe: as recipe.from_json()
    takes it. others: the materials that lie over it, by id, each with source and recipe. material, head: which one it
    is in the library, and which state of it."""

    recipe: dict[str, Any]
    source: dict[str, Any]
    name: str
    others: dict[str, dict[str, Any]] = Field(default_factory=dict)
    material: str = ""
    head: int = 0


class PackPayload(MaterialToPack):
    kind: Literal["pack"] = "pack"
    file: str


class MaterialInFolder(MaterialToPack):
    folder: str


class PackSeveralPayload(Work):
    kind: Literal["pack_several"] = "pack_several"
    several: tuple[MaterialInFolder, ...]
    file: str


class GeneratePayload(Work):
    kind: Literal["generate"] = "generate"
    words: str
    seed: int
    tileable: bool = True
    top_down: bool = True
    side: int = 1024
    provider: str = "simulation"


class StillLook(Work):
    """How a still is seen, as core.lit.still.Look and the lit view have it. surroundings: built-in ones, or the name a
    panorama of one's own was given."""

    shape: Literal["slab", "ball"] = "slab"
    surroundings: str = Field(default="overcast", max_length=40)
    width: int = Field(default=960, ge=64, le=2048)
    height: int = Field(default=720, ge=64, le=2048)
    turn: float = Field(default=0.0, ge=-360, le=360)
    tilt: float = Field(default=58.0, ge=0, le=90)
    distance: float = Field(default=1.0, ge=0.1, le=4)
    repeat: int = Field(default=2, ge=1, le=16)
    bearing: float = Field(default=130.0, ge=-360, le=360)
    elevation: float = Field(default=32.0, ge=0, le=90)
    lamp: float = Field(default=1.0, ge=0, le=20)
    exposure: float = Field(default=-0.4, ge=-8, le=8)
    sky_turn: float = Field(default=0.0, ge=-360, le=360)
    sky_light: float = Field(default=1.0, ge=0, le=10)
    displacement: float = Field(default=1.0, ge=0, le=4)
    background: bool = False


class StillPayload(MaterialToPack):
    """paths: how many a pixel. revision: of the material, as it is shown."""

    kind: Literal["still"] = "still"
    file: str
    revision: int
    look: StillLook = StillLook()
    paths: int = Field(default=64, ge=1, le=1024)


class BatchPayload(MaterialToPack):
    """A material of a batch: what is suggested for it is taken, then it is checked and packed. row: of the batch it is.
    profile, size: of the pack, where they are not the material's own."""

    kind: Literal["batch"] = "batch"
    file: str
    row: int = 0
    suggested: Literal["sure", "all", "none"] = "sure"
    profile: str = ""
    size: int = 0


class PackedFile(BaseModel):
    """One file of a pack, as its manifest says it; pictures have a size, bits and an encoding."""

    model_config = ConfigDict(extra="allow", frozen=True)

    file: str
    bytes: int
    width: int | None = None
    height: int | None = None
    bits: int | None = None
    encoding: str | None = None
    read_back: str | None = None


class NotPacked(Work):
    """A material of several that could not be packed."""

    name: str
    why: str


class PackResult(Work):
    """blob: the zip in the store; expired: it was made too long ago and is not kept any more. seconds: it took."""

    blob: str = ""
    bytes: int
    file: str
    files: tuple[PackedFile, ...]
    failed: tuple[NotPacked, ...] = ()
    expired: bool = False
    seconds: float = 0.0


class BatchFinding(Work):
    """A rule that is not met, or cannot be told, or has something to say. map: the role it is about."""

    rule: str
    title: str
    level: str
    map: str = ""
    measured: str
    limit: str


class BatchResult(PackResult):
    """changes: settings that were taken, on the material as it was. told: what was decided, each with its reason.
    findings: of the check, gravest first, without what passed. thumbnail: blob of a small picture. tile_mm: width of a
    tile, 0 where nobody knows."""

    changes: dict[str, Any] = Field(default_factory=dict)
    told: tuple[str, ...] = ()
    findings: tuple[BatchFinding, ...] = ()
    thumbnail: str = ""
    tile_mm: float = 0.0


class CandidateFinding(Work):
    """What was found wrong with a picture that was made."""

    what: str
    measured: str


class Candidate(Work):
    """A picture that was made. blob: in the store. findings: what is wrong with it; nothing that passed."""

    blob: str
    seed: int
    bytes: int
    findings: tuple[CandidateFinding, ...] = ()


class GenerateResult(Work):
    """unread: words that changed nothing. simulation: it is a stand-in that ships with the program."""

    candidates: tuple[Candidate, ...] = ()
    unread: tuple[str, ...]
    simulation: bool
    expired: bool = False


class StillResult(Work):
    """blob: PNG in the store. paths: followed at each pixel so far, of so many. revision: of the material it shows."""

    blob: str = ""
    bytes: int
    file: str
    revision: int
    paths: int
    of: int
    expired: bool = False


Payload = PackPayload | PackSeveralPayload | GeneratePayload | StillPayload | BatchPayload
Result = PackResult | GenerateResult | StillResult | BatchResult
_PAYLOADS: dict[str, type[Work]] = {
    "pack": PackPayload,
    "pack_several": PackSeveralPayload,
    "generate": GeneratePayload,
    "still": StillPayload,
    "batch": BatchPayload,
}
_RESULTS: dict[str, type[Work]] = {
    "pack": PackResult,
    "pack_several": PackResult,
    "generate": GenerateResult,
    "still": StillResult,
    "batch": BatchResult,
}


def _parsed(models: dict[str, type[Work]], kind: str, data: Any) -> Any:
    if kind not in models:
        raise ThicketError(f"There is no work of the kind “{kind[:40]}”.", remedy=f"Known: {', '.join(models)}.")
    try:
        return models[kind].model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise ThicketError(f"The {kind} job is damaged at {where}: {first['msg']}.", remedy="Start it again.") from None


def payload_of(kind: str, data: Any) -> Payload:
    """What a job is to do. Raises ThicketError for a kind nobody knows, and for what is damaged."""
    found: Payload = _parsed(_PAYLOADS, kind, data)
    return found


def result_of(kind: str, data: Any) -> Result | None:
    """What came of a job; None while there is nothing. Raises as payload_of()."""
    found: Result | None = None if data is None else _parsed(_RESULTS, kind, data)
    return found
