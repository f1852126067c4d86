"""Projects: the shelf."""

from __future__ import annotations

import json
import tempfile
import time

from apiflask import APIBlueprint
from flask import Response, request, send_file
from pydantic import BaseModel, Field

from plodek.core.budget import most
from plodek.server.api.context import engine, project_out, sends, user
from plodek.server.api.messages import ProjectOut
from plodek.server.api.projects.archive import pack_all, unpacked
from plodek.server.api.projects.messages import NameIn, ProjectIn, ProjectsOut, ShelfOut, TakenOff
from plodek.server.demo import demo_files, demo_recipe
from plodek.server.door.bodies import takes_uploads
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart, large_alone
from plodek.server.store import projects
from plodek.server.workspace import KEEP_DELETED

blueprint = APIBlueprint("projects", __name__)


@blueprint.get("/projects")
@blueprint.output(ShelfOut)
def list_projects() -> ShelfOut:
    """List the projects on the shelf, and those that were taken off it."""
    off = [TakenOff(id=p.id, name=p.name, until=p.deleted + KEEP_DELETED) for p in projects.taken_off(user())]
    return ShelfOut(
        projects=[project_out(p) for p in projects.listed(user())],
        taken_off=off,
        files_mb=projects.used(user()) / 1024**2,
        most_files_mb=most("files_of_user_mb"),
    )


@blueprint.get("/projects/download")
@blueprint.doc(responses=sends("a ZIP file", "application/zip"))
@evaluated_apart()
def download_all() -> Response:
    """Give all projects of the shelf as one ZIP file, each in a folder: recipes and files as they stand."""
    packed = tempfile.TemporaryFile()  # noqa: SIM115  # the answer reads it, and it goes with the answer
    pack_all(projects.listed(user()), engine(), packed)
    packed.seek(0)
    name = time.strftime("plodek-shelf-%Y-%m-%d.zip")
    return send_file(packed, "application/zip", as_attachment=True, download_name=name)


@blueprint.post("/projects")
@blueprint.input(ProjectIn)
@blueprint.output(ProjectOut, status_code=201)
def make_project(json_data: ProjectIn) -> ProjectOut:
    """Make a project, empty or from the demo."""
    if json_data.demo:
        files = {name: projects.kept(data) for name, data in demo_files().items()}
        return project_out(projects.make(json_data.name, json.loads(demo_recipe()), files, user()))
    return project_out(projects.make(json_data.name, owner=user()))


class UploadQuery(BaseModel):
    """The file's name."""

    name: str = Field(min_length=1, max_length=200)


@blueprint.post("/projects/uploads")
@blueprint.input(UploadQuery, location="query")
@blueprint.output(ProjectsOut, status_code=201)
@takes_uploads
@evaluated_apart(again=False)
def upload_projects(query_data: UploadQuery) -> ProjectsOut:
    """Make a project of a recipe, or of a ZIP file of one with its files, or all of a shelf: the body."""
    found = unpacked(request.get_data(cache=False), query_data.name)
    made = projects.make_all(
        [(recipe.name or query_data.name[:120], recipe.document(), files) for recipe, files in found], user()
    )
    return ProjectsOut(projects=[project_out(one) for one in made])


@blueprint.patch("/projects/<int:project>")
@blueprint.input(NameIn)
@blueprint.output(ProjectOut)
@needs("manage")
def rename_project(project: int, json_data: NameIn) -> ProjectOut:
    """Give a project another name."""
    found = projects.get(project)
    projects.rename(found, json_data.name)
    return project_out(found)


@blueprint.post("/projects/<int:project>/copies")
@blueprint.output(ProjectOut, status_code=201)
@needs("see")
@large_alone
def duplicate_project(project: int) -> ProjectOut:
    """Duplicate a project."""
    return project_out(projects.duplicate(projects.get(project), user()))


@blueprint.delete("/projects/<int:project>")
@blueprint.output({}, status_code=204)
@needs("manage")
def delete_project(project: int) -> str:
    """Take a project off the shelf."""
    projects.delete(projects.get(project))
    return ""


@blueprint.post("/projects/<int:project>/restored")
@blueprint.output(ProjectOut)
@needs("manage")
def restore_project(project: int) -> ProjectOut:
    """Bring a deleted project back."""
    return project_out(projects.restore(project))
