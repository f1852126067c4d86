"""The sessions of users: a browser has a token, of which the hash alone is kept here: that opens nothing."""

from __future__ import annotations

import time
from hashlib import sha256
from secrets import token_urlsafe
from typing import NamedTuple

from plodek.server.store.tables import Session, writing

#: Seconds that a session lasts without a visit, and after which a visit is noted again.
LASTS, NOTED = 14 * 24 * 3600.0, 3600.0


class Begun(NamedTuple):
    """A session: when it began and was here last (in seconds), its browser, and whether it asks now."""

    created: float
    seen: float
    about: str
    own: bool


def begin(user: str, about: str) -> str:
    """Begin a session of a user who has shown who they are; give its token."""
    token, now = token_urlsafe(32), time.time()
    with writing():
        Session.delete().where(Session.seen < now - LASTS).execute()
        Session.create(key=_key(token), user=user, created=now, seen=now, about=about[:200])
    return token


def user_of(token: str) -> str | None:
    """Give the user of a session that has not ended; None for any other token."""
    found = Session.get_or_none(Session.key == _key(token))
    now = time.time()
    if found is None or found.seen < now - LASTS:
        return None
    if now - found.seen > NOTED:
        Session.update(seen=now).where(Session.key == found.key).execute()
    return str(found.user_id)


def end(token: str) -> None:
    """End a session."""
    Session.delete().where(Session.key == _key(token)).execute()


def end_others(user: str, token: str) -> int:
    """End all sessions of a user but one; give how many."""
    return int(Session.delete().where((Session.user == user) & (Session.key != _key(token))).execute())


def listed(user: str, token: str) -> list[Begun]:
    """List the sessions of a user, the last seen first."""
    theirs = Session.select().where((Session.user == user) & (Session.seen >= time.time() - LASTS))
    return [
        Begun(one.created, one.seen, one.about, one.key == _key(token))
        for one in theirs.order_by(Session.seen.desc())
    ]


def _key(token: str) -> str:
    return sha256(token.encode()).hexdigest()
