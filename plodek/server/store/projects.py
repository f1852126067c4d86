"""What happens to projects and their recipes in the database. One user action is one transaction."""

from __future__ import annotations

import json
import time
from collections.abc import Mapping
from typing import Any, NamedTuple, cast

from peewee import SQL, fn

from plodek.core.budget import most, need
from plodek.core.errors import BadValue, NothingFound, PlodekError
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.formats import FORMAT, brought_up
from plodek.server.store.contents import Contents, Kept
from plodek.server.store.sharing import may_be
from plodek.server.store.tables import GeometryFile, GridSummary, Project, Revision, database, writing

_MB = 1024**2


class Row(NamedTuple):
    """What is told of a project without reading its recipe: its steps, and the facts about its grid."""

    project: Project
    steps: int
    facts: dict[str, Any] | None


class Stale(PlodekError):
    """An edit based on a revision that is no longer the newest."""

    code = "stale"
    title = "The recipe has changed meanwhile"

    def __init__(self, project: Project) -> None:
        super().__init__(
            "another tab has changed the recipe since",
            remedy="look at the newer recipe and keep your step again; nothing was lost",
        )
        self.project = project


def listed(user: str | None = None) -> list[Project]:
    """List the projects on the shelf that a user may see, the last changed first."""
    there = Project.deleted.is_null() & may_be(user, "see")
    return list(Project.select().where(there).order_by(Project.changed.desc()))


def get(project: int) -> Project:
    """Find a project. Raises NothingFound, also for a deleted one."""
    found = _stored(project)
    if found is None or found.deleted is not None:
        raise NothingFound(f"there is no project {project}", remedy="go back to the shelf")
    return found


def make(
    name: str,
    recipe: dict[str, Any] | None = None,
    files: Mapping[str, Kept] | None = None,
    owner: str | None = None,
) -> Project:
    """Make a project with a first revision, a recipe as JSON values; an empty one where left out.

    Its files have been kept before (`kept`). Raises OverBudget where they are more than a user may have.
    """
    return make_all([(name, recipe or {}, files or {})], owner)[0]


def make_all(
    several: list[tuple[str, dict[str, Any], Mapping[str, Kept]]], owner: str | None = None
) -> list[Project]:
    """Make projects, of names, recipes and files: all of them, or none where one cannot be made."""
    documents = [_document(recipe) for _, recipe, _ in several]
    now = time.time()
    with writing():
        made = []
        for (name, _, files), one in zip(several, documents, strict=True):
            project = Project.create(name=_name(name), created=now, changed=now, owner=owner or "")
            for file, kept_file in files.items():
                _add(project, file, kept_file)
            _revise(project, 0, None, one, now)
            made.append(project)
        if any(files for _, _, files in several):  # a project without any takes no room
            _need_room(owner or "")
    return made


def kept(data: bytes) -> Kept:
    """Keep the bytes of a file that a project is about to have; apart from any transaction."""
    return Contents.of(database).keep(data)


def used(owner: str | None) -> int:
    """Give the bytes of all files of a user's projects, those off the shelf too; each counts once."""
    theirs = Project.select(Project.id).where(Project.owner == (owner or ""))
    return _bytes(GeometryFile.project.in_(theirs))


def _bytes(where: Any) -> int:
    each = (
        GeometryFile.select(fn.MAX(GeometryFile.size).alias("size")).where(where).group_by(GeometryFile.hash)
    )
    return int(each.select_from(fn.COALESCE(fn.SUM(each.c.size), 0)).scalar())


def _need_room(owner: str) -> None:
    """Raise OverBudget where files come to more than a user, or all together, may have."""
    need("files_of_user_mb", used(owner) / _MB)
    need("files_mb", _bytes(SQL("1")) / _MB)


def _document(recipe: dict[str, Any]) -> dict[str, Any]:
    """Give what is stored of a recipe: its format, parameters and steps. The project has its name."""
    found = brought_up(recipe)
    kept = {"plodek": FORMAT, "steps": found.get("steps", [])}
    return kept | ({"parameters": found["parameters"]} if found.get("parameters") else {})


def rename(project: Project, name: str) -> None:
    """Give a project another name."""
    project.name = _name(name)
    _update(project.id, name=project.name)


def duplicate(project: Project, owner: str | None = None) -> Project:
    """Copy a project with its present recipe and its files; it is shared with nobody."""
    with writing():
        rows = GeometryFile.select().where(GeometryFile.project == project).order_by(SQL("rowid"))
        files = {row.name: Kept(row.hash, row.size) for row in rows}
        copy = make(f"{project.name[:110]} (copy)", document_of(project), files, owner)
        keep_sections(copy, project.sections)
        return copy


