"""The shapes of all answers: what the page, programs and the description of the interface know of them.

Every answer of a route is checked against its shape before it leaves (web/endpoint.py), the page's types are made of
them (web/typescript.py), and the description of the interface as well (web/openapi.py).
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema
from typing_extensions import TypeAliasType

from amber_thicket.core.operation import STAGES
from amber_thicket.core.pack.profiles import Profile
from amber_thicket.core.response.zones import Part
from amber_thicket.core.roles import EVERY, ROLES
from amber_thicket.service.preview import LAYERS
from amber_thicket.store import cards
from amber_thicket.store.work import BatchResult, GenerateResult, PackResult, StillResult

_STAGES: Any = Literal[tuple(STAGES)]
_ROLES: Any = Literal[tuple(ROLES)]
_EVERY: Any = Literal[tuple(EVERY)]
_LAYERS: Any = Literal[tuple(LAYERS)]
StageId = TypeAliasType("StageId", _STAGES)
MapRole = TypeAliasType("MapRole", _ROLES)
# A map, or one to compare with.
AnyRole = TypeAliasType("AnyRole", _EVERY)
LayerId = TypeAliasType("LayerId", _LAYERS)
Level = TypeAliasType("Level", Literal["pass", "note", "attention", "blocked", "unknown"])
Certainty = TypeAliasType("Certainty", Literal["counted", "clear", "close", "likely", "open"])


def _as(typescript: str, kind: str | None = "object") -> WithJsonSchema:
    """Settings, whose types are made of their declarations; see web/typescript.py."""
    return WithJsonSchema({**({"type": kind} if kind else {}), "x-typescript": typescript})


Changes = Annotated[dict[str, Any], _as("Changes")]
Operations = Annotated[dict[str, dict[str, Any]], _as("Operations")]
SettingPath = Annotated[str, _as("SettingPath", "string")]
Pair = tuple[float, float]
Size = tuple[int, int]
Box = tuple[float, float, float, float]
RGB = tuple[int, int, int]


class Answer(BaseModel):
    """Nothing unknown in it, and every number a number."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Problem(BaseModel):
    """What went wrong, as problem details (RFC 9457): title says what, detail what to do."""

    model_config = ConfigDict(extra="allow", frozen=True)

    type: str
    title: str
    status: int
    detail: str


class Nothing(Answer):
    """There is nothing to say."""


class HowMany(Answer):
    """How many materials it was done to."""

    count: int


# What the page is built from.
class ChoiceInfo(Answer):
    value: str | int
    label: str


class SettingInfo(Answer):
    """How a setting is declared. kind "structure": it holds several values, of the shape that `schema` says."""

    name: str
    label: str
    help: str
    kind: Literal["number", "choice", "switch", "text", "structure"]
    integer: bool
    unit: str
    default: Annotated[Any, _as("Value", None)]
    min: float | None
    max: float | None
    step: float | None
    folded: bool
    choices: tuple[ChoiceInfo, ...]
    schema_: dict[str, Any] | None = Field(None, alias="schema")


class OperationInfo(Answer):
    id: str
    stage: StageId
    name: str
    label: str
    help: str
    writes: str | None
    settings: tuple[SettingInfo, ...]


class ZoneEffectInfo(Answer):
    """What a zone may change on a map, and what it begins with."""

    label: str
    path: Annotated[str, _as("InZonesPath", "string")]
    shape: Literal["scalar", "roughness", "colour", "height"]
    start: Annotated[dict[str, Any], _as("ZoneChange")]


class RoleInfo(Answer):
    """What can be done with a kind of map. short: where room is scarce. made: every surface has one. shot: whether a
    file of it is a photograph, which may lie elsewhere than the first. uniform: the setting that fills it with one
    value. strokes: the setting that holds the strokes on it."""

    id: AnyRole
    label: str
    short: str
    channels: Literal[1, 3]
    compared: bool
    made: bool
    brought: bool
    shot: Literal["", "often", "sometimes"]
    uniform: SettingPath | None
    strokes: Annotated[str, _as("StrokesPath", "string")] | None
    zone: ZoneEffectInfo | None
    lit: bool


