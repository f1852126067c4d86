"""Recipes: reading, keeping, undo and redo, and the schema of all steps."""

from __future__ import annotations

import io
import json
import zipfile
from importlib.metadata import version

from apiflask import APIBlueprint
from flask import Response, send_file

from plodek.core.recipe import recipe as recipes
from plodek.server.api.messages import BaseIn, RecipeIn, RecipeOut, SchemaOut
from plodek.server.api.presenting import recipe_out, sends
from plodek.server.store import projects

blueprint = APIBlueprint("recipes", __name__)


@blueprint.get("/schema")
@blueprint.output(SchemaOut)
def recipe_schema() -> SchemaOut:
    """Give the schema of recipes, which drives the forms."""
    return SchemaOut(schema=recipes.schema(), version=version("plodek"))


@blueprint.get("/projects/<int:project>/recipe")
@blueprint.output(RecipeOut)
def get_recipe(project: int) -> RecipeOut:
    """Give a project's recipe where it stands."""
    return recipe_out(projects.get(project))


@blueprint.get("/projects/<int:project>/recipe/download")
@blueprint.doc(responses=sends("a ZIP file", "application/zip"))
def download_recipe(project: int) -> Response:
    """Give the recipe and the geometry files it reads as one ZIP file, ready for `plodek build`."""
    found = projects.get(project)
    recipe = {"plodek": recipes.FORMAT, "name": found.name, "steps": projects.steps_of(found)}
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("recipe.json", json.dumps(recipe, indent=1, ensure_ascii=False))
        for name in {step["file"] for step in recipe["steps"] if "file" in step}:
            archive.writestr(name, projects.read_file(found, name))
    packed.seek(0)
    return send_file(packed, as_attachment=True, download_name="recipe.zip")


@blueprint.put("/projects/<int:project>/recipe")
@blueprint.input(RecipeIn)
@blueprint.output(RecipeOut)
def keep_recipe(project: int, json_data: RecipeIn) -> RecipeOut:
    """Keep new steps on top of the revision they are based on."""
    return recipe_out(projects.keep(project, json_data.base, json_data.steps))


@blueprint.post("/projects/<int:project>/undo")
@blueprint.input(BaseIn)
@blueprint.output(RecipeOut)
def undo(project: int, json_data: BaseIn) -> RecipeOut:
    """Go back one revision."""
    return recipe_out(projects.undo(project, json_data.base))


@blueprint.post("/projects/<int:project>/redo")
@blueprint.input(BaseIn)
@blueprint.output(RecipeOut)
def redo(project: int, json_data: BaseIn) -> RecipeOut:
    """Go forward one revision."""
    return recipe_out(projects.redo(project, json_data.base))
