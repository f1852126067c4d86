"""The tiers of a model as the interface shows them, with the steps that set them."""

from __future__ import annotations

from collections.abc import Iterable

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.step import Step
from plodek.core.recipe.steps.spacing.space import Space
from plodek.core.recipe.steps.spacing.tiers import Count, NameTier
from plodek.core.recipe.steps.spacing.wall_layer import WallLayer
from plodek.server.api.models.messages import TierOut


def tiers_out(evaluation: Evaluation) -> list[TierOut]:
    """Give every tier: its count, lengths, cells, and the steps that set its count, law and name."""
    model = evaluation.model
    laid, found, names = model.laid, [], model.spacing.names
    setters = _Setters(evaluation)
    for tier in model.tiers:
        inside = [e for e in tier.edges if e in laid.nodes]
        lengths = [laid.paths[e].length for e in inside]
        cells = [laid.edge_cells[e] for e in inside]
        locked = _locked(model, tier)
        found.append(
            TierOut(
                label=tier.label,
                name=next((names[e] for e in tier.edges if e in names), ""),
                count=laid.counts[tier.first],
                locked=locked,
                edges=[list(e) for e in tier.edges],
                shortest=min(lengths, default=0),
                longest=max(lengths, default=0),
                smallest=min((one.smallest for one in cells), default=0),
                largest=max((one.largest for one in cells), default=0),
                growth=max((one.growth for one in cells), default=1),
                count_step=_by(model, setters.counted, tier) if locked else None,
                law_step=_by(model, setters.ruled, tier),
                name_step=_by(model, setters.named, tier),
            )
        )
    return found


def _locked(model: Model, tier: Tier) -> bool:
    """Whether a tier's count was set; one that only the smoothing of its plane has fixed was derived."""
    if model.lift and model.plane.smoothing:
        a, b = (model.lift.foot.get(corner, corner) for corner in tier.first)
        below = model.plane.tier_by_edge.get(edge_of(a, b)) if a != b else None
        if below is not None:
            return below.label in model.plane.laid.locked
    return tier.label in model.laid.locked


class _Setters:
    """The step that last set the count, the law and the name of each edge."""

    def __init__(self, evaluation: Evaluation) -> None:
        self.counted: dict[Edge, str] = {}
        self.ruled: dict[Edge, str] = {}
        self.named: dict[Edge, str] = {}
        models = evaluation.models
        for step, before, after in zip(evaluation.recipe.steps[1:], models, models[1:], strict=False):
            if isinstance(step, Count):
                self.counted |= _set(
                    step, before, [tier.first for tier, _ in selectors.tiers(before, step.tier)]
                )
            elif isinstance(step, NameTier):
                self.named |= _set(
                    step, before, [tier.first for tier, _ in selectors.tiers(before, step.tier)]
                )
            elif isinstance(step, Space | WallLayer):
                self._law_step(step, before, after)

    def _law_step(self, step: Space | WallLayer, before: Model, after: Model) -> None:
        """Note what a step laid: the laws that were not there before, and the count where it gave one."""
        old, new = before.spacing, after.spacing
        ruled = _set(step, before, [e for e, law in new.laws.items() if old.laws.get(e) is not law])
        self.ruled |= ruled
        if isinstance(step, WallLayer) or step.cells is not None:
            self.counted |= ruled
        else:
            changed = [e for e, n in new.counts.items() if old.counts.get(e) != n]
            self.counted |= _set(step, before, changed)


def _set(step: Step, model: Model, edges: Iterable[Edge]) -> dict[Edge, str]:
    """Give all edges of the tiers that have one of these edges to a step."""
    tiers = {model.tier_by_edge[e].label: model.tier_by_edge[e] for e in edges if e in model.tier_by_edge}
    return {edge: step.id for tier in tiers.values() for edge in tier.edges}


def _by(model: Model, setters: dict[Edge, str], tier: Tier) -> str | None:
    """Find the step that set a tier, by its edges or by those of the plane that they stand on."""
    foot = model.lift.foot if model.lift else {}
    for a, b in tier.edges:
        for edge in ((a, b), edge_of(foot.get(a, a), foot.get(b, b))):
            if edge in setters:
                return setters[edge]
    return None
