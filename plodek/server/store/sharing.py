"""Who may do what with a project: it belongs to a user, who may share it, or to nobody and so to everyone."""

from __future__ import annotations

from typing import Any, Literal, get_args

from peewee import SQL

from plodek.core.errors import BadValue
from plodek.server.store.tables import Project, Share, writing

#: What one may do with a project, each with what stands before it: look at it, change its recipe and files,
#: and name it, share it and take it off the shelf.
Role = Literal["see", "edit", "manage"]
ROLES: tuple[Role, ...] = get_args(Role)
#: What stands for all users where a project is shared, and for nobody where it belongs to somebody.
EVERYONE = ""
#: Users that a project is shared with.
MOST_SHARES = 200


def role(project: Project, user: str | None) -> Role | None:
    """Say what a user may do with a project; where nobody has to come in (None), everything."""
    if user is None or project.owner in (EVERYONE, user):
        return "manage"
    own = Share.user.in_((user, EVERYONE))
    found = [one for (one,) in Share.select(Share.role).where((Share.project == project) & own).tuples()]
    return max(found, key=ROLES.index, default=None)


def may(project: Project, user: str | None, least: Role) -> bool:
    """Whether a user may do at least so much with a project."""
    has = role(project, user)
    return has is not None and ROLES.index(has) >= ROLES.index(least)


def may_be(user: str | None, least: Role) -> Any:
    """Give the condition for projects with which a user may do at least so much."""
    if user is None:
        return SQL("1")
    enough = Share.user.in_((user, EVERYONE)) & Share.role.in_(ROLES[ROLES.index(least) :])
    return Project.owner.in_((EVERYONE, user)) | Project.id.in_(Share.select(Share.project).where(enough))


def shared(project: Project) -> dict[str, Role]:
    """Give the users that a project is shared with, and what each may do."""
    here = Share.select(Share.user, Share.role).where(Share.project == project).order_by(Share.user)
    return dict(here.tuples())


def share(project: Project, owner: str, roles: dict[str, Role]) -> None:
    """Share a project anew: whom it belongs to, and who else may do what. Raises BadValue for too many."""
    if len(roles) > MOST_SHARES:
        raise BadValue(
            f"a project is shared with {len(roles)} users", remedy=f"share it with everyone, or {MOST_SHARES}"
        )
    with writing():
        Project.update(owner=owner).where(Project.id == project.id).execute()
        Share.delete().where(Share.project == project).execute()
        rows = [{"project": project, "user": one, "role": may} for one, may in roles.items() if one != owner]
        if rows:
            Share.insert_many(rows).execute()


def owned(user: str) -> int:
    """Count the projects of a user, those off the shelf too."""
    return int(Project.select().where(Project.owner == user).count())


def give_all(user: str, other: str) -> int:
    """Give all projects of a user to another one; give how many."""
    with writing():
        theirs = Project.select(Project.id).where(Project.owner == user)
        Share.delete().where((Share.user == other) & Share.project.in_(theirs)).execute()
        return int(Project.update(owner=other).where(Project.owner == user).execute())
