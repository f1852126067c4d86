"""Geometry files: uploaded, read at once, and refused with the bad rows named."""

from __future__ import annotations

import numpy as np
from apiflask import APIBlueprint
from flask import request
from pydantic import BaseModel, Field

from plodek.core.shape import point_file
from plodek.server.api.messages import FileOut
from plodek.server.store import projects

blueprint = APIBlueprint("files", __name__)


class FileQuery(BaseModel):
    """The file's name."""

    name: str = Field(min_length=1, max_length=200)


@blueprint.post("/projects/<int:project>/files")
@blueprint.input(FileQuery, location="query")
@blueprint.output(FileOut, status_code=201)
def add_file(project: int, query_data: FileQuery) -> FileOut:
    """Store a point file, the body of the request, once it has been read without an error."""
    found = projects.get(project)
    data = request.get_data(cache=False)
    text = point_file.read(data, query_data.name)
    return FileOut(
        name=projects.add_file(found, query_data.name, data),
        title=text.title,
        points=len(text.points),
        closed=text.closed,
        gap=0.0 if text.closed else float(np.linalg.norm(text.points[-1] - text.points[0])),
        low=text.points.min(axis=0).tolist(),
        high=text.points.max(axis=0).tolist(),
    )
