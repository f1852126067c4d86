"""The users that may come in: their names, and hashes of their passwords by argon2."""

from __future__ import annotations

import re
import time
from functools import cache
from secrets import token_urlsafe
from typing import cast

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from plodek.core.errors import BadValue, NothingFound, NotReady
from plodek.server.store import sharing
from plodek.server.store.tables import Session, Share, User, writing

#: Characters that a password has at least and at most.
SHORTEST, LONGEST = 10, 200
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._@-]{0,63}")
_HASHER = PasswordHasher()


def add(name: str, password: str) -> None:
    """Add a user, or give one another password, which ends their sessions.

    Raises BadValue for a name or password that is none.
    """
    need_name(name)
    if not SHORTEST <= len(password) <= LONGEST:
        raise BadValue(
            f"the password has {len(password)} characters", remedy=f"use {SHORTEST} to {LONGEST} of them"
        )
    hashed = _HASHER.hash(password)
    with writing():
        User.replace(name=name, hash=hashed, created=time.time()).execute()
        Session.delete().where(Session.user == name).execute()


def need_name(name: str) -> None:
    """Raise BadValue for what is no name of a user."""
    if not _NAME.fullmatch(name):
        raise BadValue(
            f"“{name[:70]}” is no name of a user",
            remedy="use up to 64 letters, digits, dots, dashes, _ and @",
        )


def remove(name: str) -> None:
    """Take a user out, and what others shared with them. Raises NothingFound, NotReady for an owner."""
    with writing():
        if count := sharing.owned(name):
            raise NotReady(
                f"“{name[:70]}” owns projects ({count})",
                remedy=f"give them to another user first (plodek user give {name[:70]} OTHER)",
            )
        Share.delete().where(Share.user == name).execute()
        if not User.delete().where(User.name == name).execute():
            raise NothingFound(
                f"there is no user “{name[:70]}”", remedy=f"users are {', '.join(names()) or 'none yet'}"
            )


def names() -> list[str]:
    """List the users."""
    return [name for (name,) in User.select(User.name).order_by(User.name).tuples()]


def are_there() -> bool:
    """Whether there are users at all."""
    return bool(User.select().exists())


@cache
def _nobody() -> str:
    """Give what is compared where there is no such user: that takes as long as a wrong password does."""
    return _HASHER.hash(token_urlsafe())


def is_right(name: str, password: str) -> bool:
    """Whether a password is a user's own."""
    found = User.get_or_none(User.name == name)
    try:
        _HASHER.verify(_nobody() if found is None else found.hash, password[: LONGEST + 1])
    except (VerificationError, InvalidHashError):
        return False
    if found is None:
        return False
    if _HASHER.check_needs_rehash(cast(str, found.hash)):
        User.update(hash=_HASHER.hash(password)).where(User.name == name).execute()
    return True
