"""What a request needs of the project that it is about, looked at before any route is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from apiflask import HTTPError
from flask import g, request

from plodek.core.errors import NothingFound
from plodek.server.store import sharing
from plodek.server.store.sharing import Role
from plodek.server.store.tables import Job, Project

_View = TypeVar("_View", bound=Callable[..., Any])
#: Where a view says what it needs.
_NEEDS = "needed_role"
_REFUSED: dict[Role, str] = {
    "see": "You may not look at this project.",
    "edit": "You may look at this project, not change it. Duplicate it, or ask its owner for more.",
    "manage": "You may not name, share or take away this project. Ask its owner.",
}  # fmt: skip
_REMEDY = "go back to the shelf"


def needs(role: Role) -> Callable[[_View], _View]:
    """Say what a view needs of its project, where that is not to see for GET and to edit for all else."""

    def mark(view: _View) -> _View:
        view.__dict__[_NEEDS] = role
        return view

    return mark


def needed_role(view: Callable[..., Any], method: str) -> Role:
    """Give what a view needs of the project it is about."""
    usual: Role = "see" if method in ("GET", "HEAD", "OPTIONS") else "edit"
    needed: Role = view.__dict__.get(_NEEDS, usual)
    return needed


def look_at_role(view: Callable[..., Any]) -> None:
    """Refuse a request about a project or a job that its user may not do this with.

    Raises NothingFound for what is not there and for what the user may not even know of, in the same words;
    HTTPError else.
    """
    args = request.view_args or {}
    project = project_asked()
    if project is None:
        return
    what = f"project {project}" if "project" in args else f"job {args['job']}"
    found = Project.get_or_none(Project.id == project) if project < 2**63 else None
    if found is None or sharing.role(found, g.user) is None:
        raise _nothing(what)
    if "job" in args and _project_of(args["job"]) != project:
        raise _nothing(f"job {args['job']}")
    if not sharing.may(found, g.user, needed_role(view, request.method)):
        raise HTTPError(403, _REFUSED[needed_role(view, request.method)])


def need_role(project: Project, role: Role) -> None:
    """Refuse what this user may not do with a project. Raises NothingFound where they may not know of it."""
    if sharing.role(project, g.user) is None:
        raise _nothing(f"project {project.id}")
    if not sharing.may(project, g.user, role):
        raise HTTPError(403, _REFUSED[role])


def project_asked() -> int | None:
    """Give the number of the project that the present request is about; of a job alone, its own.

    Raises NothingFound for a job that is not there.
    """
    args = request.view_args or {}
    if "project" in args or "job" not in args:
        return args.get("project")
    project = _project_of(args["job"])
    if project is None:
        raise _nothing(f"job {args['job']}")
    return project


def _project_of(job: str) -> int | None:
    found = Job.select(Job.project).where(Job.id == job).scalar()
    return None if found is None else int(found)


def _nothing(what: str) -> NothingFound:
    return NothingFound(f"there is no {what}", remedy=_REMEDY)
