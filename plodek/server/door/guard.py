"""Who may come in: everyone on this machine until there are users, then those who have logged in.

A session is a signed cookie that scripts cannot read and other sites' pages do not send; what changes
something carries a token besides.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable
from datetime import timedelta
from hmac import compare_digest
from pathlib import Path
from threading import Lock

from apiflask import APIFlask, HTTPError
from cachetools import TTLCache
from flask import request, session

from plodek.core.errors import NotReady
from plodek.server.settings import LOOPBACK, Settings
from plodek.server.store import users

#: Seconds that a session lasts without a visit, and in which failed tries are counted.
LASTS, COUNTED = 14 * 24 * 3600, 300
#: Failed tries to log in from one address: for one name, and in all.
MOST_FOR_NAME, MOST_FROM_ADDRESS = 8, 40
TOKEN = "X-Plodek-Token"
#: What is answered to everyone: the pages themselves, the door, and whether the server is well.
_OPEN = ("page", "asset", "health", "session.get_session", "session.log_in")

failures: TTLCache[str, int] = TTLCache(20_000, COUNTED)
_counting = Lock()


def need_door(settings: Settings) -> None:
    """Raise NotReady where others could reach a server that has no door yet, or a door that is none."""
    away = settings.host not in LOOPBACK
    if settings.user_header and away:
        raise NotReady(
            f"whoever reaches {settings.host} could send the header {settings.user_header}",
            remedy="listen on 127.0.0.1, and let the proxy alone reach it",
        )
    if away and not users.are_there():
        raise NotReady(
            f"on {settings.host} others can reach Plodek, and there are no users yet",
            remedy="add one (plodek user add NAME), or listen on 127.0.0.1",
        )


def close_door(app: APIFlask, folder: Path, settings: Settings) -> Callable[[], str | None]:
    """Set up sessions, and give what refuses a request of somebody who has not come in, else gives the user.

    None is everyone, where nobody has to come in.
    """
    app.secret_key = _secret(folder / "secret")
    app.permanent_session_lifetime = timedelta(seconds=LASTS)
    app.config.update(
        SESSION_COOKIE_NAME="plodek",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_SECURE=settings.tls,
    )

    def look() -> str | None:
        if request.endpoint in _OPEN or not is_needed(settings):
            return None
        if request.endpoint == "metrics" and _address() in LOOPBACK:
            return None  # a monitor on this machine has no password
        user = who(settings)
        if user is None:
            raise HTTPError(401, "Log in first.")
        changes = request.method not in ("GET", "HEAD", "OPTIONS")
        if changes and not settings.user_header and not _has_token():
            raise HTTPError(403, "This request does not come from a page of Plodek. Load the page again.")
        return user

    return look


def is_needed(settings: Settings) -> bool:
    """Whether one has to come in by the door."""
    return bool(settings.user_header) or settings.host not in LOOPBACK or users.are_there()


def who(settings: Settings) -> str | None:
    """Give the user that a request comes from; None where nobody has come in."""
    if settings.user_header:
        return request.headers.get(settings.user_header, "").strip()[:64] or None
    name = session.get("user")
    return name if name is not None and session.get("stamp") == users.stamp(name) else None


def let_in(name: str, password: str) -> None:
    """Begin a session. Raises HTTPError for a wrong password, and where that was tried too often."""
    address = _address()
    keys = {f"{name[:70]} from {address}": MOST_FOR_NAME, f"from {address}": MOST_FROM_ADDRESS}
    with _counting:
        waits = any(failures.get(key, 0) >= most for key, most in keys.items())
    if waits:
        raise HTTPError(
            429,
            f"That was tried too often. Wait {COUNTED // 60} minutes.",
            headers={"Retry-After": str(COUNTED)},
        )
    if not users.is_right(name, password):
        with _counting:
            for key in keys:
                failures[key] = failures.get(key, 0) + 1
        raise HTTPError(401, "Name or password is wrong.")
    session.clear()
    session.permanent = True
    session.update(user=name, stamp=users.stamp(name), token=secrets.token_urlsafe(24))


def _address() -> str:
    """Give where a request comes from; of one from this machine, where its proxy has it from."""
    direct = request.remote_addr or ""
    return request.access_route[0] if direct in LOOPBACK and request.access_route else direct


def token() -> str:
    """Give the token of the session, which its requests for changes carry; "" without one."""
    return str(session.get("token", ""))


def _has_token() -> bool:
    return bool(token()) and compare_digest(request.headers.get(TOKEN, "").encode(), token().encode())


def _secret(path: Path) -> bytes:
    """Give the secret that cookies are signed with: of this folder, and for its owner alone."""
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(secrets.token_bytes(32))
    except FileExistsError:
        pass
    return path.read_bytes()
