"""What the routes of all resources need: the workspace, a project's recipe evaluated, kinds of answers."""

from __future__ import annotations

from typing import Any, cast

from flask import current_app, g
from pydantic import BaseModel, Field

from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluation
from plodek.server.api.messages import ProjectOut
from plodek.server.engine import Engine
from plodek.server.jobs.desk import Desk
from plodek.server.store import projects, sharing
from plodek.server.store.files import ProjectFiles
from plodek.server.store.sharing import Role
from plodek.server.store.tables import Project
from plodek.server.workspace import Workspace


def workspace() -> Workspace:
    """Give the workspace of the running application."""
    return cast(Workspace, current_app.extensions["plodek"])


def engine() -> Engine:
    """Give the engine of the running application."""
    return workspace().engine


def desk() -> Desk:
    """Give the desk where jobs are asked for."""
    return workspace().desk


def files_of(project: Project) -> ProjectFiles:
    """Give the files of a project as recipes read them."""
    return ProjectFiles(project, engine())


def evaluated(project: Project, steps: list[dict[str, Any]]) -> Evaluation:
    """Evaluate steps with the files of a project."""
    return engine().evaluate(document.of({"steps": steps}), files_of(project))


class UpTo(BaseModel):
    """How far to evaluate the recipe; all of it where left out."""

    upto: int | None = Field(default=None, ge=0, le=document.MOST_STEPS)


def evaluated_upto(project: Project, upto: int | None) -> Evaluation:
    """Evaluate the steps of a project, the first ``upto`` of them."""
    return engine().evaluate(projects.recipe_of(project).upto(upto), files_of(project))


def project_out(project: Project) -> ProjectOut:
    """Tell a project, with the facts about its grid where it has been built."""
    row = projects.row_of(project)
    return ProjectOut(
        id=project.id,
        name=project.name,
        changed=project.changed,
        revision=project.revision,
        steps=row.steps,
        owner=project.owner,
        role=role_in(project),
        facts=row.facts,
    )


def user() -> str | None:
    """Give the user who asks; None where nobody has to come in."""
    return cast(str | None, g.user)


def role_in(project: Project) -> Role:
    """Say what the user who asks may do with a project that they were let see."""
    return sharing.role(project, user()) or "see"


def sends(what: str, kind: str) -> dict[int | str, dict[str, Any]]:
    """Describe an answer that is no JSON, for the OpenAPI description."""
    return {200: {"description": what, "content": {kind: {}}}}
