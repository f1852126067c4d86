"""Models and previews: all that is derived from a recipe but grids."""

from __future__ import annotations

from itertools import zip_longest

from apiflask import APIBlueprint
from pydantic import Field

from plodek.core.build.roles import Role, SideRole, roles
from plodek.core.model.model import Model
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.explaining import found_by
from plodek.core.recipe.step import Step
from plodek.core.recipe.steps.smooth.run_step import RunStep
from plodek.server.api.context import UpTo, evaluated, evaluated_upto
from plodek.server.api.models.effects import effect_or_none
from plodek.server.api.models.messages import FoundOut, ModelOut, PlanOut, PreviewIn, PreviewOut, RolesOut
from plodek.server.api.models.pictures import model_out, plan_out
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects

blueprint = APIBlueprint("models", __name__)


class PlanQuery(UpTo):
    """Which sheet of the blocks: that of a tier, by its label; the largest where left out."""

    tier: str | None = Field(default=None, max_length=20)


@blueprint.get("/projects/<int:project>/model")
@blueprint.input(UpTo, location="query")
@blueprint.output(ModelOut)
@evaluated_apart()
def get_model(project: int, query_data: UpTo) -> ModelOut:
    """Give the model of a project's recipe."""
    return model_out(evaluated_upto(projects.get(project), query_data.upto))


@blueprint.post("/projects/<int:project>/preview")
@blueprint.input(PreviewIn)
@blueprint.output(PreviewOut)
@needs("see")
@evaluated_apart()
def preview(project: int, json_data: PreviewIn) -> PreviewOut:
    """Try steps without keeping them, and tell the effect."""
    found = projects.get(project)
    after = evaluated(found, json_data.steps)
    before = evaluated(found, json_data.against)
    at = _tried(after, before)
    step = None if at is None else after.recipe.steps[at]
    model = Model() if at is None else after.before(at)
    run = step if isinstance(step, RunStep) else None
    return PreviewOut(
        model=model_out(after),
        failed=after.failed,
        error=str(after.error) if after.error else "",
        found=_found(step, model) if step else [],
        roles=_roles(run, model) if run and after.failed != at else [],
        before=None if run else effect_or_none(before.model),
        after=None if run or after.error else effect_or_none(after.model),
    )


def _tried(after: Evaluation, before: Evaluation) -> int | None:
    """Tell which step is the first that is new or changed, if those before it can be applied."""
    pairs = enumerate(zip_longest(after.recipe.steps, before.recipe.steps))
    at = next((n for n, (one, other) in pairs if one is not None and one != other), None)
    return None if at is None or (after.failed is not None and after.failed < at) else at


def _found(step: Step, model: Model) -> list[FoundOut]:
    """Tell what a step finds in the model that it is applied to."""
    return [
        FoundOut(field=field, what=what, ids=[e if isinstance(e, str) else "|".join(e) for e in entities])
        for field, what, entities in found_by(step, model)
    ]


def _roles(step: RunStep, model: Model) -> list[RolesOut]:
    """Tell what sides do while a step runs over the model."""
    found: dict[Role, list[SideRole]] = {}
    for one in roles(model, step.settings(model).parts):
        found.setdefault(one.role, []).append(one)
    return [
        RolesOut(
            role=role,
            sides=["|".join(one.side) for one in those],
            guides=list(dict.fromkeys(one.guide for one in those if one.guide)),
        )
        for role, those in found.items()
    ]


@blueprint.get("/projects/<int:project>/plan")
@blueprint.input(PlanQuery, location="query")
@blueprint.output(PlanOut)
@evaluated_apart()
def get_plan(project: int, query_data: PlanQuery) -> PlanOut:
    """Lay the blocks out flat; in space the sheet of a tier."""
    evaluation = evaluated_upto(projects.get(project), query_data.upto)
    evaluation.model.need_blocks()
    return plan_out(evaluation.model, query_data.tier)
