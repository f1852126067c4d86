"""Recipes that are uploaded: a JSON file, or a ZIP file of one with the files that it reads."""

from __future__ import annotations

import io
import zipfile
import zlib

from plodek.core.errors import BadFile
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe

#: Bytes that a ZIP file may come to when it is unpacked, and files in it.
MOST_BYTES, MOST_FILES = 500 * 1024**2, 200


def unpacked(data: bytes, name: str) -> tuple[Recipe, dict[str, bytes]]:
    """Give the recipe and its files. Raises BadFile or BadValue, saying what is wrong with it."""
    if not data.startswith(b"PK"):
        return document.read(data, name), {}
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            found = _contents(archive, name)
    except (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError) as error:
        raise BadFile(
            f"it is no ZIP file that can be read ({error})", where=name, remedy="pack it again"
        ) from error
    recipes = [file for file in found if file.lower().endswith(".json")]
    main = "recipe.json" if "recipe.json" in recipes else (recipes[0] if len(recipes) == 1 else None)
    if main is None:
        what = f"{len(recipes)} files of it may be the recipe" if recipes else "there is no recipe in it"
        raise BadFile(what, where=name, remedy="pack the recipe as recipe.json, and beside it what it reads")
    recipe = document.read(found.pop(main), main)
    return recipe, found


def _contents(archive: zipfile.ZipFile, name: str) -> dict[str, bytes]:
    """Unpack the files, by their names without folders."""
    infos = [info for info in archive.infolist() if not info.is_dir()]
    size = sum(info.file_size for info in infos)
    if size > MOST_BYTES or len(infos) > MOST_FILES:
        raise BadFile(
            f"it unpacks to {len(infos)} files of {size / 1024**2:.0f} MB",
            where=name,
            remedy=f"stay below {MOST_FILES} files and {MOST_BYTES / 1024**2:.0f} MB",
        )
    found: dict[str, bytes] = {}
    for info in infos:
        file = info.filename.replace("\\", "/").rsplit("/", 1)[-1]
        if file in found:
            raise BadFile(f"two files in it are called “{file}”", where=name, remedy="give one another name")
        found[file] = archive.read(info)
    return found
