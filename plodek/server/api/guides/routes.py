"""Guides: surfaces drawn, mended and measured; renamed, put into another unit, and written to files."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from apiflask import APIBlueprint
from flask import Response, send_file

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.rewriting import in_unit, renamed
from plodek.core.shape import mend
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.files import export
from plodek.core.shape.guide import unknown_guide
from plodek.core.shape.measure import Target, measure
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import LengthUnit
from plodek.server.api.context import UpTo, engine, evaluated, evaluated_upto, files_of, sends
from plodek.server.api.grids.pictures import finite
from plodek.server.api.guides.messages import (
    FreeEdgeOut,
    MeasureIn,
    MeasureOut,
    MendOut,
    RenameIn,
    TargetIn,
    UnitIn,
    ValueOut,
)
from plodek.server.api.guides.pictures import shape_picture
from plodek.server.api.models.messages import PreviewIn
from plodek.server.api.recipes.messages import RecipeOut
from plodek.server.api.recipes.routes import recipe_out
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects
from plodek.server.store.tables import Project

blueprint = APIBlueprint("guides", __name__)

_FREE = 1000  # free edges that are told at most


class WriteQuery(UpTo):
    """Which guides to write, by commas; all where left out. STL may be in another unit."""

    guides: str = ""
    unit: LengthUnit | None = None


@blueprint.get("/projects/<int:project>/shape")
@blueprint.input(UpTo, location="query")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@evaluated_apart()
def get_shape(project: int, query_data: UpTo) -> Response:
    """Draw the surfaces of a project."""
    model = _model(projects.get(project), query_data.upto)
    return Response(shape_picture(model.own_guides), mimetype="application/octet-stream")


@blueprint.post("/projects/<int:project>/preview/shape")
@blueprint.input(PreviewIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@needs("see")
@evaluated_apart()
def preview_shape(project: int, json_data: PreviewIn) -> Response:
    """Draw the surfaces that tried steps would add or change."""
    found = projects.get(project)
    after, before = (evaluated(found, steps).model for steps in (json_data.steps, json_data.against))
    new = {name: guide for name, guide in after.own_guides.items() if before.guides.get(name) is not guide}
    return Response(shape_picture(new), mimetype="application/octet-stream")


@blueprint.get("/projects/<int:project>/mending")
@blueprint.input(UpTo, location="query")
@blueprint.output(MendOut)
@evaluated_apart()
def get_mending(project: int, query_data: UpTo) -> MendOut:
    """Look for gaps between the surfaces, tiny edges and doubled surfaces."""
    model = _model(projects.get(project), query_data.upto)
    surfaces = {name: guide for name, guide in model.own_guides.items() if isinstance(guide, Surface)}
    found = mend.examine(surfaces)
    return MendOut(
        surfaces=len(surfaces),
        free=[
            FreeEdgeOut(
                surface=edge.surface,
                beside=edge.beside,
                length=edge.curve.length,
                gap=finite(edge.gap),
                crack=edge.crack,
                xyz=edge.curve.drawing.tolist(),
            )
            for edge in found.free[:_FREE]
        ],
        tolerance=found.tolerance,
        tiny=list(found.tiny),
        doubled=list(found.doubled),
        volume=found.volume,
    )


@blueprint.post("/projects/<int:project>/measurements")
@blueprint.input(MeasureIn)
@blueprint.output(MeasureOut)
@needs("see")
@evaluated_apart()
def measure_guides(project: int, json_data: MeasureIn) -> MeasureOut:
    """Measure guides and places."""
    model = _model(projects.get(project), json_data.upto)
    found = measure(json_data.wish, [_target(model, target) for target in json_data.targets])
    return MeasureOut(
        values=[ValueOut(name=n, value=finite(v), power=p) for n, v, p in found.values],
        mark=found.mark.tolist(),
    )


@blueprint.post("/projects/<int:project>/renames")
@blueprint.input(RenameIn)
@blueprint.output(RecipeOut)
@evaluated_apart(again=False)
def rename_guide(project: int, json_data: RenameIn) -> RecipeOut:
    """Give a guide or group another name, in every step that names it."""
    found = projects.get(project)
    before = evaluated_upto(found, None)
    after = renamed(before, json_data.guide, json_data.to)
    tried = engine().evaluate(after, files_of(found))
    if tried.error is not None and before.error is None:
        raise tried.error
    return recipe_out(projects.keep(project, json_data.base, after.document()["steps"]))


@blueprint.post("/projects/<int:project>/unit")
@blueprint.input(UnitIn)
@blueprint.output(RecipeOut)
@evaluated_apart(again=False)
def change_unit(project: int, json_data: UnitIn) -> RecipeOut:
    """Change the length unit: convert the numbers that are there, or keep them."""
    found = projects.get(project)
    files = files_of(found)
    after = in_unit(
        projects.recipe_of(found),
        json_data.unit,
        convert=json_data.meaning == "convert",
        evaluate=lambda recipe: engine().evaluate(recipe, files),
    )
    return recipe_out(projects.keep(project, json_data.base, after.document()["steps"]))


@blueprint.get("/projects/<int:project>/guides.step")
@blueprint.input(WriteQuery, location="query")
@blueprint.doc(responses=sends("a STEP file", "model/step"))
@evaluated_apart()
def write_step(project: int, query_data: WriteQuery) -> Response:
    """Write guides as STEP."""
    found, model, chosen = _chosen(project, query_data)
    data = export.step(chosen, query_data.unit or model.unit)
    return _download(data, f"{found.name}.step", "model/step")


@blueprint.get("/projects/<int:project>/guides.stl")
@blueprint.input(WriteQuery, location="query")
@blueprint.doc(responses=sends("an STL file", "model/stl"))
@evaluated_apart()
def write_stl(project: int, query_data: WriteQuery) -> Response:
    """Write surfaces as STL."""
    found, model, chosen = _chosen(project, query_data)
    data = export.stl(chosen, model.unit, query_data.unit or model.unit)
    return _download(data, f"{found.name}.stl", "model/stl")


def _chosen(project: int, query: WriteQuery) -> tuple[Project, Model, dict[str, Any]]:
    found = projects.get(project)
    model = _model(found, query.upto)
    if not model.own_guides:
        raise BadValue("there is no guide to write", remedy="draw or bring in guides first")
    names = [name.strip() for name in query.guides.split(",") if name.strip()]
    chosen = selectors.guides(model, names) if names else list(model.own_guides)
    return found, model, {name: model.guides[name] for name in chosen}


def _download(data: bytes, name: str, kind: str) -> Response:
    return send_file(io.BytesIO(data), mimetype=kind, as_attachment=True, download_name=name)


def _model(project: Project, upto: int | None) -> Model:
    return evaluated_upto(project, upto).model


def _target(model: Model, wish: TargetIn) -> Target:
    xyz = None if wish.at is None else np.array(coordinates(wish.at, model.unit))
    if wish.guide is None:
        if xyz is None:
            raise BadValue("a target names neither a guide nor a place", remedy="give one of them")
        return Target("the place", None, xyz)
    guide = model.guides.get(wish.guide)
    if guide is None:
        raise unknown_guide(model.guides, wish.guide)
    if wish.fraction is not None:
        if not isinstance(guide, Curve):
            raise BadValue(f"“{wish.guide}” is no curve", remedy="a fraction goes with a curve")
        xyz = guide.at(np.array([wish.fraction]))[0]
    return Target(wish.guide, guide, xyz)
