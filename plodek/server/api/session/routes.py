"""The door: who has come in, coming in, and leaving."""

from __future__ import annotations

from apiflask import APIBlueprint

from plodek.server.api.session.messages import LoginIn, SessionOut
from plodek.server.door import guard

blueprint = APIBlueprint("session", __name__)


@blueprint.get("/session")
@blueprint.output(SessionOut)
def get_session() -> SessionOut:
    """Tell whether one has to log in, and who has."""
    return _told()


def _told() -> SessionOut:
    door = guard.present()
    needed = door.is_needed
    user = door.who() if needed else None
    return SessionOut(
        needed=needed,
        user=user or "",
        token=door.token() if user else "",
        may_leave=bool(user) and door.may_leave,
    )


@blueprint.post("/session")
@blueprint.input(LoginIn)
@blueprint.output(SessionOut)
def log_in(json_data: LoginIn) -> SessionOut:
    """Log in."""
    guard.present().let_in(json_data.name, json_data.password)
    return _told()


@blueprint.delete("/session")
@blueprint.output({}, status_code=204)
def log_out() -> str:
    """Log out."""
    guard.present().leave()
    return ""
