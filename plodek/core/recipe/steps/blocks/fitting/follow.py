"""The step that lets edges and sides follow guides."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Layout, Side, edge_of
from plodek.core.blocks.operations import fit
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import EdgesOrSides, Finds, GuideRef, GuideRefs
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, refitted
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import unknown_guide
from plodek.core.shape.joined import joined, joined_name
from plodek.core.shape.surfaces.surface import Surface

#: A corner came to the edge of a surface where it went there off the normal by more than this sine, and by
#: more than this share of the size of the layout.
_ASLANT, _NOTED = 0.1, 1e-3


class Follow(BlockStep):
    """Let edges run along a guide curve, or sides lie on a surface; corners go to the nearest places."""

    kind: Literal["follow"] = "follow"
    verb: ClassVar[str] = "Follow"
    key: ClassVar[str] = "W"
    order: ClassVar[int] = 170
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("associate", "project", "attach", "snap")
    sentence: ClassVar[str] = "Follow {guide} and {also} with {edges}"
    guide: GuideRef = Field(title="Guide")
    also: GuideRefs = Field(
        default=[],
        title="And on along",
        description="curves that go on from it and are followed as one, or surfaces to lie on with it",
    )
    edges: EdgesOrSides = Field(
        title="Edges, or sides", description="edges for a curve; sides of blocks for a surface"
    )

    def finds(self, model: Model) -> dict[str, Finds]:
        """Find sides where a surface is followed."""
        is_surface = isinstance(model.guides.get(self.guide), Surface)
        return {"edges": "sides"} if is_surface else super().finds(model)

    def apply(self, model: Model, context: Context) -> Model:
        model, name = _followed(model, [self.guide, *selectors.guides(model, self.also)])
        guide = model.guides[name]
        if isinstance(guide, Surface):
            if model.layout.dim == 2:
                raise BadValue(f"“{name}” is a surface", remedy="lift the plane first, or follow a curve")
            sides = selectors.sides(model, self.edges)
            lain = fit.lie(model.layout, model.guides, sides, name)
            return refitted(model, lain).reporting(self.id, *_ended(model, lain, guide, sides))
        chosen = (edge_of(*e) for e in selectors.edges(model, self.edges))
        found = [model.layout.driven_edges.get(e, (e,))[0] for e in chosen]
        chain = list(dict.fromkeys(found))
        return refitted(model, fit.follow(model.layout, model.guides, chain, name))


def _ended(model: Model, after: Layout, surface: Surface, sides: list[Side]) -> list[str]:
    """Tell the corners for which a surface ends too early: they came to its edge, not to a foot within it."""
    chain = {c for side in sides for c in side}
    there = [c for c in after.corners if c in chain and len(after.surfaces_of[c]) == 1]
    if not there:
        return []
    now = after.places(there)
    gone = model.layout.places(there) - now
    normals = surface.normal(surface.nearest(now))
    far = np.linalg.norm(gone, axis=1)
    aslant = np.linalg.norm(np.cross(gone, normals), axis=1) > _ASLANT * far
    short = np.flatnonzero(aslant & (far > _NOTED * model.layout.size())).tolist()
    if not short:
        return []
    names = ", ".join(model.layout.labels[there[n]] for n in short[:6]) + (" …" if len(short) > 6 else "")
    return [
        f"the surface ends before {names}: brought to its edge, up to {far[short].max():.3g} {model.unit} "
        "away; take a larger one, or cut the blocks where it ends"
    ]


def _followed(model: Model, names: list[str]) -> tuple[Model, str]:
    """Give the name of a guide, or of several taken as one, and the model that knows it."""
    names = list(dict.fromkeys(names))
    whole = joined_name(names)
    if len(names) > 1 and whole not in model.guides:
        guides = dict(model.guides) | {whole: joined(model.guides, names)}
        return replace(model, guides=guides), whole
    if not isinstance(model.guides.get(whole), Curve | Surface):
        raise unknown_guide(model.guides, whole)
    return model, whole
