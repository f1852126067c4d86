"""Recipes as they travel: a JSON file, or a ZIP file of one with the files it reads, or of a whole shelf."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterable, Mapping
from typing import IO

from plodek.core.doors.archive import Archive, opened
from plodek.core.errors import BadFile
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.evaluation import all_files
from plodek.server.engine import Engine
from plodek.server.store import projects
from plodek.server.store.contents import Kept
from plodek.server.store.files import ProjectFiles
from plodek.server.store.tables import Project

#: Projects that are brought in at once.
MOST_PROJECTS = 500
_RECIPE = "recipe.json"


def pack(project: Project, engine: Engine, target: IO[bytes]) -> None:
    """Write a project as a ZIP file: its recipe, and all files that this reads, brought-in recipes' too."""
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        _add(archive, "", project, engine)


def pack_all(several: Iterable[Project], engine: Engine, target: IO[bytes]) -> None:
    """Write projects as one ZIP file, each in a folder of its own."""
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for project in several:
            plain = "-".join("".join(c if c.isalnum() else " " for c in project.name).split())[:60]
            _add(archive, f"{project.id:04}-{plain}/", project, engine)


def _add(archive: zipfile.ZipFile, folder: str, project: Project, engine: Engine) -> None:
    files = ProjectFiles(project, engine)
    text = json.dumps(projects.document_of(project), indent=1, ensure_ascii=False)
    archive.writestr(folder + _RECIPE, text)
    for name in all_files(projects.recipe_of(project), files):
        archive.writestr(folder + name, files.read(name))


def unpacked(data: bytes, name: str) -> list[tuple[Recipe, dict[str, Kept]]]:
    """Give the recipes with their files, kept; several where a ZIP file has a folder with a recipe for each.

    Raises BadFile or BadValue, saying what is wrong.
    """
    if not data.startswith(b"PK"):
        return [(document.read(data, name), {})]
    with opened(io.BytesIO(data), name) as archive:
        folders = _folders(archive, name)
        shelf = len(folders) > 1 and all(_RECIPE in files for files in folders.values())
        return [
            _one(archive, files, name) for files in (folders.values() if shelf else [_flat(folders, name)])
        ]


def _folders(archive: Archive, name: str) -> dict[str, dict[str, str]]:
    """Give what is in each folder: the names of the files, and those with their folders."""
    found: dict[str, dict[str, str]] = {}
    for whole in archive.names:
        folder, _, file = whole.rpartition("/")
        found.setdefault(folder, {})[file] = whole
    if len(found) > MOST_PROJECTS:
        raise BadFile(
            f"it holds {len(found)} folders", where=name, remedy=f"pack {MOST_PROJECTS} projects at most"
        )
    return found


def _flat(folders: Mapping[str, Mapping[str, str]], name: str) -> dict[str, str]:
    """Give the files of all folders by their names alone."""
    found: dict[str, str] = {}
    for files in folders.values():
        for file, whole in files.items():
            if file in found:
                raise BadFile(
                    f"two files in it are called “{file}”", where=name, remedy="give one another name"
                )
            found[file] = whole
    return found


def _one(archive: Archive, files: Mapping[str, str], name: str) -> tuple[Recipe, dict[str, Kept]]:
    """Read a recipe with its files."""
    recipes = [file for file in files if document.is_recipe(file)]
    main = _RECIPE if _RECIPE in recipes else (recipes[0] if len(recipes) == 1 else None)
    if main is None:
        what = f"{len(recipes)} files of it may be the recipe" if recipes else "there is no recipe in it"
        raise BadFile(what, where=name, remedy=f"pack the recipe as {_RECIPE}, and beside it what it reads")
    recipe = document.read(archive.read(files[main]), main)
    return recipe, {file: projects.kept(archive.read(whole)) for file, whole in files.items() if file != main}