class StageInfo(Answer):
    id: StageId
    layer: LayerId


class ShapeInfos(Answer):
    """What settings that hold several values are made of."""

    zone: tuple[SettingInfo, ...]
    part: tuple[SettingInfo, ...]
    cover: tuple[SettingInfo, ...]
    height: tuple[SettingInfo, ...]
    scalar: tuple[SettingInfo, ...]
    roughness: tuple[SettingInfo, ...]
    colour: tuple[SettingInfo, ...]


class Deposit(Answer):
    """A cover to start from."""

    label: str
    changes: Annotated[dict[str, Any], _as("Partial<Cover>")]


class KindChanges(Answer):
    """What choosing a kind for a zone sets on each map; null for what it lets be."""

    roughness: Annotated[dict[str, Any], _as("ZoneChange")]
    metallic: Annotated[dict[str, Any], _as("ZoneChange")] | None
    specular: Annotated[dict[str, Any], _as("ZoneChange")] | None


class KindInfo(Answer):
    """What a zone, or all of a surface, can be made of. whole: settings, where all of it is."""

    id: str
    label: str
    group: str
    changes: KindChanges
    whole: Changes


class SurfaceStart(Answer):
    """Settings of Relief to start from, for a kind of surface."""

    id: str
    label: str
    changes: Changes


class ContentInfo(Answer):
    """What a channel of a file may hold. whole: it has three channels and needs a file of its own."""

    id: str
    label: str
    whole: bool


class FormatInfo(Answer):
    """A format files are written in. depths: of a channel, the fewest bits first."""

    id: str
    label: str
    suffix: str
    depths: tuple[str, ...]
    alpha: bool
    lossy: bool
    most_px: int


class About(Answer):
    """What the program says of itself once, when the page opens."""

    version: str
    demo: bool
    stages: tuple[StageInfo, ...]
    operations: tuple[OperationInfo, ...]
    roles: tuple[RoleInfo, ...]
    shapes: ShapeInfos
    deposits: tuple[Deposit, ...]
    kinds: tuple[KindInfo, ...]
    surfaces: tuple[SurfaceStart, ...]
    contents: tuple[ContentInfo, ...]
    formats: tuple[FormatInfo, ...]
    profiles: tuple[Profile, ...]


# Materials.
class BriefSource(Answer):
    width: int
    height: int
    format: str
    bits: int


class Brief(Answer):
    """A material in the library. thumbnail: SHA-256 of a small picture."""

    id: str
    name: str
    archived: bool
    changed: float
    revision: int
    thumbnail: str | None
    source: BriefSource


State = TypeAliasType("State", cards.State)
CaptureKind = TypeAliasType("CaptureKind", cards.Kind)


class Card(Brief):
    """A material as the library shows it. width_mm: of one tile, 0 where nobody knows. state: with since when; of what
    was checked, how many rules are not met (to_settle) or cannot be told (untold)."""

    created: float
    kind: CaptureKind
    width_mm: float
    state: State
    since: float
    to_settle: int
    untold: int
    tags: tuple[str, ...]


class Cards(Answer):
    """A part of the library. total: how many there are in all. first: where the part begins."""

    total: int
    first: int
    cards: tuple[Card, ...]


class CardIds(Answer):
    """All that was looked for, in order."""

    ids: tuple[str, ...]


class LibraryFacets(Answer):
    """How many materials there are of each."""

    states: dict[str, int]
    kinds: dict[str, int]
    tags: dict[str, int]
    collections: dict[str, int]


class CardNotes(Answer):
    """What somebody wrote on a material's card."""

    notes: str
    tags: tuple[str, ...]
    collections: tuple[str, ...]
    files: tuple[str, ...]


class CarriableSetting(Answer):
    """A setting that is not as it comes. why: it belongs to its own surface, and is not carried; "" where it can be."""

    path: SettingPath
    stage: StageId
    label: str
    value: str
    why: str


class LeftOutSetting(Answer):
    path: SettingPath
    what: str
    why: str


