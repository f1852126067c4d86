"""The messages of the API, as pydantic models; the TypeScript types are generated from them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

Numbers = list[float]
Pair = list[str]


class Message(BaseModel):
    """What all messages share: unknown fields are errors."""

    model_config = ConfigDict(extra="forbid")


class Problem(BaseModel):
    """An error as RFC 9457 has it: what is wrong, where, and what helps."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    what: str = ""
    where: str = ""
    remedy: str = ""
    rows: list[int] = []
    project: ProjectOut | None = None


class ProjectOut(Message):
    """A project on the shelf; ``facts`` sums up its grid where it has been built."""

    id: int
    name: str
    changed: float
    revision: int
    steps: int
    facts: dict[str, Any] | None = None


class ProjectsOut(Message):
    """The shelf."""

    projects: list[ProjectOut]


class ProjectIn(Message):
    """A new project: empty, or from the demo."""

    name: str = Field(min_length=1, max_length=120)
    demo: bool = False


class NameIn(Message):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)


class RecipeOut(Message):
    """A recipe at a revision."""

    project: int
    name: str
    revision: int
    steps: list[dict[str, Any]]
    can_undo: bool
    can_redo: bool
    files: list[str]


class RecipeIn(Message):
    """New steps, and the revision they are based on."""

    base: int
    steps: list[dict[str, Any]] = Field(max_length=2000)


class BaseIn(Message):
    """The revision an undo or redo is based on."""

    base: int


class PreviewIn(Message):
    """Steps to try without keeping them; the effect is told against other steps."""

    steps: list[dict[str, Any]] = Field(max_length=2000)
    against: list[dict[str, Any]] = Field(default=[], max_length=2000)


class PartOf(BaseModel):
    """What of a grid in space is drawn: all, the sides around blocks, or the layer at a share of a tier."""

    blocks: str = Field(default="", max_length=100_000, description="ids, with | between them")
    tier: str = Field(default="", max_length=20)
    at: float = Field(default=0.5, ge=0, le=1)


class PreviewGridIn(Message, PartOf):
    """Steps to draw the grid of without keeping them, and which part of it."""

    steps: list[dict[str, Any]] = Field(max_length=2000)


class StepState(Message):
    """How a step fared; later ones wait behind a failed one."""

    state: Literal["ok", "error", "waiting"]
    title: str = ""
    error: str = ""
    labels: dict[str, str] = {}
    report: list[str] = []


class GuideOut(Message):
    """A guide: its kind and dimension, size, the step that made it, and places that draw it if a curve."""

    name: str
    kind: str
    dim: Literal[0, 1, 2]
    step: str
    length: float
    area: float
    closed: bool
    points: int
    low: Numbers
    high: Numbers
    xyz: list[Numbers]
    corners: Numbers


class GroupOut(Message):
    """A group of guides with the name of its colour."""

    name: str
    colour: str
    members: list[str]


class CornerOut(Message):
    """A corner and what holds it."""

    id: str
    label: str
    xyz: Numbers
    sign: Literal["free", "pinned", "guide"]
    guide: str | None
    fraction: float | None


class EdgeOut(Message):
    """An edge: where it stands, its path, its cells from its first corner, and the edges that go on.

    ``before`` run on beyond its first corner, ``beyond`` beyond its second. ``ahead`` it runs its tier's way.
    """

    id: Pair
    label: str
    tier: str
    ahead: bool
    state: Literal["outer", "inner", "hollow"]
    follows: str | None
    length: float
    path: list[Numbers]
    nodes: Numbers
    law: str
    own: bool
    before: list[Pair]
    beyond: list[Pair]


class SideOut(Message):
    """A side of a block in space: its corners in order around it, what it lies on, and its blocks."""

    id: list[str]
    around: list[str]
    label: str
    state: Literal["outer", "inner", "hollow"]
    lies: str | None
    patch: str | None
    blocks: list[str]


