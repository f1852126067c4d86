"""Sharing: whom a project belongs to, and who may do what with it."""

from __future__ import annotations

from apiflask import APIBlueprint

from plodek.core.errors import BadValue
from plodek.server.api.context import workspace
from plodek.server.api.sharing.messages import SharingIn, SharingOut
from plodek.server.door.roles import needs
from plodek.server.store import projects, sharing, users
from plodek.server.store.tables import Project

blueprint = APIBlueprint("sharing", __name__)


@blueprint.get("/projects/<int:project>/sharing")
@blueprint.output(SharingOut)
def get_sharing(project: int) -> SharingOut:
    """Tell whom a project belongs to, and who may do what with it."""
    return _told(projects.get(project))


@blueprint.put("/projects/<int:project>/sharing")
@blueprint.input(SharingIn)
@blueprint.output(SharingOut)
@needs("manage")
def share(project: int, json_data: SharingIn) -> SharingOut:
    """Share a project anew: whom it belongs to, and who else may do what."""
    found = projects.get(project)
    known = _known_users()
    for name in {json_data.owner, *json_data.roles} - {sharing.EVERYONE}:
        if known is None:
            users.need_name(name)
        elif name not in known:
            raise BadValue(f"there is no user “{name[:70]}”", remedy=f"users are {', '.join(known[:20])}")
    sharing.share(found, json_data.owner, json_data.roles)
    return _told(projects.get(project))


def _told(project: Project) -> SharingOut:
    return SharingOut(owner=project.owner, roles=sharing.shared(project), users=_known_users() or [])


def _known_users() -> list[str] | None:
    """List the users there are; None where a proxy alone knows them."""
    return None if workspace().settings.user_header else users.names()
