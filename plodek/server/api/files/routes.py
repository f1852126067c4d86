"""Geometry files: uploaded, read, and refused with a sentence that says what is wrong."""

from __future__ import annotations

from contextlib import suppress

import numpy as np
from apiflask import APIBlueprint
from flask import request
from pydantic import BaseModel, Field

from plodek.core.errors import BadFile
from plodek.core.formats import block_map, registry
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe
from plodek.core.shape.files import geometry_file, point_file
from plodek.server.api.context import desk, engine, files_of, user
from plodek.server.api.guides.messages import FileOut
from plodek.server.api.jobs.messages import JobOut
from plodek.server.api.jobs.routes import job_out
from plodek.server.door.bodies import takes_uploads
from plodek.server.file_facts import facts, file_facts, map_facts
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects

blueprint = APIBlueprint("files", __name__)


class FileQuery(BaseModel):
    """The file's name."""

    name: str = Field(min_length=1, max_length=200)


@blueprint.post("/projects/<int:project>/files")
@blueprint.input(FileQuery, location="query")
@blueprint.output(FileOut, status_code=201)
@takes_uploads
@evaluated_apart(again=False)
def add_file(project: int, query_data: FileQuery) -> FileOut:
    """Store a point file, a recipe or a map, the body of the request, once it has been read."""
    found = projects.get(project)
    data = request.get_data(cache=False)
    if block_map.is_map(query_data.name):
        told = map_facts(query_data.name, data)
        return FileOut(**told | {"name": projects.add_file(found, query_data.name, data)})
    if document.is_recipe(query_data.name):
        recipe = document.read(data, query_data.name)
        return _recipe_out(projects.add_file(found, query_data.name, data), recipe)
    geometry_file.refuse_foreign(data, query_data.name)
    sections = point_file.read(data, query_data.name)
    return _points_out(projects.add_file(found, query_data.name, data), sections)


@blueprint.post("/projects/<int:project>/geometry")
@blueprint.input(FileQuery, location="query")
@blueprint.output(JobOut, status_code=202)
@takes_uploads
@evaluated_apart(again=False)
def add_geometry(project: int, query_data: FileQuery) -> JobOut:
    """Read a CAD, STL, OBJ or DXF file or a grid, the request's body, as a job that stores it once read."""
    found = projects.get(project)
    data = request.get_data(cache=False)
    if not registry.is_grid(query_data.name):
        geometry_file.refuse_foreign(data, query_data.name)
    job = desk().ask_with(found, "read", {"name": query_data.name}, data, user())
    return job_out(job)


@blueprint.get("/projects/<int:project>/files/<name>")
@blueprint.output(FileOut)
@evaluated_apart()
def get_file(project: int, name: str) -> FileOut:
    """Tell what a stored file holds."""
    found = projects.get(project)
    data = projects.read_file(found, name)
    if block_map.is_map(name):
        return FileOut(**map_facts(name, data))
    if document.is_recipe(name):
        return _recipe_out(name, document.read(data, name))
    if registry.is_grid(name):
        with suppress(BadFile):  # what ends in .xyz may be points too
            return FileOut(**engine().grid_told(data, name, projects.hash_of(found, name)))
    if geometry_file.kind_of(name) == "points":
        return _points_out(name, point_file.read(data, name))
    return FileOut(**file_facts(name, files_of(found).geometry(name)))


def _recipe_out(name: str, recipe: Recipe) -> FileOut:
    return FileOut(**facts(name, "recipe", {"steps": len(recipe.steps)}, title=recipe.name))


def _points_out(name: str, sections: list[point_file.Section]) -> FileOut:
    points = np.concatenate([section.points for section in sections])
    first = sections[0]
    gap = 0.0 if first.closed else float(np.linalg.norm(first.points[-1] - first.points[0]))
    counts = {"sections": len(sections)} if len(sections) > 1 else {}
    return FileOut(
        **facts(
            name,
            "points",
            counts | {"points": len(points)},
            names=[section.title for section in sections if section.title],
            title=first.title,
            closed=first.closed,
            gap=gap,
            low=points.min(axis=0).tolist(),
            high=points.max(axis=0).tolist(),
        )
    )
