"""Projects: the shelf."""

from __future__ import annotations

import json

from apiflask import APIBlueprint
from flask import request
from pydantic import BaseModel, Field

from plodek.server.api.context import project_out
from plodek.server.api.messages import ProjectOut
from plodek.server.api.projects.messages import NameIn, ProjectIn, ProjectsOut
from plodek.server.api.projects.upload import unpacked
from plodek.server.demo import demo_files, demo_recipe
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects

blueprint = APIBlueprint("projects", __name__)


@blueprint.get("/projects")
@blueprint.output(ProjectsOut)
def list_projects() -> ProjectsOut:
    """List the projects on the shelf."""
    return ProjectsOut(projects=[project_out(p) for p in projects.listed()])


@blueprint.post("/projects")
@blueprint.input(ProjectIn)
@blueprint.output(ProjectOut, status_code=201)
def make_project(json_data: ProjectIn) -> ProjectOut:
    """Make a project, empty or from the demo."""
    if json_data.demo:
        return project_out(projects.make(json_data.name, json.loads(demo_recipe()), demo_files()))
    return project_out(projects.make(json_data.name))


class UploadQuery(BaseModel):
    """The file's name."""

    name: str = Field(min_length=1, max_length=200)


@blueprint.post("/projects/uploads")
@blueprint.input(UploadQuery, location="query")
@blueprint.output(ProjectOut, status_code=201)
@evaluated_apart(again=False)
def upload_project(query_data: UploadQuery) -> ProjectOut:
    """Make a project of a recipe, or of a ZIP file of one with its files: the body of the request."""
    recipe, files = unpacked(request.get_data(cache=False), query_data.name)
    return project_out(projects.make(recipe.name or query_data.name[:120], recipe.document(), files))


@blueprint.patch("/projects/<int:project>")
@blueprint.input(NameIn)
@blueprint.output(ProjectOut)
def rename_project(project: int, json_data: NameIn) -> ProjectOut:
    """Give a project another name."""
    found = projects.get(project)
    projects.rename(found, json_data.name)
    return project_out(found)


@blueprint.post("/projects/<int:project>/copies")
@blueprint.output(ProjectOut, status_code=201)
def duplicate_project(project: int) -> ProjectOut:
    """Duplicate a project."""
    return project_out(projects.duplicate(projects.get(project)))


@blueprint.delete("/projects/<int:project>")
@blueprint.output({}, status_code=204)
def delete_project(project: int) -> str:
    """Take a project off the shelf."""
    projects.delete(projects.get(project))
    return ""


@blueprint.post("/projects/<int:project>/restored")
@blueprint.output(ProjectOut)
def restore_project(project: int) -> ProjectOut:
    """Bring a deleted project back."""
    return project_out(projects.restore(project))
