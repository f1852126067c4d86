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


class SchemaOut(Message):
    """The schema of recipes, and the version of the program."""

    schema_: dict[str, Any] = Field(alias="schema")
    version: str


Problem.model_rebuild()
