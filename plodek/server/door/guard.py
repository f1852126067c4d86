"""Who may come in: everyone on this machine until there are users, then those who have logged in.

A session is kept here and ends here; its browser has a signed cookie that scripts cannot read and pages of
other sites do not send. What changes something carries a token besides.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path
from threading import BoundedSemaphore
from typing import cast

from apiflask import APIFlask, HTTPError
from flask import Request, current_app, request, session
from flask.sessions import SecureCookieSessionInterface
from flask_login import LoginManager, UserMixin, current_user, login_user, logout_user
from flask_wtf.csrf import generate_csrf, validate_csrf
from itsdangerous import BadSignature
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from werkzeug.http import parse_cookie
from wtforms.validators import ValidationError

from plodek.core.errors import NotReady
from plodek.server.settings import LOOPBACK, Settings
from plodek.server.store import sessions, users
from plodek.server.store.sessions import Begun

#: Minutes in which tries to log in from one address count: for one name, and in all.
COUNTED = 5
MOST_FOR_NAME = RateLimitItemPerMinute(8, COUNTED)
MOST_FROM_ADDRESS = RateLimitItemPerMinute(40, COUNTED)
#: Passwords that are looked at at once, each in 64 MB, and those that may wait for it.
HASHES, WAITING = 2, 8
TOKEN = "X-Plodek-Token"
_COOKIE = "plodek"
#: What is answered to everyone: the pages themselves, the door, and whether the server is well.
_OPEN = ("page", "asset", "health", "session.get_session", "session.log_in")


class _Visitor(UserMixin):  # type: ignore[misc]  # it has no types
    """Somebody who has come in, and what their session is known by."""

    def __init__(self, name: str, token: str = "") -> None:
        self.name = name
        self.id = token


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


def present() -> Door:
    """Give the door of the running application."""
    return cast(Door, current_app.extensions["plodek-door"])


class Door:
    """The door of an application over a data folder."""

    def __init__(self, app: APIFlask, folder: Path, settings: Settings) -> None:
        self._app, self._settings = app, settings
        self._tries = MovingWindowRateLimiter(MemoryStorage())
        self._hashing, self._waiting = BoundedSemaphore(HASHES), BoundedSemaphore(HASHES + WAITING)
        app.extensions["plodek-door"] = self
        app.secret_key = _secret(folder / "secret")
        app.permanent_session_lifetime = timedelta(seconds=sessions.LASTS)
        app.config.update(SESSION_COOKIE_NAME=_COOKIE, WTF_CSRF_TIME_LIMIT=None)
        manager = LoginManager(app)
        manager.user_loader(self._by_cookie)
        manager.request_loader(self._by_header)

    @property
    def is_needed(self) -> bool:
        """Whether one has to come in by it."""
        settings = self._settings
        return bool(settings.user_header) or settings.host not in LOOPBACK or users.are_there()

    @property
    def may_leave(self) -> bool:
        """Whether one can log out here."""
        return not self._settings.user_header

    def who(self) -> str | None:
        """Give the user that the present request comes from; None where nobody has come in."""
        return current_user.name if current_user.is_authenticated else None

    def knows(self, headers: Mapping[str, str]) -> bool:
        """Whether a request of such headers (upper case, underscores) comes from somebody who may come in."""
        if not self.is_needed:
            return True
        if self._settings.user_header:
            return bool(headers.get(self._settings.user_header.upper().replace("-", "_"), "").strip())
        cookie = parse_cookie(headers.get("COOKIE", "")).get(_COOKIE, "")
        signed = SecureCookieSessionInterface().get_signing_serializer(self._app)
        try:
            token = signed.loads(cookie, max_age=int(sessions.LASTS)).get("_user_id", "") if signed else ""
        except BadSignature:
            return False
        return sessions.user_of(str(token)) is not None

    def token(self) -> str:
        """Give the token that requests for changes carry; "" where a proxy says who it is."""
        return str(generate_csrf()) if self.may_leave else ""

    def look(self) -> str | None:
        """Refuse the request of somebody who has not come in with HTTPError, else give the user.

        None is everyone, where nobody has to come in.
        """
        if request.endpoint in _OPEN or not self.is_needed:
            return None
        if request.endpoint == "metrics" and _from_this_machine():
            return None  # a monitor on this machine has no password
        user = self.who()
        if user is None:
            raise HTTPError(401, "Log in first.")
        if request.method not in ("GET", "HEAD", "OPTIONS") and not self._settings.user_header:
            try:
                validate_csrf(request.headers.get(TOKEN))
            except ValidationError as error:
                words = "This request does not come from a page of Plodek. Load the page again."
                raise HTTPError(403, words) from error
        return user

    def let_in(self, name: str, password: str) -> None:
        """Begin a session. Raises HTTPError for a wrong password, and where that was tried too often."""
        address = request.remote_addr or ""
        for_name = (MOST_FOR_NAME, name[:70], address)
        # Each try counts before it is looked at: as many at once as one likes are no more than one by one.
        if not all(self._tries.hit(*one) for one in (for_name, (MOST_FROM_ADDRESS, address))):
            words, wait = f"That was tried too often. Wait {COUNTED} minutes.", str(COUNTED * 60)
            raise HTTPError(429, words, headers={"Retry-After": wait})
        if not self._is_right(name, password):
            raise HTTPError(401, "Name or password is wrong.")
        self._tries.clear(*for_name)
        session.clear()
        session.permanent = True
        login_user(_Visitor(name, sessions.begin(name, request.user_agent.string)))

    def _is_right(self, name: str, password: str) -> bool:
        """Look at a password, a few at once. Raises HTTPError where many wait already."""
        if not self._waiting.acquire(blocking=False):
            words = "Many are logging in at this moment. Try again in a second."
            raise HTTPError(429, words, headers={"Retry-After": "1"})
        try:
            with self._hashing:
                return users.is_right(name, password)
        finally:
            self._waiting.release()

    def leave(self) -> None:
        """End the session, here and in the browser."""
        if current_user.is_authenticated:
            sessions.end(current_user.id)
        logout_user()
        session.clear()

    def sessions(self) -> list[Begun]:
        """List the sessions of whoever asks."""
        return sessions.listed(current_user.name, current_user.id) if current_user.is_authenticated else []

    def end_others(self) -> None:
        """End all sessions of whoever asks but this one."""
        if current_user.is_authenticated:
            sessions.end_others(current_user.name, current_user.id)

    def _by_cookie(self, token: str) -> _Visitor | None:
        name = None if self._settings.user_header else sessions.user_of(token)
        return None if name is None else _Visitor(name, token)

    def _by_header(self, asked: Request) -> _Visitor | None:
        header = self._settings.user_header
        name = asked.headers.get(header, "").strip()[:64] if header else ""
        return _Visitor(name) if name else None


def _from_this_machine() -> bool:
    """Whether a request was made here, and not passed on from elsewhere, by a proxy that is named or not."""
    passed_on = any(name in request.headers for name in ("X-Forwarded-For", "Forwarded", "Via"))
    return request.remote_addr in LOOPBACK and not passed_on


def _secret(path: Path) -> bytes:
    """Give the secret that cookies are signed with: of this folder, and for its owner alone."""
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(secrets.token_bytes(32))
    except FileExistsError:
        pass
    return path.read_bytes()
