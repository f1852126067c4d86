"""The step that sews surfaces together."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import GuideName, Length, SurfaceRefs
from plodek.core.recipe.selectors import guides
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, with_group
from plodek.core.shape import mend
from plodek.core.shape.surfaces.surface import Surface


class SewStep(ShapeStep):
    """Sew surfaces together where their free edges are within a tolerance."""

    kind: Literal["sew"] = "sew"
    verb: ClassVar[str] = "Sew"
    key: ClassVar[str] = "Z"
    changes: ClassVar[Changes] = "guides"
    order: ClassVar[int] = 320
    family: ClassVar[str] = "Change"
    known_as: ClassVar[tuple[str, ...]] = ("repair", "stitch", "gaps", "tolerance")
    sentence: ClassVar[str] = "Sew {guides} within {tolerance}"
    guides: SurfaceRefs | None = Field(
        default=None, title="Surfaces", description="all surfaces where left out"
    )
    tolerance: Length = Field(title="Tolerance")
    rims: GuideName | None = Field(
        default=None,
        title="Common edges as",
        description="the edges that surfaces have in common, as curves of this name for blocks to follow",
    )

    def apply(self, model: Model, context: Context) -> Model:
        names = guides(model, self.guides) if self.guides else list(model.guides)
        surfaces = {n: g for n in names if isinstance(g := model.guides[n], Surface)}
        if not surfaces:
            raise BadValue("there is no surface to sew", remedy="bring in surfaces first")
        sewn = mend.sew(surfaces, self.sizes(model, self.tolerance, "tolerance"))
        after = replace(model, guides=dict(model.guides) | sewn.surfaces)
        if self.rims is not None:
            if not sewn.rims:
                raise BadValue(
                    "no two surfaces have an edge in common", remedy="sew within a larger tolerance"
                )
            after = with_group(after, self.rims, sewn.rims)
        return after.reporting(self.id, *_said(sewn, model.unit))


def _said(sewn: mend.Sewn, unit: str) -> list[str]:
    """Tell in words what sewing has changed."""
    said = []
    if sewn.welded:
        said.append(f"{sewn.welded} places of triangulated surfaces made one with others")
    if sewn.divided:
        said.append(f"{sewn.divided} edges divided where others end")
    if sewn.pairs:
        pairs = "pair of edges" if sewn.pairs == 1 else "pairs of edges"
        said.append(f"{sewn.pairs} {pairs} made one, up to {sewn.widest:.3g} {unit} apart")
    said.append(f"{sewn.left} free edges are left" if sewn.left else "no free edge is left")
    return said
