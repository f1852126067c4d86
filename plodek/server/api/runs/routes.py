"""Runs over the grid that a project has seen: listed with their figures, and brought back."""

from __future__ import annotations

from apiflask import APIBlueprint

from plodek.core.recipe.step import kinds
from plodek.core.recipe.steps.smooth.run_step import RunStep
from plodek.server.api.recipes.messages import BaseIn, RecipeOut
from plodek.server.api.recipes.routes import recipe_out
from plodek.server.api.runs.messages import RanOut, RunsOut
from plodek.server.pool.passing import large_alone
from plodek.server.store import projects, runs

blueprint = APIBlueprint("runs", __name__)


@blueprint.get("/projects/<int:project>/runs")
@blueprint.output(RunsOut)
@large_alone
def get_runs(project: int) -> RunsOut:
    """List what has been smoothed, untangled and polished, also in states that are no longer the present."""
    over = {kind.name_of_kind() for kind in kinds() if issubclass(kind, RunStep)}
    return RunsOut(
        runs=[
            RanOut(
                revision=one.revision,
                ended=one.ended,
                kinds=[step["kind"] for step in one.steps if step["kind"] in over],
                reached=one.reached,
            )
            for one in runs.listed(projects.get(project))
        ]
    )


@blueprint.post("/projects/<int:project>/revisions/<int:revision>/again")
@blueprint.input(BaseIn)
@blueprint.output(RecipeOut)
@large_alone
def keep_again(project: int, revision: int, json_data: BaseIn) -> RecipeOut:
    """Keep an earlier revision again, on top of the present one: undo comes back from it."""
    return recipe_out(projects.keep_again(project, json_data.base, revision))
