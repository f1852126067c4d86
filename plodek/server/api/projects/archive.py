"""Recipes as they travel: a JSON file, or a ZIP file of one with the files it reads, or of a whole shelf."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from collections.abc import Iterable
from typing import IO

from plodek.core.errors import BadFile
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.evaluation import all_files
from plodek.server.engine import Engine
from plodek.server.store import projects
from plodek.server.store.files import ProjectFiles
from plodek.server.store.tables import Project

#: Bytes that a ZIP file may come to when it is unpacked, files in it, and projects.
MOST_BYTES, MOST_FILES, MOST_PROJECTS = 500 * 1024**2, 5000, 500
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


def unpacked(data: bytes, name: str) -> list[tuple[Recipe, dict[str, bytes]]]:
    """Give the recipes with their files; several where a ZIP file has a folder with a recipe for each.

    Raises BadFile or BadValue, saying what is wrong.
    """
    if not data.startswith(b"PK"):
        return [(document.read(data, name), {})]
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            folders = _folders(archive, name)
            shelf = len(folders) > 1 and all(_RECIPE in files for files in folders.values())
            return [
                _one(archive, files, name)
                for files in (folders.values() if shelf else [_flat(folders, name)])
            ]
    except (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError) as error:
        raise BadFile(
            f"it is no ZIP file that can be read ({error})", where=name, remedy="pack it again"
        ) from error


def _folders(archive: zipfile.ZipFile, name: str) -> dict[str, dict[str, zipfile.ZipInfo]]:
    """Give what is in each folder, by the names of the files."""
    infos = [info for info in archive.infolist() if not info.is_dir()]
    size = sum(info.file_size for info in infos)
    found: dict[str, dict[str, zipfile.ZipInfo]] = {}
    for info in infos:
        folder, _, file = info.filename.replace("\\", "/").rpartition("/")
        found.setdefault(folder, {})[file] = info
    if size > MOST_BYTES or len(infos) > MOST_FILES or len(found) > MOST_PROJECTS:
        raise BadFile(
            f"it unpacks to {len(infos)} files of {size / 1024**2:.0f} MB in {len(found)} folders",
            where=name,
            remedy=f"stay below {MOST_FILES} files, {MOST_BYTES >> 20} MB and {MOST_PROJECTS} folders",
        )
    return found


def _flat(folders: dict[str, dict[str, zipfile.ZipInfo]], name: str) -> dict[str, zipfile.ZipInfo]:
    """Give the files of all folders by their names alone."""
    found: dict[str, zipfile.ZipInfo] = {}
    for files in folders.values():
        for file, info in files.items():
            if file in found:
                raise BadFile(
                    f"two files in it are called “{file}”", where=name, remedy="give one another name"
                )
            found[file] = info
    return found


def _one(
    archive: zipfile.ZipFile, files: dict[str, zipfile.ZipInfo], name: str
) -> tuple[Recipe, dict[str, bytes]]:
    """Read a recipe with its files."""
    recipes = [file for file in files if document.is_recipe(file)]
    main = _RECIPE if _RECIPE in recipes else (recipes[0] if len(recipes) == 1 else None)
    if main is None:
        what = f"{len(recipes)} files of it may be the recipe" if recipes else "there is no recipe in it"
        raise BadFile(what, where=name, remedy=f"pack the recipe as {_RECIPE}, and beside it what it reads")
    found = {file: archive.read(info) for file, info in files.items()}
    return document.read(found.pop(main), main), found