def delete(project: Project) -> None:
    """Take a project off the shelf; `restore` brings it back."""
    project.deleted = time.time()
    _update(project.id, deleted=project.deleted)


def restore(project: int) -> Project:
    """Bring a deleted project back. Raises NothingFound."""
    if project >= 2**63 or not _update(project, deleted=None):
        raise NothingFound(f"there is no project {project}", remedy="go back to the shelf")
    return get(project)


def keep_sections(project: Project, text: str) -> None:
    """Keep the sections of a project, as JSON: they are no part of its recipe, and make no revision."""
    _update(project.id, sections=text)


def _update(project: int, **columns: Any) -> int:
    """Write columns of a project, and those alone: another request may be writing the others."""
    return int(Project.update(**columns).where(Project.id == project).execute())


def sweep_out(before: float) -> int:
    """Drop for good what has been taken off the shelf before a time, and bytes that no project has then.

    Gives how many projects went.
    """
    count = int(Project.delete().where(Project.deleted < before).execute())
    Contents.of(database).sweep_out({key for (key,) in GeometryFile.select(GeometryFile.hash).tuples()})
    return count


def row_of(project: Project) -> Row:
    """Tell a project without reading its recipe."""
    here = (Revision.project == project) & (Revision.number == project.revision)
    summary = (GridSummary.project == project) & (GridSummary.revision == project.revision)
    steps = Revision.select(Revision.steps).where(here).scalar()
    facts = GridSummary.select(GridSummary.facts).where(summary).scalar()
    return Row(project, steps or 0, None if facts is None else json.loads(facts))


def keep_facts(project: Project, facts: dict[str, Any]) -> None:
    """Keep the facts about the grid of the revision that a project stands at, for `row_of`."""
    GridSummary.replace(project=project, revision=project.revision, facts=json.dumps(facts)).execute()


def size_of(project: int) -> int:
    """Give the characters of the recipe where a project stands; 0 without one."""
    here = (Revision.project == Project.id) & (Revision.number == Project.revision)
    found = Revision.select(Revision.size).join(Project, on=here).where(Project.id == project).scalar()
    return int(found or 0)


def taken_off(user: str | None = None) -> list[Project]:
    """List the projects taken off the shelf that a user may bring back, the last one first."""
    off = Project.deleted.is_null(False) & may_be(user, "manage")
    return list(Project.select().where(off).order_by(Project.deleted.desc()))


def document_of(project: Project, revision: int | None = None) -> dict[str, Any]:
    """Give the present recipe, or that of a ``revision``, as JSON values, in today's format.

    Raises NothingFound for a revision that is not there.
    """
    found = cast(dict[str, Any], brought_up(json.loads(_revision(project, revision).document)))
    return {"plodek": FORMAT, "name": project.name, "parameters": {}} | found


def steps_of(project: Project) -> list[dict[str, Any]]:
    """Give the steps of the present recipe as JSON values."""
    return cast(list[dict[str, Any]], document_of(project)["steps"])


def recipe_of(project: Project, revision: int | None = None) -> Recipe:
    """Give the present recipe, or that of a ``revision``. Raises NothingFound for one that is not kept."""
    return document.of(document_of(project, revision))


def keep(
    project: int,
    base: int,
    steps: list[dict[str, Any]],
    parameters: dict[str, Any] | None = None,
) -> Project:
    """Keep new steps as a revision on top of ``base``; its parameters stay where none are given.

    Raises Stale where ``base`` is not where the project stands, BadValue for steps that are no recipe.
    """
    recipe = document.of({"steps": steps, "parameters": parameters or {}})
    with writing():
        found = _at(project, base)
        if parameters is None:
            recipe = recipe.model_copy(update={"parameters": document_of(found)["parameters"]})
        _put(found, _document(recipe.document()))
    return found


def keep_again(project: int, base: int, revision: int) -> Project:
    """Keep an earlier revision again on top of ``base``. Raises Stale, and NothingFound without it."""
    with writing():
        found = _at(project, base)
        there = (Revision.project == found) & (Revision.number == revision)
        old = Revision.get_or_none(there) if revision < 2**63 else None
        if old is None:
            raise NothingFound(f"the project has no revision {revision}")
        _put(found, json.loads(old.document))
    return found


def undo(project: int, base: int) -> Project:
    """Go back to the revision before. Raises Stale, and NothingFound at the first."""
    return _move(project, base, lambda found: _revision(found).parent, "undo")


def redo(project: int, base: int) -> Project:
    """Go forward to the newest revision made from this one. Raises Stale, and NothingFound at the last."""
    return _move(project, base, _child, "redo")


