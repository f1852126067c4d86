"""Steps of the Smooth, Check and Hand-off stages: smoothing, the gate's limits, patches."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import ClassVar, Literal, TypeAlias

from pydantic import Field

from plodek.core.blocks.layout import Edge, Side, edge_of
from plodek.core.check.quality import DEFAULT_LIMITS
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.grid import PatchType
from plodek.core.model.model import Model, Patch
from plodek.core.recipe import selectors
from plodek.core.recipe.selectors import EdgeSelector, Ends, Length, Rest, SideSelector
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.smooth.smooth import SmoothSettings
from plodek.core.units import length

#: CGNS names hold 32 characters; receiving programs stumble over blanks and signs.
PATCH_NAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]{0,31}")


class Smooth(Step):
    """Smooth the plane grid elliptically; steps before it give the grid it starts from."""

    kind: Literal["smooth"] = "smooth"
    stage: ClassVar[Stage] = "Smooth"
    verb: ClassVar[str] = "Smooth"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = "Smooth {sweeps} sweeps, {control}, holding {walls}"
    sweeps: int = Field(default=600, title="Sweeps at most", ge=1, le=100_000)
    control: Literal["no control", "wall control"] = Field(default="wall control", title="Control")
    walls: EdgeSelector | None = Field(
        default=None, title="Walls to hold",
        json_schema_extra={"widget": "edges", "when": {"control": ["wall control"]}},
        description="outer edges whose first height and right angle are held; "
        "where left out, all that follow a guide",
    )  # fmt: skip
    strictness: float = Field(
        default=1.0, title="Strictness", ge=0.05, le=2,
        json_schema_extra={"when": {"control": ["wall control"]}},
        description="less is looser and more stable",
    )  # fmt: skip
    glide: EdgeSelector | None = Field(
        default=None, title="Sides that glide", json_schema_extra={"widget": "edges"},
        description="their nodes slide along; other outer sides hold",
    )  # fmt: skip
    hold: EdgeSelector | None = Field(
        default=None, title="Inner edges that hold", json_schema_extra={"widget": "edges"},
        description="other inner edges are free and move as inner nodes",
    )  # fmt: skip
    tolerance: Length | None = Field(
        default=None, title="Settled below a move of", json_schema_extra={"widget": "length"},
        description="the largest move of a node in a sweep; 1e-7 of the diagonal where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("smoothing")
        control = self.control == "wall control"
        walls = self._walls(model) if control else []
        glide, hold = (self._edges(model, s) for s in (self.glide, self.hold))
        both = set(walls) & set(glide)
        if both:
            raise BadValue(
                f"{len(both)} edges shall both hold as walls and glide",
                remedy="take them out of one of the two",
            )
        settings = SmoothSettings(
            sweeps=self.sweeps,
            control=control,
            walls=tuple(walls),
            glide=tuple(glide),
            held=tuple(hold),
            tolerance=None if self.tolerance is None else length(self.tolerance, model.unit),
            strict=self.strictness,
        )
        return replace(model, smoothing=(*model.smoothing, settings))

    @staticmethod
    def _edges(model: Model, selector: EdgeSelector | None) -> list[Edge]:
        found = selectors.edges(model, selector) if selector else []
        return [e for e in (edge_of(*e) for e in found) if e in set(model.layout.filled_edges)]

    def _walls(self, model: Model) -> list[Edge]:
        if self.walls is not None:
            return self._edges(model, self.walls)
        found = [edge for edge in model.layout.follows if edge in model.layout.outer]
        if not found:
            raise NothingFound(
                "no outer edge follows a guide, so there is no wall to hold",
                remedy="choose the walls, or smooth without control",
            )
        return found


class GateStep(Step):
    """Set the limits that a grid must pass before hand-off."""

    kind: Literal["gate"] = "gate"
    stage: ClassVar[Stage] = "Check"
    verb: ClassVar[str] = "Gate"
    key: ClassVar[str] = "G"
    sentence: ClassVar[str] = (
        "Gate: angles {smallest_angle} to {largest_angle}, scaled Jacobian {scaled_jacobian}, "
        "skewness {skewness}, volume ratio {volume_ratio}"
    )
    scaled_jacobian: float | None = Field(DEFAULT_LIMITS["scaled_jacobian"], title="Scaled Jacobian at least")
    smallest_angle: float | None = Field(
        DEFAULT_LIMITS["smallest_angle"],
        title="Smallest angle at least",
        json_schema_extra={"unit": "°"},
    )
    largest_angle: float | None = Field(
        DEFAULT_LIMITS["largest_angle"],
        title="Largest angle at most",
        json_schema_extra={"unit": "°"},
    )
    skewness: float | None = Field(DEFAULT_LIMITS["skewness"], title="Equiangle skewness at most")
    aspect_ratio: float | None = Field(DEFAULT_LIMITS["aspect_ratio"], title="Aspect ratio at most")
    volume_ratio: float | None = Field(DEFAULT_LIMITS["volume_ratio"], title="Volume ratio at most")
    non_orthogonality: float | None = Field(
        DEFAULT_LIMITS["non_orthogonality"], title="Non-orthogonality at most",
        json_schema_extra={"unit": "°"},
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        limits = {key: getattr(self, key) for key in DEFAULT_LIMITS}
        return replace(model, limits={k: v for k, v in limits.items() if v is not None})


FaceSelector: TypeAlias = SideSelector | Ends | Rest


class PatchStep(Step):
    """Name outer faces as a patch, and give it a type."""

    kind: Literal["patch"] = "patch"
    stage: ClassVar[Stage] = "Hand-off"
    verb: ClassVar[str] = "Patch"
    key: ClassVar[str] = "P"
    sentence: ClassVar[str] = "Name {faces} {name}, {type}"
    name: str = Field(
        title="Name", json_schema_extra={"widget": "patch-name"},
        description="letters, digits, _ and -, without spaces, beginning with a letter; at most 32",
    )  # fmt: skip
    type: PatchType = Field(default="wall", title="Type")
    faces: FaceSelector = Field(title="Faces", json_schema_extra={"widget": "faces"})

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        if not PATCH_NAME.fullmatch(self.name):
            raise BadValue(
                f"“{self.name}” is no patch name",
                remedy="use letters, digits, _ and -, without spaces, beginning with a letter",
            )
        if any(p.name.lower() == self.name.lower() for p in model.patches):
            raise BadValue(f"a patch is already called “{self.name}”", remedy="give this one another name")
        sides = self._faces(model)
        owners = [model.patch_of[side] for side in sides if side in model.patch_of]
        if owners:
            raise BadValue(
                f"some of these faces already belong to “{owners[0].name}”",
                remedy="every outer face belongs to one patch: choose others, or change that one",
            )
        if not sides:
            raise NothingFound("no outer face is among them", remedy="choose outer faces")
        return replace(model, patches=(*model.patches, Patch(self.name, self.type, tuple(sides))))

    def _faces(self, model: Model) -> list[Side]:
        outer = model.layout.outer
        if isinstance(self.faces, Rest):
            return model.unnamed
        if isinstance(self.faces, Ends):
            if model.layout.dim == 2:
                raise NothingFound("the plane has no ends in z yet", remedy="lift it first")
            end = 0 if self.faces.ends == "z-" else 1
            blocks = [p for name in self.faces.ids for p in model.parts(name)]
            uses = {(use.block, use.axis, use.end): side for side, use in outer.items()}
            return [uses[b, 2, end] for b in map(str, blocks) if (b, 2, end) in uses]
        found = selectors.sides(model, self.faces)
        return [side for side in dict.fromkeys(found) if side in outer]