class FindingOut(Message):
    """Something wrong with the blocks, in words, with what to show."""

    text: str
    blocks: list[str]
    corners: list[str]
    edges: list[Pair]


class BlockOut(Message):
    """A block with its cells along its axes."""

    id: str
    label: str
    corners: list[str]
    hollow: bool
    cells: list[int]
    centre: Numbers


class JumpOut(Message):
    """Where the cells of one edge jump to those of the next, at a corner."""

    corner: str
    at: Numbers
    edges: list[Pair]
    ratio: float


class HeightOut(Message):
    """A first height in the asked unit, and what it comes from in SI units."""

    density: float
    viscosity: float
    reynolds: float
    friction: float
    shear_speed: float
    height: float
    thickness: float
    layers: int
    formula: str
    range: str


class TierOut(Message):
    """A tier: its count and the range of its cells, and the steps that last set its count and its law."""

    label: str
    name: str
    count: int
    locked: bool
    edges: list[Pair]
    shortest: float
    longest: float
    smallest: float
    largest: float
    growth: float
    count_step: str | None
    law_step: str | None
    name_step: str | None


class PatchOut(Message):
    """A patch and the faces it takes."""

    name: str
    type: str
    sides: list[list[str]]
    faces: int


class Effect(Message):
    """A recipe's state in numbers, for “If you keep this”.

    Corner angles are those of the blocks; the others are of the filled grid, coarsely filled in space,
    and left out where that would take long.
    """

    cells: int
    blocks: int
    smallest_corner: float
    largest_corner: float
    folded: int | None
    smallest_angle: float | None
    largest_angle: float | None
    jump: float | None
    growth: float
    jumps: int


class AdviceOut(Message):
    """A suggestion with the steps that take it, before which step they belong, and where to look."""

    rule: str
    text: str
    at: int
    steps: list[dict[str, Any]]
    blocks: list[str]
    corners: list[str]
    edges: list[Pair]


class AdvicesOut(Message):
    """All advice on a layout."""

    advice: list[AdviceOut]


class EffectsOut(Message):
    """What steps that are tried would come to, against how it stands; or why they fail."""

    before: Effect | None
    after: Effect | None
    error: str


class PlanBlock(Message):
    """A block on the plan, with its corners around it."""

    id: str
    label: str
    hollow: bool
    corners: list[int]


class PlanOut(Message):
    """A sheet of blocks laid out flat: the tier it shows (in space), the blocks, and places from 0 to 1."""

    tier: str | None
    tiers: list[str]
    blocks: list[PlanBlock]
    xy: list[list[float]]
    names: list[str]


class ModelOut(Message):
    """A model for the screen, in the project's unit."""

    unit: str
    dim: int
    steps: list[StepState]
    guides: list[GuideOut]
    groups: list[GroupOut]
    corners: list[CornerOut]
    edges: list[EdgeOut]
    blocks: list[BlockOut]
    sides: list[SideOut]
    tiers: list[TierOut]
    patches: list[PatchOut]
    findings: list[FindingOut]
    twins: list[list[list[str]]]
    jumps: list[JumpOut]
    growth_limit: float
    unnamed_sides: list[list[str]]
    unnamed_faces: int
    faces: int
    plane_step: int | None
    cells: int
    smoothing: int
    limits: dict[str, float]


class PreviewOut(Message):
    """What trying steps gives: the model after them, and the effect before and after."""

    model: ModelOut
    failed: int | None
    error: str
    before: Effect | None
    after: Effect | None


class MetricOut(Message):
    """A metric over the whole grid, with its limit at the gate."""

    key: str
    label: str
    unit: str
    better: Literal["high", "low"]
    worst: float
    mean: float
    best: float
    limit: float | None
    missed: int
    sentence: str


class CellOut(Message):
    """A cell: where it is, and its corners in the order of the core's tables."""

    block: str
    index: list[int]
    value: float
    at: Numbers
    corners: list[Numbers]