def can(project: Project) -> tuple[bool, bool]:
    """Say whether there is something to undo, and to redo."""
    return _revision(project).parent is not None, _child(project) is not None


def add_file(project: Project, name: str, data: bytes) -> str:
    """Store a geometry file; returns its name, numbered where another file already has it.

    Raises OverBudget where files come to more than the project's owner may have.
    """
    own = kept(data)
    with writing():
        found = _add(project, name, own)
        _need_room(project.owner)
    return found


def _add(project: Project, name: str, own: Kept) -> str:
    clean = name.replace("\\", "/").rsplit("/", 1)[-1].strip()[:100] or "points.txt"
    stem, dot, ending = clean.rpartition(".")
    if not dot:
        stem, ending = clean, ""
    for number in range(1, 1000):
        tried = clean if number == 1 else f"{stem}-{number}{dot}{ending}"
        there = _files(project, GeometryFile.hash).where(GeometryFile.name == tried).first()
        if there is None:
            GeometryFile.create(project=project, name=tried, hash=own.hash, size=own.size)
            return tried
        if there[0] == own.hash:
            return tried
    raise BadValue(f"too many files are called “{clean}”", remedy="rename the file")


def file_names(project: Project) -> list[str]:
    """Give the names of a project's geometry files, in the order they came."""
    return [name for (name,) in _files(project, GeometryFile.name).order_by(SQL("rowid"))]


def read_file(project: Project, name: str) -> bytes:
    """Give the bytes of a geometry file. Raises NothingFound, saying which files there are."""
    return Contents.of(database).read(hash_of(project, name))


def hash_of(project: Project, name: str) -> str:
    """Give the hash of a geometry file. Raises NothingFound."""
    return str(_of_file(project, name, GeometryFile.hash))


def _files(project: Project, column: Any) -> Any:
    return GeometryFile.select(column).where(GeometryFile.project == project).tuples()


def _of_file(project: Project, name: str, column: Any) -> Any:
    found = _files(project, column).where(GeometryFile.name == name).first()
    if found is None:
        had = ", ".join(file_names(project)) or "none yet"
        raise NothingFound(f"the project has no file “{name}”", remedy=f"files there are: {had}")
    return found[0]


def _stored(project: int) -> Project | None:
    """Look a project up; numbers beyond what SQLite counts to name none."""
    found = Project.get_or_none(Project.id == project) if project < 2**63 else None
    return cast(Project | None, found)


def _move(project: int, base: int, target: Any, word: str) -> Project:
    with writing():
        found = _at(project, base)
        number = target(found)
        if number is None:
            raise NothingFound(f"there is nothing to {word}")
        _stand(found, number, time.time())
    return found


def _stand(project: Project, number: int, now: float) -> None:
    """Let a project stand at a revision."""
    project.revision, project.changed = number, now
    _update(project.id, revision=number, changed=now)


def _revise(project: Project, number: int, parent: int | None, recipe: dict[str, Any], now: float) -> None:
    text = json.dumps(recipe)
    Revision.create(
        project=project, number=number, parent=parent, document=text, created=now,
        steps=len(recipe.get("steps", ())), size=len(text),
    )  # fmt: skip


def _at(project: int, base: int) -> Project:
    """Find a project that stands at a revision. Raises Stale where it does not."""
    found = get(project)
    if found.revision != base:
        raise Stale(found)
    return found


def _put(project: Project, recipe: dict[str, Any]) -> None:
    """Put a revision on top of where a project stands."""
    newest = Revision.select(fn.MAX(Revision.number)).where(Revision.project == project).scalar()
    now, number = time.time(), newest + 1
    _revise(project, number, project.revision, recipe, now)
    _stand(project, number, now)
    oldest = number - most("revisions") + 1
    if oldest > 0:
        here = Revision.project == project
        Revision.delete().where(here & (Revision.number < oldest)).execute()
        Revision.update(parent=None).where(here & (Revision.parent < oldest)).execute()


def _revision(project: Project, number: int | None = None) -> Revision:
    here = (Revision.project == project) & (
        Revision.number == (project.revision if number is None else number)
    )
    found = Revision.get_or_none(here)
    if found is None:
        raise NothingFound(
            f"there is no revision {number}", remedy="it may be older than those kept: choose another"
        )
    return cast(Revision, found)


def _child(project: Project) -> int | None:
    above = (Revision.project == project) & (Revision.parent == project.revision)
    return cast(int | None, Revision.select(fn.MAX(Revision.number)).where(above).scalar())


def _name(name: str) -> str:
    clean = " ".join(name.split())
    if not 1 <= len(clean) <= 120:
        raise BadValue("the project's name is empty or longer than 120 characters", remedy="shorten it")
    return clean