class CarryLook(Answer):
    """What carrying would change. before, after: small pictures, as data addresses."""

    changed: tuple[SettingPath, ...]
    left_out: tuple[LeftOutSetting, ...]
    before: str
    after: str


class CarriedTo(Answer):
    """What was changed on a material, in one step."""

    id: str
    changed: tuple[SettingPath, ...]
    left_out: tuple[LeftOutSetting, ...]
    revision: int


class PictureMaker(Answer):
    """Who makes pictures from words. largest_side: px."""

    id: str
    label: str
    simulation: bool
    largest_side: int


class NotTaken(Answer):
    files: str
    why: str


class DemoMaking(Answer):
    """What of the demo library is being made just now, in words; "" when nothing is."""

    saying: str


class Watched(Answer):
    """A folder whose pictures become materials, "" for none. taken: how many did; refused: newest first."""

    folder: str
    taken: int
    refused: tuple[NotTaken, ...]


class BatchBrief(Answer):
    """counts: how many materials are in each state."""

    id: int
    name: str
    created: float
    counts: dict[str, int]


class BatchedFinding(Answer):
    rule: str
    title: str
    level: Level
    map: str
    measured: str
    limit: str


class BatchedMaterial(Answer):
    """What came of a material of a batch. told: what was decided, each with its reason. kept: its pack can be fetched.
    changed_since: it is not the state that was packed any more."""

    material: str
    name: str
    thumbnail: str | None
    job: str
    state: Literal["waiting", "running", "failed", "cancelled", "blocked", "attention", "passed"]
    message: str
    progress: float
    told: tuple[str, ...]
    findings: tuple[BatchedFinding, ...]
    bytes: int
    seconds: float
    kept: bool
    changed_since: bool


class BatchAsked(Answer):
    suggested: Literal["sure", "all", "none"]
    profile: str
    size: int


class Batch(Answer):
    """Many materials settled, checked and packed; those that need a hand come first. left: not done yet."""

    id: int
    name: str
    created: float
    asked: BatchAsked
    rows: tuple[BatchedMaterial, ...]
    left: int
    seconds_left: int | None


class KeptStart(Answer):
    """A recipe captures may begin with."""

    id: int
    name: str
    note: str
    created: float
    settings: int


class SourceFinding(Answer):
    """What was seen on a capture. box: left, top, right, bottom, 0..1 of it."""

    level: Level
    what: str
    measured: str
    advice: str = ""
    box: Box | None = None


class ScanOrigin(Answer):
    """The scan that maps were projected from. sha256: of its file. unit_mm: of its numbers, 0 where nobody knows.
    patch: what was taken of it, as shares. normal: of its plane, in the file's axes."""

    file: str
    sha256: str
    told: tuple[Said, ...]
    patch: tuple[float, ...]
    unit_mm: float
    holes_share: float
    overhang_share: float | None = None
    up_told: bool | None = None
    normal: tuple[float, ...] | None = None
    outliers: int | None = None
    lean_degrees: float | None = None


class Origin(Answer):
    """Who made a picture that is no photograph."""

    words: str
    seed: int
    provider: str


class CaptureSource(BriefSource):
    """The first file of a material. findings: None where nobody has looked at it yet."""

    key: str
    blob: str
    file: str
    bytes: int
    floating: bool
    notes: tuple[str, ...]
    findings: tuple[SourceFinding, ...] | None
    role: str = "photo"
    why: str = ""
    origin: Origin | None = None
    scan: ScanOrigin | None = None


class MaterialFile(Answer):
    """One file of a material. role: what it is now, "" for not used; guess and why: what the program took it for."""

    key: str
    role: Annotated[str, _as('FileRole | ""', "string")]
    guess: str
    why: str
    file: str
    width: int
    height: int
    bits: int
    floating: bool
    format: str
    notes: tuple[str, ...]


class KeptAside(Answer):
    """Settings of another version that mean nothing here."""

    version: int
    operations: dict[str, dict[str, Any]]


class RecipeAnswer(Answer):
    """Only what differs from the defaults."""

    version: int
    operations: Operations
    aside: KeptAside | None = None


