"""Messages about models: their parts, what drafts would do to them, advice, and the plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from plodek.core.build.roles import Role
from plodek.core.recipe.document import MOST_STEPS
from plodek.core.recipe.fields import Finds
from plodek.server.api.guides.messages import GroupOut, GuideOut
from plodek.server.api.messages import Message, Numbers, Pair

# What comes in thousands is made of plain dataclasses, which takes a tenth of the time of a Message.


class PreviewIn(Message):
    """Steps to try without keeping them; the effect is told against other steps."""

    steps: list[dict[str, Any]] = Field(max_length=MOST_STEPS)
    against: list[dict[str, Any]] = Field(default=[], max_length=MOST_STEPS)


class FindingOut(Message):
    """What is found in the blocks, in words, with what to show."""

    text: str
    blocks: list[str]
    corners: list[str]
    edges: list[Pair]


class ProposalOut(Message):
    """A corner, edge or side that can be fitted to a guide, in words, and why it was not, if so."""

    key: str
    text: str
    corners: list[str]
    why: str


class StepState(Message):
    """How a step fared; later ones wait behind a failed one."""

    state: Literal["ok", "error", "waiting"]
    #: What kind of error it is; see `Problem`.
    code: str = ""
    title: str = ""
    error: str = ""
    labels: dict[str, str] = Field(default={})
    #: What it has to say; of a place only where its blocks are still there.
    report: list[FindingOut] = Field(default=[])
    proposals: list[ProposalOut] = Field(default=[])


@dataclass(slots=True)
class CornerOut:
    """A corner, what holds it, and after a lift the corner of the plane that it stands on."""

    id: str
    label: str
    xyz: Numbers
    sign: Literal["free", "pinned", "guide"]
    guide: str | None
    fraction: float | None
    foot: str | None


@dataclass(slots=True)
class EdgeOut:
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


@dataclass(slots=True)
class SideOut:
    """A side of a block in space: its corners in order around it, what it lies on, and its blocks."""

    id: list[str]
    around: list[str]
    label: str
    state: Literal["outer", "inner", "hollow"]
    lies: str | None
    patch: str | None
    blocks: list[str]


@dataclass(slots=True)
class BlockOut:
    """A block with its cells along its axes, and after a lift the block of the plane that it stands on."""

    id: str
    label: str
    corners: list[str]
    hollow: bool
    region: str
    base: str | None
    cells: list[int]
    centre: Numbers


class JumpOut(Message):
    """Where the cells of one edge jump to those of the next, at a corner."""

    corner: str
    at: Numbers
    edges: list[Pair]
    ratio: float


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

    #: Whether the cells were measured on a fill with fewer cells than there will be.
    coarse: bool
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
    #: The largest distance of a node from a guide that its side lies on; None where none does.
    misfit: float | None = None


class EffectsOut(Message):
    """What steps that are tried would come to, against how it stands: perhaps worse; or why they fail."""

    before: Effect | None
    after: Effect | None
    worse: bool
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
    regions: list[str]
    jumps: list[JumpOut]
    growth_limit: float
    unnamed_sides: list[list[str]]
    unnamed_faces: int
    faces: int
    plane_step: int | None
    cells: int
    smoothing: int
    smoothing_in_space: int
    limits: dict[str, float]


class FoundOut(Message):
    """What a field of a step finds, by ids: of edges and sides those of their corners with | between."""

    field: str
    what: Finds
    ids: list[str]


class RolesOut(Message):
    """Sides that do the same while a step of the Smooth stage runs, by their corners with | between.

    ``guides`` are those on which they stay meanwhile.
    """

    role: Role
    sides: list[str]
    guides: list[str]


class PreviewOut(Message):
    """What trying steps gives: the model after them, and the effect before and after.

    ``found`` tells what the first step finds that is another than in the steps tried against; where it is
    one of the Smooth stage, ``roles`` tells what all sides do, and there is no effect.
    """

    model: ModelOut
    failed: int | None
    error: str
    found: list[FoundOut]
    roles: list[RolesOut]
    before: Effect | None
    after: Effect | None