class RunOut(Message):
    """What a smoothing run reached."""

    sweeps: int
    move: float
    folded: int
    note: str
    heights_off: float
    heights_within: float
    angles_within: float
    held: int


class QualityOut(Message):
    """The quality of a grid: summary and gate, and the histogram and worst cells of one metric."""

    cells: int
    folded: int
    passed: bool
    volume: float
    metrics: list[MetricOut]
    metric: str
    bounds: Numbers
    counts: list[int]
    worst: list[CellOut]
    runs: list[RunOut]


class CellsOut(Message):
    """Cells of a bar of the histogram."""

    cells: list[CellOut]
    all: int


class BuildIn(Message):
    """Steps to build: those of the recipe at ``base``, or with a step more to keep once it has run.

    Only the first ``upto`` of them are built, where it is given.
    """

    base: int
    steps: list[dict[str, Any]] = Field(max_length=2000)
    upto: int | None = Field(default=None, ge=0, le=2000)
    keep: bool = False


class HandoffIn(Message):
    """How to hand off."""

    formats: list[Literal["cgns", "vtk"]] = ["cgns", "vtk"]
    unit: Literal["m", "cm", "mm", "in", "ft"] | None = None
    scale: float = Field(default=1.0, gt=0, allow_inf_nan=False)
    folded_too: bool = False


class JobOut(Message):
    """A job: where it stands and how it ended."""

    id: str
    project: int
    kind: str
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    progress: dict[str, Any]
    result: dict[str, Any]


class FileOut(Message):
    """A stored geometry file and what was read from it; ``low`` and ``high`` are in its own numbers.

    ``unit`` is that of its numbers as they were read, "" where the file does not say; ``file_unit`` is
    what the file itself says. ``gap`` is between the last point and the first of a point file.
    """

    name: str
    kind: str
    unit: str
    file_unit: str
    counts: dict[str, int]
    names: list[str]
    left_out: list[str]
    title: str
    closed: bool
    gap: float
    low: Numbers
    high: Numbers


class FreeEdgeOut(Message):
    """A piece of boundary that one surface has alone, with its largest gap to others."""

    surface: str
    beside: str
    length: float
    gap: float
    crack: bool
    xyz: list[Numbers]


class MendOut(Message):
    """What is found between surfaces; ``volume`` is told for a closed shell."""

    surfaces: int
    free: list[FreeEdgeOut]
    tolerance: float
    tiny: list[tuple[str, float]]
    doubled: list[tuple[str, str]]
    volume: float | None


class TargetIn(Message):
    """What is measured: a guide, a place, or a place on a guide."""

    guide: str | None = None
    at: list[float | str] | None = Field(default=None, min_length=2, max_length=3)
    fraction: float | None = Field(default=None, ge=0, le=1)


class MeasureIn(Message):
    """A wish to measure something."""

    wish: Literal["place", "distance", "angle", "length", "area", "radius", "extent"]
    targets: list[TargetIn] = Field(max_length=500)
    upto: int | None = Field(default=None, ge=0, le=2000)


class ValueOut(Message):
    """A number with what it is; ``power`` is that of the length unit, None for degrees."""

    name: str
    value: float
    power: int | None


class MeasureOut(Message):
    """What was measured, and places that show where."""

    values: list[ValueOut]
    mark: list[Numbers]


class RenameIn(Message):
    """A guide's new name, and the revision it is based on."""

    base: int
    guide: str = Field(min_length=1, max_length=200)
    to: str = Field(min_length=1, max_length=64)


class UnitIn(Message):
    """Another length unit, its meaning for the numbers that are there, and the revision it is based on."""

    base: int
    unit: Literal["m", "cm", "mm", "in", "ft"]
    meaning: Literal["convert", "keep"]


class SchemaOut(Message):
    """The schema of recipes, and the version of the program."""

    schema_: dict[str, Any] = Field(alias="schema")
    version: str


Problem.model_rebuild()