class SnapshotAnswer(Answer):
    id: int
    name: str
    created: float


class CaptureView(Answer):
    """How the flattened picture looks into the capture. homography: 3 × 3, row by row. lens: k1, k2 and the middle."""

    homography: tuple[float, ...]
    lens: Box
    size: Pair
    plain: bool


class Preview(Answer):
    """Sizes in px at which previews are made. sample: left, top, right, bottom in 0..1 of the flattened picture."""

    finished: Size
    tile: Size
    work: Size
    picture: Size
    sample: Box
    view: CaptureView
    tile_mm: float | None


class Pictures(Answer):
    """Content keys of pictures that are made of several layers."""

    strip: str
    planned: str
    packed: str
    enlarged: str
    joins: str


class Material(Brief):
    """A material on the bench. keys: content keys of the layers there are; pictures and zones: of other pictures; plan:
    of the tile plan. undo, redo: what they would take back or do again. changes: settings that differ from their
    defaults, by stage."""

    source: CaptureSource
    files: tuple[MaterialFile, ...]
    recipe: RecipeAnswer
    snapshots: tuple[SnapshotAnswer, ...]
    undo: str | None
    redo: str | None
    keys: Annotated[dict[str, str], _as("LayerKeys")]
    zones: dict[str, str]
    pictures: Pictures
    plan: str
    changes: Annotated[dict[str, int], _as("Record<StageId, number>")]
    preview: Preview


class TilingGrid(Answer):
    box: Box
    period: Pair


class TilingSuggestion(Answer):
    """The method that suits the sample, and why. against_mixing: why mixing patches is not offered, against_joints: why
    following joints is not; empty where it is. square_first: its lines lie askew, so no method can do well yet. sure:
    whether it can be taken without a look."""

    method: Literal["none", "blend", "cut", "lattice", "joints", "regrow", "strew", "stochastic"]
    reason: str
    changes: Changes
    grid: TilingGrid | None
    against_mixing: str
    against_joints: str
    square_first: bool
    sure: bool


