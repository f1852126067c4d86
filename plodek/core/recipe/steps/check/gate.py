"""The step that sets the limits of the gate."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.check.metric import DEFAULT_LIMITS, OF_GUIDES
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Degrees
from plodek.core.recipe.step import Changes, Context, Stage, Step


class GateStep(Step):
    """Set the limits that a grid must pass before hand-off."""

    kind: Literal["gate"] = "gate"
    stage: ClassVar[Stage] = "Check"
    changes: ClassVar[Changes] = "names"
    verb: ClassVar[str] = "Gate"
    key: ClassVar[str] = "G"
    order: ClassVar[int] = 10
    known_as: ClassVar[tuple[str, ...]] = ("quality limits", "criteria", "threshold")
    sentence: ClassVar[str] = (
        "Gate: angles {smallest_angle} to {largest_angle}, scaled Jacobian {scaled_jacobian}, "
        "skewness {skewness}, volume ratio {volume_ratio}"
    )
    scaled_jacobian: float | None = Field(DEFAULT_LIMITS["scaled_jacobian"], title="Scaled Jacobian at least")
    smallest_angle: Degrees | None = Field(DEFAULT_LIMITS["smallest_angle"], title="Smallest angle at least")
    largest_angle: Degrees | None = Field(DEFAULT_LIMITS["largest_angle"], title="Largest angle at most")
    skewness: float | None = Field(DEFAULT_LIMITS["skewness"], title="Equiangle skewness at most")
    aspect_ratio: float | None = Field(DEFAULT_LIMITS["aspect_ratio"], title="Aspect ratio at most")
    volume_ratio: float | None = Field(DEFAULT_LIMITS["volume_ratio"], title="Volume ratio at most")
    non_orthogonality: Degrees | None = Field(
        DEFAULT_LIMITS["non_orthogonality"], title="Non-orthogonality at most"
    )

    misfit: float | None = Field(
        DEFAULT_LIMITS["misfit"],
        title="Misfit to guides at most",
        description="as a share of the size of the domain",
    )

    sag: float | None = Field(
        None,
        title="Sag on guides at most",
        description="how far middles of faces are off the guides, as a share of the size of the domain",
    )
    sag_of_cell: float | None = Field(
        None, title="Sag of a face at most", description="the same, as a share of the face's length"
    )
    crease: Degrees | None = Field(
        None,
        title="Turn of guides within a face at most",
        description="at sharp lines and corners of guides that no node is on",
    )
    leaks: int | None = Field(
        0,
        title="Leaks at most",
        ge=0,
        description="pairs of blocks that overlap, or lie on each other without being joined",
    )

    def apply(self, model: Model, context: Context) -> Model:
        limits = {key: getattr(self, key) for key in (*DEFAULT_LIMITS, *(m.key for m in OF_GUIDES))}
        return replace(model, limits={k: v for k, v in limits.items() if v is not None})
