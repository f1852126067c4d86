"""The step that fits what is near."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations.near import Fitting, Match, fit_near
from plodek.core.blocks.reports import Note, Proposal, Report
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import GuideRefs, Length, Proposals
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, refitted

#: What is done to fit corners, edges and sides, in words.
_DOES: Mapping[Fitting, str] = {
    "pin": "pin {} on {}",
    "follow": "let {} follow {}",
    "lie": "let {} lie on {}",
}
#: Sides without a match that are named at most.
_MOST = 12


class FitNear(BlockStep):
    """Fit what is near: pin corners, let edges and sides follow, where a guide is within a distance."""

    kind: Literal["fit-near"] = "fit-near"
    verb: ClassVar[str] = "Fit near"
    key: ClassVar[str] = "N"
    order: ClassVar[int] = 200
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("snap all", "associate", "automatic")
    sentence: ClassVar[str] = "Fit what is within {within} of {guides}"
    within: Length = Field(title="Within")
    guides: GuideRefs | None = Field(default=None, title="Guides", description="all where left out")
    leave: Proposals = Field(
        default=[],
        title="Proposals",
        description="those that are left out are kept, by what they do and the ids of their corners",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        names = selectors.guides(model, self.guides) if self.guides else list(model.own_guides)
        chosen = [n for n in names if n in model.own_guides]
        within = self.sizes(model, self.within, "distance")
        found = fit_near(model.layout, model.paths, model.guides, chosen, within, self.leave)
        if not found.matches:
            raise NothingFound(
                f"no corner, edge or side is within {self.within} of a guide",
                remedy="give a larger distance, or lay the blocks nearer to the guides",
            )
        why = dict.fromkeys(self.leave, "left out") | dict(found.refused)
        proposals = [_proposal(model, match, why.get(match.key, "")) for match in found.matches]
        said: list[Report] = [Note(_summed(proposals)), *proposals]
        if found.unmatched:
            labels = [model.layout.label(side) for side in found.unmatched]
            more = f" and {len(labels) - _MOST} more" if len(labels) > _MOST else ""
            said.append(Note(f"without a match: {', '.join(labels[:_MOST])}{more}"))
        return refitted(model, found.layout).reporting(self.id, *said)


def _proposal(model: Model, match: Match, why: str) -> Proposal:
    entity = match.corners[0] if match.does == "pin" else match.corners
    words = _DOES[match.does].format(model.layout.label(entity), match.guide)
    text = f"{words}, {match.far:.3g} {model.unit} away"
    return Proposal(text + (f"; {why}" if why else ""), match.key, match.corners, why)


def _summed(proposals: Sequence[Proposal]) -> str:
    taken = sum(not one.why for one in proposals)
    left = len(proposals) - taken
    return f"{taken} fitted" + (f", {left} not" if left else "")