class StandingOut(Answer):
    """x, y, radius: in tile widths and heights. strength: × what is usual here. points: along it, if it is a line."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    x: float
    y: float
    radius: float
    strength: float
    points: tuple[tuple[float, float], ...]


class FilledPlace(Answer):
    x: float
    y: float
    radius: float
    from_x: float
    from_y: float


class Places(Answer):
    """What gives the repeat away. alarm: from which strength on it is seen; perhaps: from which on it may be.
    blotches: how far slow change of tone and colour shows, on the same scale. aside: how many fills mend what shows
    nowhere. before: how far the strongest place
    stood out before any repair."""

    alarm: float
    perhaps: float
    places: tuple[StandingOut, ...]
    blotches: float
    filled: tuple[FilledPlace, ...]
    aside: int
    before: float | None


class Proposal(Answer):
    """Corners of something square in the capture, % of the picture without lens bend. confidence: 0..1. tilt, turn:
    degrees. accepted: sure enough to offer."""

    corners: tuple[Pair, ...]
    k1: float
    confidence: float
    tilt: float
    turn: float
    reason: str
    accepted: bool


class LampRow(Answer):
    """One lamp of a light set. shift: px its photograph was moved by; stops: how much otherwise it was exposed."""

    file: str
    name: str
    bearing: float
    elevation: float
    own: bool
    out: bool
    used: bool
    shift: float | None = None
    stops: float | None = None


class Lights(Answer):
    """A ring of lamps; key names its pictures. residual: share of the light that no surface explains."""

    frames: tuple[LampRow, ...]
    key: str
    fewest: int
    residual: float | None = None
    roughness: float | None = None
    glints: bool | None = None


class Said(Answer):
    level: Level
    text: str


class LightsFound(Answer):
    """certain: bump and dent could be told apart. confidence: 0..1."""

    material: Material
    told: tuple[Said, ...]
    certain: bool
    confidence: float


class Settled(Answer):
    """told: what was joined and laid."""

    material: Material
    told: tuple[Said, ...]


class PlacementFit(Answer):
    """Whether a file lies right. overlap: of outlines, 0..1. apart, inside: px of 1024. covers: share of the
    picture."""

    level: Level
    by: str
    overlap: float | None
    apart: float | None
    covers: float
    inside: float | None
    told: str


class BroughtFile(Answer):
    """A file that is kept, of which nothing was made yet. blob: its checksum."""

    blob: str
    file: str
    width: int
    height: int


class KeptFile(Answer):
    """A file that is kept. blob: its checksum."""

    blob: str
    file: str


class ScanLook(Answer):
    """What a scan is. kind: "mesh", "cloud" or "depth". parts: triangles, points or px. size: width and height of what
    is there, and depth, in its unit. width: px it is worth. patch: what would be taken, as shares. unit: "" where the
    file does not say. picture: a data URL, all of it seen straight on."""

    kind: str
    parts: int
    size: tuple[float, float]
    width: int
    patch: tuple[float, float, float, float]
    unit: str
    depth: float
    notes: tuple[str, ...]
    picture: str


class ScanTaken(Answer):
    """A material made of a scan, and what is to be known about it."""

    material: Brief
    told: tuple[Said, ...]


class SortedRow(Answer):
    """One file as it would be taken. role: "" for not used. why: in words."""

    blob: str
    file: str
    role: str
    why: str


class Sorting(Answer):
    """What files are together, before anything is made of them. sure: nobody has to be asked."""

    kind: str
    told: str
    sure: bool
    rows: tuple[SortedRow, ...]


class MergedFrame(Answer):
    """A photograph that is merged. stops: how much more light it was given than the first. shift: px it lay aside.
    share: of the picture that is taken from it. moved: share that was left out because something moved."""

    file: str
    name: str
    colour: str
    stops: float
    shift: float
    placed: bool
    share: float
    moved: float


class Merging(Answer):
    """lost: share of the first photograph that is burnt out or lost in the dark, and of the merged one. range: stops
    the brightest places lie over the first photograph's white."""

    by: str
    key: str
    frames: tuple[MergedFrame, ...]
    lost: tuple[float, float]
    range: float


class WalkFrame(Answer):
    """One photograph of a walk-by. aside: where its camera was, right, down and forward of the first, in distances to
    the surface."""

    file: str
    name: str
    aside: tuple[float, float, float]


class Walk(Answer):
    """found: where the camera was held is known."""

    frames: tuple[WalkFrame, ...]
    found: bool
    key: str
    focal: float


class ChartPatch(Answer):
    """wanted, made: as #rrggbb. before, after: ΔE00. used: neither burnt out nor lost in the dark."""

    name: str
    wanted: str
    made: str
    before: float
    after: float
    used: bool


class ChartFound(Answer):
    """A colour target. corners: of its corner patches, 0..1. before, after, worst: ΔE00. stops: of exposure. changes:
    settings that follow."""

    corners: tuple[tuple[float, float], ...]
    sure: float
    patches: tuple[ChartPatch, ...]
    before: float
    after: float
    worst: float
    stops: float
    changes: Changes


class CameraProfile(Answer):
    id: int
    name: str
    matrix: tuple[float, ...]
    before: float
    after: float
    created: float


class KeptProfile(Answer):
    """A pack profile of one's own that every material may take."""

    id: int
    name: str
    profile: Profile
    created: float


class Placed(Answer):
    """told: how the file was laid and how well it lies, in words."""

    material: Material
    told: str


class Fix(Answer):
    label: str
    changes: Changes


class Finding(Answer):
    """What a rule says. title: what holds when it passes; fault: what is so when it does not. sure: counted, clear of
    the limit, close to it, likely, or open; evidence: what it rests on. measured, limit: in words with units. box:
    left, top, width, height in tiles. ratio: what was measured over its limit, None where the answer is yes or no.
    waived: somebody looked at it and let it be; it is a note then."""

    rule: str
    title: str
    fault: str
    why: str
    source: str
    sure: Certainty
    evidence: str
    level: Level
    measured: str
    limit: str
    map: AnyRole | None
    box: Box | None
    fix: Fix | None
    ratio: float | None
    waived: bool


