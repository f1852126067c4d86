"""Advice on blocks and spacing; what a suggestion would do is asked for apart, one after the other."""

from __future__ import annotations

from itertools import count
from typing import Any, Literal

from apiflask import APIBlueprint

from plodek.core.model.block_advice import Advice, advise
from plodek.core.model.spacing_advice import advise_spacing
from plodek.core.recipe.step import kinds
from plodek.server.api.advice.messages import AdviceOut, AdvicesOut
from plodek.server.api.context import UpTo, evaluated
from plodek.server.api.models.effects import effect_or_none, makes_worse
from plodek.server.api.models.messages import EffectsOut, PreviewIn
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects
from plodek.server.store.tables import Project

blueprint = APIBlueprint("advices", __name__)

_STAGES = {"Blocks": ("Blocks",), "Spacing": ("Blocks", "Spacing")}


class AdviceQuery(UpTo):
    """Advice on what."""

    stage: Literal["Blocks", "Spacing"] = "Blocks"


@blueprint.get("/projects/<int:project>/advice")
@blueprint.input(AdviceQuery, location="query")
@blueprint.output(AdvicesOut)
@evaluated_apart()
def get_advice(project: int, query_data: AdviceQuery) -> AdvicesOut:
    """Look at the blocks or the spacing and suggest what would be better.

    What is suggested for a plane that is smoothed later stands before the smoothing; the spacing along
    a lift of it is looked at where the recipe ends, and so is all on a smoothed grid that steps work on.
    """
    return AdvicesOut(advice=advice_on(projects.get(project), query_data.upto, query_data.stage))


def advice_on(found: Project, upto: int | None, stage: Literal["Blocks", "Spacing"]) -> list[AdviceOut]:
    """Give the advice on the blocks or the spacing of a project's recipe, or of its first steps."""
    steps = projects.steps_of(found)[:upto]
    stages = {kind.name_of_kind(): kind.stage for kind in kinds()}
    runs = [n for n, step in enumerate(steps) if stages.get(step["kind"]) == "Smooth"]
    # Runs whose grid later steps work on are past: what is suggested comes after them.
    past = len(runs) - len(evaluated(found, steps).model.all_runs) if runs else 0
    smoothed = runs[max(past, 0) :]
    last = [n + 1 for n, step in enumerate(steps) if stages.get(step["kind"]) in _STAGES[stage]]
    at = min(smoothed[:1] + last[-1:], default=0)
    advised = advise if stage == "Blocks" else advise_spacing
    taken = {step["id"] for step in steps}
    fresh = (f"advice-{n}" for n in count(1) if f"advice-{n}" not in taken)

    def given(at: int) -> list[AdviceOut]:
        before = evaluated(found, steps[:at])
        if before.error is not None or not before.model.layout.filled:
            return []
        return [_out(one, at, [s | {"id": next(fresh)} for s in one.steps]) for one in advised(before.model)]

    return [*given(at), *(given(len(steps)) if stage == "Spacing" and smoothed else [])]


def _out(advice: Advice, at: int, steps: list[dict[str, Any]]) -> AdviceOut:
    return AdviceOut(
        rule=advice.rule,
        text=advice.text,
        at=at,
        steps=steps,
        blocks=list(advice.blocks),
        corners=list(advice.corners),
        edges=[list(e) for e in advice.edges],
    )


@blueprint.post("/projects/<int:project>/effect")
@blueprint.input(PreviewIn)
@blueprint.output(EffectsOut)
@needs("see")
@evaluated_apart()
def effect(project: int, json_data: PreviewIn) -> EffectsOut:
    """Tell what steps would come to against others, without keeping or drawing them."""
    found: Project = projects.get(project)
    after = evaluated(found, json_data.steps)
    stands = effect_or_none(evaluated(found, json_data.against).model)
    tried = None if after.error else effect_or_none(after.model)
    return EffectsOut(
        before=stands,
        after=tried,
        worse=makes_worse(stands, tried),
        error=str(after.error) if after.error else "",
    )
