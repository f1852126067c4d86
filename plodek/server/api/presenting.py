"""What several resources need: the engine, a project's recipe, and their messages."""

from __future__ import annotations

import json
from typing import Any, cast

from flask import current_app
from pydantic import BaseModel, Field

from plodek.core.recipe import recipe as recipes
from plodek.core.recipe.recipe import Evaluation
from plodek.server.api.messages import ProjectOut, RecipeOut
from plodek.server.engine import Engine
from plodek.server.store import projects
from plodek.server.store.tables import GridSummary, Project


def engine() -> Engine:
    """Give the engine of the running application."""
    return cast(Engine, current_app.extensions["plodek"])


def evaluated(project: Project, steps: list[dict[str, Any]]) -> Evaluation:
    """Evaluate steps with the files of a project."""
    recipe = recipes.of({"plodek": recipes.FORMAT, "steps": steps})
    return engine().evaluate(recipe, projects.reader(project))


class UpTo(BaseModel):
    """How far to evaluate the recipe; all of it where left out."""

    upto: int | None = Field(default=None, ge=0, le=2000)


def evaluated_upto(project: Project, upto: int | None) -> Evaluation:
    """Evaluate the steps of a project, the first ``upto`` of them."""
    return evaluated(project, projects.steps_of(project)[:upto])


def project_out(project: Project) -> ProjectOut:
    """Tell a project, with the facts about its grid where it has been built."""
    found = GridSummary.get_or_none(GridSummary.key == f"{project.id}.{project.revision}")
    return ProjectOut(
        id=project.id,
        name=project.name,
        changed=project.changed,
        revision=project.revision,
        steps=len(projects.steps_of(project)),
        facts=json.loads(found.facts) if found else None,
    )


def recipe_out(project: Project) -> RecipeOut:
    """Tell a project's recipe."""
    can_undo, can_redo = projects.can(project)
    return RecipeOut(
        project=project.id,
        name=project.name,
        revision=project.revision,
        steps=projects.steps_of(project),
        can_undo=can_undo,
        can_redo=can_redo,
        files=[f.name for f in project.files],
    )


def sends(what: str, kind: str) -> dict[int | str, dict[str, Any]]:
    """Describe an answer that is no JSON, for the OpenAPI description."""
    return {200: {"description": what, "content": {kind: {}}}}