class Checks(Answer):
    revision: int
    findings: tuple[Finding, ...]


class Triage(Answer):
    """What a capture is good for."""

    findings: tuple[SourceFinding, ...]


class NextStep(Answer):
    """One thing a material needs. id: the same as long as it is the same thing. changes: settings that do it at once;
    none where it is done by hand at the stage. rule, map: the finding it comes from."""

    id: str
    words: str
    why: str
    label: str
    stage: Literal["square", "tile", "check"]
    changes: Changes
    rule: str | None
    map: AnyRole | None


class NextSteps(Answer):
    """What comes first first. packed: whether the state there is was packed."""

    revision: int
    steps: tuple[NextStep, ...]
    packed: bool


class Seam(Answer):
    """Steps across the border beside those inside, codes of 255. at: where along the border it is worst, 0..1."""

    border: float
    inner: float
    at: float
    level: Level


class Broken(Answer):
    """Pieces that joins break. pieces: whether the surface has any; contrast: of their borders; whole_repeats: the tile
    holds whole repeats, where uneven pieces may be told that are whole. count: how many are
    broken, of about `shown`; narrow: how many are mere strips; share: of the length of all joins; boxes: of each
    broken one, in fractions of the tile."""

    pieces: Literal["yes", "no", "unknown"]
    contrast: float
    whole_repeats: bool
    count: int
    shown: int
    narrow: int
    share: float
    boxes: tuple[Box, ...]
    level: Level


class Figures(Answer):
    """seam: across and down; maps: seams of other maps. drift: ΔE of coarse colour. broken: pieces that joins break;
    null where nothing is joined along lines. zones: how much of the surface each covers; rough: how
    rough it is, on the average. tile_mm: after so much it
    returns; null where no real size is known."""

    seam: tuple[Seam, Seam]
    seam_before: tuple[Seam, Seam]
    drift: float
    drift_before: float
    maps: dict[str, tuple[Seam, Seam]]
    evidence: dict[str, float]
    broken: Broken | None
    zones: dict[str, float]
    rough: dict[str, float]
    tile_mm: float | None


class ZoneSuggestion(Answer):
    """outline: its borders, lines of places as shares of the tile."""

    name: str
    share: float
    part: Part
    outline: tuple[tuple[tuple[float, float], ...], ...]


class EyeOption(Answer):
    """A reading of the height. changes: settings that make it. normal: a data URL, Y up."""

    id: str
    label: str
    changes: dict[str, Any]
    normal: str


class EyeQuestion(Answer):
    """Readings to choose among, at one place. color, photograph: data URLs, without and with the light it was shot in.
    more: how many readings were not shown yet."""

    round: str
    options: tuple[EyeOption, ...]
    color: str
    photograph: str
    more: int


class ZoneSuggestions(Answer):
    zones: tuple[ZoneSuggestion, ...]
    why: str


class Compared(Answer):
    """rms, largest: in shares of the range; null where two layers cannot be compared, with the reason."""

    rms: float | None
    largest: float | None
    why: str


class Spread(Answer):
    """One channel of a layer: counts over its range; under, over: shares at the ends; low, middle, high: where 1, 50
    and 99 % are reached."""

    channel: Literal["red", "green", "blue", "value"]
    counts: tuple[int, ...]
    under: float
    over: float
    low: float
    middle: float
    high: float


class HistogramTold(Answer):
    first: float
    last: float
    channels: tuple[Spread, ...]


class Probe(Answer):
    """All maps at one place of the tile. own_color, ground_color: sRGB of the tiled colour around it, and of what lies
    under a cut-out's carried colour."""

    own_color: RGB
    ground_color: RGB
    base_color: RGB
    height: float
    height_mm: float | None
    normal: tuple[float, float, float]
    roughness: float
    metallic: float
    curvature: float
    ambient_occlusion: float


class PlannedFileAnswer(Answer):
    """A file a pack will hold. y: which way green points."""

    name: str
    format: str
    roles: tuple[str, ...]
    contents: tuple[str, ...]
    floating: bool
    bits: int
    encoding: Literal["srgb", "linear"]
    y: Literal["plus", "minus"] | None


