"""The door: who has come in, coming in, and leaving."""

from __future__ import annotations

from apiflask import APIBlueprint

from plodek.server.api.session.messages import BegunOut, LoginIn, SessionOut, SessionsOut
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


@blueprint.get("/sessions")
@blueprint.output(SessionsOut)
def list_sessions() -> SessionsOut:
    """List the sessions of whoever asks: where they are logged in."""
    return _sessions()


def _sessions() -> SessionsOut:
    return SessionsOut(sessions=[BegunOut(**one._asdict()) for one in guard.present().sessions()])


@blueprint.delete("/sessions")
@blueprint.output(SessionsOut)
def end_other_sessions() -> SessionsOut:
    """End all other sessions of whoever asks."""
    guard.present().end_others()
    return _sessions()


@blueprint.delete("/session")
@blueprint.output({}, status_code=204)
def log_out() -> str:
    """Log out."""
    guard.present().leave()
    return ""
