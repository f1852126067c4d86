"""What happens to projects and their recipes in the database. One user action is one transaction."""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Callable
from typing import Any, cast

from plodek.core.errors import BadValue, NothingFound, PlodekError
from plodek.core.recipe import recipe as recipes
from plodek.server.store.tables import GeometryFile, Project, Revision, database


class Stale(PlodekError):
    """An edit based on a revision that is no longer the newest."""

    title = "The recipe has changed meanwhile"

    def __init__(self, project: Project) -> None:
        super().__init__(
            "another tab has changed the recipe since",
            remedy="look at the newer recipe and keep your step again; nothing was lost",
        )
        self.project = project


def listed() -> list[Project]:
    """List the projects that are not deleted, the last changed first."""
    found = Project.select().where(Project.deleted.is_null()).order_by(Project.changed.desc())
    return list(found)


def get(project: int) -> Project:
    """Find a project. Raises NothingFound, also for a deleted one."""
    found = _stored(project)
    if found is None or found.deleted is not None:
        raise NothingFound(f"there is no project {project}", remedy="go back to the shelf")
    return found


def make(
    name: str, steps: list[dict[str, Any]] | None = None, files: dict[str, bytes] | None = None
) -> Project:
    """Make a project with a first revision."""
    now = time.time()
    with database.atomic():
        project = Project.create(name=_name(name), created=now, changed=now)
        for file, data in (files or {}).items():
            add_file(project, file, data)
        Revision.create(project=project, number=0, parent=None, steps=json.dumps(steps or []), created=now)
    return cast(Project, project)


def rename(project: Project, name: str) -> None:
    """Give a project another name."""
    project.name = _name(name)
    project.save()


def duplicate(project: Project) -> Project:
    """Copy a project with its present recipe and its files."""
    with database.atomic():
        files = {f.name: bytes(f.data) for f in project.files}
        return make(f"{project.name[:110]} (copy)", steps_of(project), files)


def delete(project: Project) -> None:
    """Take a project off the shelf; `restore` brings it back."""
    project.deleted = time.time()
    project.save()


def restore(project: int) -> Project:
    """Bring a deleted project back. Raises NothingFound."""
    found = _stored(project)
    if found is None:
        raise NothingFound(f"there is no project {project}")
    found.deleted = None
    found.save()
    return found


def steps_of(project: Project, number: int | None = None) -> list[dict[str, Any]]:
    """Give the steps of a revision, the present one where left out."""
    return cast(list[dict[str, Any]], json.loads(_revision(project, number).steps))


def recipe_of(project: Project) -> recipes.Recipe:
    """Give the present recipe."""
    return recipes.of({"plodek": recipes.FORMAT, "name": project.name, "steps": steps_of(project)})


def keep(project: int, base: int, steps: list[dict[str, Any]]) -> Project:
    """Keep new steps as a revision on top of ``base``.

    Raises Stale where ``base`` is not where the project stands, BadValue for steps that are no recipe.
    """
    read = recipes.of({"plodek": recipes.FORMAT, "steps": steps})
    text = json.dumps([step.model_dump(mode="json", exclude_defaults=False) for step in read.steps])
    with database.atomic("IMMEDIATE"):
        found = get(project)
        if found.revision != base:
            raise Stale(found)
        number = 1 + max(r.number for r in found.revisions)
        now = time.time()
        Revision.create(project=found, number=number, parent=base, steps=text, created=now)
        found.revision, found.changed = number, now
        found.save()
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
    """Store a geometry file; returns its name, numbered where another file already has it."""
    clean = name.replace("\\", "/").rsplit("/", 1)[-1].strip()[:100] or "points.txt"
    digest = hashlib.sha256(data).hexdigest()
    stem, dot, ending = clean.rpartition(".")
    if not dot:
        stem, ending = clean, ""
    for number in range(1, 1000):
        tried = clean if number == 1 else f"{stem}-{number}{dot}{ending}"
        there = GeometryFile.get_or_none((GeometryFile.project == project) & (GeometryFile.name == tried))
        if there is None:
            GeometryFile.create(project=project, name=tried, hash=digest, data=data)
            return tried
        if there.hash == digest:
            return tried
    raise BadValue(f"too many files are called “{clean}”", remedy="rename the file")


def read_file(project: Project, name: str) -> bytes:
    """Give the bytes of a geometry file. Raises NothingFound, saying which files there are."""
    found = GeometryFile.get_or_none((GeometryFile.project == project) & (GeometryFile.name == name))
    if found is None:
        had = ", ".join(f.name for f in project.files) or "none yet"
        raise NothingFound(f"the project has no file “{name}”", remedy=f"files there are: {had}")
    return bytes(found.data)


def _stored(project: int) -> Project | None:
    """Look a project up; numbers beyond what SQLite counts to name none."""
    found = Project.get_or_none(Project.id == project) if project < 2**63 else None
    return cast(Project | None, found)


def reader(project: Project) -> Callable[[str], bytes]:
    """Give the function that reads a project's files."""
    return lambda name: read_file(project, name)


def _move(project: int, base: int, target: Any, word: str) -> Project:
    with database.atomic("IMMEDIATE"):
        found = get(project)
        if found.revision != base:
            raise Stale(found)
        number = target(found)
        if number is None:
            raise NothingFound(f"there is nothing to {word}")
        found.revision, found.changed = number, time.time()
        found.save()
    return found


def _revision(project: Project, number: int | None = None) -> Revision:
    wanted = project.revision if number is None else number
    return cast(Revision, Revision.get((Revision.project == project) & (Revision.number == wanted)))


def _child(project: Project) -> int | None:
    made = [r.number for r in project.revisions.where(Revision.parent == project.revision)]
    return max(made, default=None)


def _name(name: str) -> str:
    clean = " ".join(name.split())
    if not 1 <= len(clean) <= 120:
        raise BadValue("the project's name is empty or longer than 120 characters", remedy="shorten it")
    return clean
