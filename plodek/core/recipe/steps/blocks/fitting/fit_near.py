"""The step that fits what is near."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations.near import fit_near
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import GuideRefs, Length, Proposals
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, refitted


class FitNear(BlockStep):
    """Fit what is near: pin corners, let edges and sides follow, where a guide is within a distance."""

    kind: Literal["fit-near"] = "fit-near"
    verb: ClassVar[str] = "Fit near"
    key: ClassVar[str] = "N"
    order: ClassVar[int] = 200
    family: ClassVar[str] = "Fit"
    sentence: ClassVar[str] = "Fit what is within {within} of {guides}"
    within: Length = Field(title="Within")
    guides: GuideRefs | None = Field(default=None, title="Guides", description="all where left out")
    leave: Proposals = Field(
        default=[],
        title="Leave out",
        description="proposals not to take, by what they do and the ids of their corners",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        names = selectors.guides(model, self.guides) if self.guides else list(model.own_guides)
        chosen = [n for n in names if n in model.own_guides]
        within = self.sizes(model, self.within, "distance")
        found = fit_near(model.layout, model.paths, model.guides, chosen, within, self.leave)
        if not found.proposals:
            raise NothingFound(
                f"no corner, edge or side is within {self.within} of a guide",
                remedy="give a larger distance, or lay the blocks nearer to the guides",
            )
        labels = model.layout.labels
        why = dict.fromkeys(self.leave, "left out") | dict(found.refused)
        told = [f"{p.key}\t{p.guide}\t{p.far:.6g}\t{why.get(p.key, '')}" for p in found.proposals]
        told += [f"unmatched\t{'–'.join(labels.get(c, c) for c in s)}" for s in found.unmatched]
        reports = dict(model.reports) | {self.id: tuple(told)}
        return replace(refitted(model, found.layout), reports=reports)
