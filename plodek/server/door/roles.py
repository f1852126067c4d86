"""What a request needs of the project that it is about, looked at before any route is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from apiflask import HTTPError
from flask import g, request

from plodek.core.errors import NothingFound
from plodek.server.store import sharing
from plodek.server.store.sharing import ROLES, Role
from plodek.server.store.tables import Job, Project

_View = TypeVar("_View", bound=Callable[..., Any])
#: Where a view says what it needs.
_NEEDS = "needed_role"
_REFUSED: dict[Role, str] = {
    "see": "You may not look at this project.",
    "edit": "You may look at this project, not change it. Duplicate it, or ask its owner for more.",
    "manage": "You may not name, share or take away this project. Ask its owner.",
}  # fmt: skip


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
    """Refuse a request about a project that its user may not do this with.

    Raises NothingFound where the user may not even know of it, HTTPError else.
    """
    project = project_asked()
    found = Project.get_or_none(Project.id == project) if project is not None and project < 2**63 else None
    if g.user is None or found is None:
        return  # there is no door, or the route itself says that nothing is there
    has = sharing.role(found, g.user)
    if has is None:
        job = (request.view_args or {}).get("job")
        what = f"project {project}" if job is None else f"job {job}"
        raise NothingFound(f"there is no {what}", remedy="go back to the shelf")
    needed = needed_role(view, request.method)
    if ROLES.index(has) < ROLES.index(needed):
        raise HTTPError(403, _REFUSED[needed])


def need_role(project: Project, role: Role) -> None:
    """Refuse with HTTPError what this user may not do with a project."""
    has = sharing.role(project, g.user)
    if has is None or ROLES.index(has) < ROLES.index(role):
        raise HTTPError(403, _REFUSED[role])


def project_asked() -> int | None:
    """Give the number of the project that the present request is about; a job is about its own."""
    args = request.view_args or {}
    if "job" in args:
        job = Job.get_or_none(Job.id == args["job"])
        return None if job is None else int(job.project_id)
    return args.get("project")
