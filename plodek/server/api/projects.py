"""Projects: the shelf."""

from __future__ import annotations

import json

from apiflask import APIBlueprint

from plodek.server.api.messages import NameIn, ProjectIn, ProjectOut, ProjectsOut
from plodek.server.api.presenting import project_out
from plodek.server.demo import demo_files, demo_recipe
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
        steps = json.loads(demo_recipe())["steps"]
        return project_out(projects.make(json_data.name, steps, demo_files()))
    return project_out(projects.make(json_data.name))


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