class PackCost(Answer):
    """What a pack takes, about. bytes: of its files; spilled: of the disk meanwhile; seconds: of time."""

    bytes: int
    spilled: int
    seconds: float


class FilePlan(Answer):
    """extra: scenes and the manifest. left_out: maps with nothing to say; without_place: those that no file of the
    profile holds. tiles: of a set, each with files of its own; atlas: columns and rows of them in one picture, where
    they are written so. cost: null where files of this size cannot be written."""

    profile: str
    label: str
    files: tuple[PlannedFileAnswer, ...]
    left_out: tuple[MapRole, ...]
    without_place: tuple[MapRole, ...]
    tiles: int
    atlas: tuple[int, int] | None
    extra: tuple[str, ...]
    cost: PackCost | None


# Jobs.
class Job(Answer):
    """Long work. progress: 0..1. result: of packs a zip, of generated pictures the candidates, of a still the
    picture, also while it is being made."""

    id: str
    kind: Literal["pack", "pack_several", "generate", "still", "batch"]
    material: str | None
    title: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    message: str
    result: BatchResult | PackResult | GenerateResult | StillResult | None
    attempt: int
    created: float


# Room on the disk.
class Disk(Answer):
    total: int
    free: int


class SpacePart(Answer):
    id: str
    label: str
    files: int
    bytes: int


class SpaceOfMaterial(Answer):
    """alone: bytes that come back when it is deleted."""

    id: str
    name: str
    archived: bool
    bytes: int
    alone: int


class Space(Answer):
    """What takes the room of the data folder. keep_days: how long results of packs are kept."""

    folder: str
    disk: Disk
    parts: tuple[SpacePart, ...]
    materials: tuple[SpaceOfMaterial, ...]
    keep_days: float


class ResultsDeleted(Answer):
    results: int
    bytes: int


class Deletion(Answer):
    """What deleting a material would mean. laid_over: names of materials it lies over."""

    name: str
    bytes: int
    files: int
    laid_over: tuple[str, ...]


class Deleted(Answer):
    bytes: int


# The audit.
class AuditFile(Answer):
    """A file that was brought. blob: its SHA-256."""

    name: str
    blob: str


class AuditRefused(Answer):
    file: str
    why: str


class AuditTaken(Answer):
    files: tuple[AuditFile, ...]
    refused: tuple[AuditRefused, ...]


class AuditFinding(Answer):
    """sure: 0..1. repair: what mending does, in words; changes: the settings that do it. weak: not sure enough to be
    repaired unasked; id: what such a repair is asked for by. values: for programs."""

    id: str
    weak: bool
    rule: str
    level: Level
    what: str
    why: str
    file: str
    sure: float
    repair: str
    changes: dict[str, Any]
    values: dict[str, Any]


class AuditRemains(Answer):
    """What the audit still finds after all repairs that are sure."""

    findings: tuple[AuditFinding, ...]


class AuditedFile(Answer):
    file: str
    blob: str
    role: str
    why: str
    channels: dict[str, str]
    size: Size
    bits: int
    floating: bool
    format: str
    encoding: str
    tagged: bool
    levels: int | None
    values: dict[str, Any]
    findings: tuple[AuditFinding, ...]


class AuditedSet(Answer):
    name: str
    level: Level
    files: tuple[AuditedFile, ...]
    findings: tuple[AuditFinding, ...]


class AuditReport(Answer):
    level: Level
    sets: tuple[AuditedSet, ...]
    refused: tuple[AuditRefused, ...]


# Everything else.
class SurroundingsBrought(Answer):
    name: str
    label: str


class Event(Answer):
    kind: Literal["material", "library", "job", "working"]
    data: Any


class EventsSince(Answer):
    """mark: to ask with the next time. missed: more may have happened than is told."""

    mark: str
    events: tuple[Event, ...]
    missed: bool


class Health(Answer):
    """A word on each part."""

    status: Literal["ok", "attention"]
    database: str
    queue: str
    worker: str
    disk: str
