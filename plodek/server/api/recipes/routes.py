"""Recipes: reading, keeping, undo and redo, download, and the schema of all steps."""

from __future__ import annotations

import io
from importlib.metadata import version

from apiflask import APIBlueprint
from flask import Response, send_file

from plodek.core.formats.registry import written
from plodek.core.recipe import document
from plodek.server.api.context import engine, role_in, sends
from plodek.server.api.projects.archive import pack
from plodek.server.api.recipes.messages import BaseIn, FormatOut, OptionOut, RecipeIn, RecipeOut, SchemaOut
from plodek.server.pool.passing import evaluated_apart, large_alone
from plodek.server.store import projects
from plodek.server.store.tables import Project

blueprint = APIBlueprint("recipes", __name__)


@blueprint.get("/schema")
@blueprint.output(SchemaOut)
@evaluated_apart()
def recipe_schema() -> SchemaOut:
    """Give the schema of recipes, which drives the forms."""
    formats = [
        FormatOut(
            key=f.key,
            label=f.label,
            about=f.about,
            plane=f.plane,
            options=[OptionOut(key=o.key, title=o.title, choices=list(o.choices)) for o in f.options],
        )
        for f in written().values()
    ]
    return SchemaOut(schema=document.schema(), formats=formats, version=version("plodek"))


@blueprint.get("/projects/<int:project>/recipe")
@blueprint.output(RecipeOut)
@large_alone
def get_recipe(project: int) -> RecipeOut:
    """Give a project's recipe where it stands."""
    return recipe_out(projects.get(project))


@blueprint.get("/projects/<int:project>/recipe/download")
@blueprint.doc(responses=sends("a ZIP file", "application/zip"))
@evaluated_apart()
def download_recipe(project: int) -> Response:
    """Give the recipe and all files that it reads, brought-in recipes' too, as one ZIP file.

    It is ready for `plodek build`, and to be made a project of again.
    """
    found = projects.get(project)
    packed = io.BytesIO()
    pack(found, engine(), packed)
    packed.seek(0)
    return send_file(packed, as_attachment=True, download_name="recipe.zip")


@blueprint.put("/projects/<int:project>/recipe")
@blueprint.input(RecipeIn)
@blueprint.output(RecipeOut)
@large_alone
def keep_recipe(project: int, json_data: RecipeIn) -> RecipeOut:
    """Keep new steps on top of the revision they are based on."""
    kept = projects.keep(project, json_data.base, json_data.steps, json_data.parameters)
    return recipe_out(kept)


@blueprint.post("/projects/<int:project>/undo")
@blueprint.input(BaseIn)
@blueprint.output(RecipeOut)
@large_alone
def undo(project: int, json_data: BaseIn) -> RecipeOut:
    """Go back one revision."""
    return recipe_out(projects.undo(project, json_data.base))


@blueprint.post("/projects/<int:project>/redo")
@blueprint.input(BaseIn)
@blueprint.output(RecipeOut)
@large_alone
def redo(project: int, json_data: BaseIn) -> RecipeOut:
    """Go forward one revision."""
    return recipe_out(projects.redo(project, json_data.base))


def recipe_out(project: Project) -> RecipeOut:
    """Tell a project's recipe."""
    can_undo, can_redo = projects.can(project)
    recipe = projects.document_of(project)
    return RecipeOut(
        project=project.id,
        name=project.name,
        revision=project.revision,
        steps=recipe["steps"],
        parameters=recipe["parameters"],
        can_undo=can_undo,
        can_redo=can_redo,
        role=role_in(project),
        files=projects.file_names(project),
    )
