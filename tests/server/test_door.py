"""The door: closed to the network without users, opened by a password, and to nobody else."""

import logging
import stat

import pytest
from click.testing import CliRunner
from limits import RateLimitItemPerMinute

from plodek.cli import plodek
from plodek.core.errors import BadValue, NotReady, PlodekError
from plodek.server.app import make_app
from plodek.server.door import guard
from plodek.server.settings import Settings
from plodek.server.store import users
from plodek.server.workspace import Workspace
from tests.server.test_every_route import ROUTES, filled, names, problem

RIGHT = {"name": "mira", "password": "a long enough password"}


@pytest.fixture
def workspace(tmp_path):
    found = Workspace(tmp_path, immediate=True)
    with found.database.connection_context():
        users.add(**RIGHT)
    return found


@pytest.fixture
def outside(workspace):
    """A browser that has not come in."""
    with make_app(workspace).test_client() as found:
        yield found


def log_in(client, **other):
    return client.post("/api/session", json=RIGHT | other)


def carrying(answer):
    return {guard.TOKEN: answer.json["token"]}


@pytest.mark.slow
@pytest.mark.parametrize(("how", "path", "told"), ROUTES, ids=names(ROUTES))
def test_nobody_gets_past_any_route_without_coming_in(outside, how, path, told):
    answer = outside.open(filled(path, 1), method=how, json={} if told.get("requestBody") else None)
    if path == "/api/session" and how in ("GET", "POST"):
        assert answer.status_code == (200 if how == "GET" else 422)
    else:
        assert (answer.status_code, problem(answer)) == (401, "Log in first.")


def test_pages_and_health_are_answered_to_everyone(outside):
    assert outside.get("/").status_code in (200, 404)  # 404 where pages have not been built
    assert outside.get("/healthz").status_code == 200
    assert outside.get("/api/session").json == {"needed": True, "user": "", "token": "", "may_leave": False}


def test_figures_are_for_this_machine_alone(outside):
    assert outside.get("/metrics").status_code == 200
    assert outside.get("/metrics", environ_base={"REMOTE_ADDR": "10.0.0.9"}).status_code == 401
    assert outside.get("/metrics", headers={"X-Forwarded-For": "10.0.0.9"}).status_code == 401


def test_a_right_password_opens_and_leaving_closes(outside):
    came = log_in(outside)
    assert (came.status_code, came.json["user"]) == (200, "mira")
    made = outside.post("/api/projects", json={"name": "A"}, headers=carrying(came))
    assert made.status_code == 201
    assert outside.get("/api/projects").json["projects"][0]["name"] == "A"
    assert outside.delete("/api/session", headers=carrying(came)).status_code == 204
    assert outside.get("/api/projects").status_code == 401


def test_a_change_needs_the_token_of_the_page_and_reading_does_not(outside):
    came = log_in(outside)
    for headers in ({}, {guard.TOKEN: "guessed"}, {guard.TOKEN: ""}, {guard.TOKEN: "é"}):
        answer = outside.post("/api/projects", json={"name": "A"}, headers=headers)
        assert (answer.status_code, "page of Plodek" in answer.json["detail"]) == (403, True)
    assert outside.get("/api/projects").json["projects"] == []
    assert outside.post("/api/projects", json={"name": "A"}, headers=carrying(came)).status_code == 201


def test_cookies_cannot_be_read_by_scripts_nor_sent_by_other_sites(outside):
    cookie = log_in(outside).headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert "Secure" not in cookie


def test_behind_tls_cookies_go_that_way_only(workspace):
    workspace.settings = Settings(tls=True)
    with make_app(workspace).test_client() as client:
        assert "Secure" in log_in(client).headers["Set-Cookie"]


@pytest.mark.parametrize("cookie", ["", "x", "eyJ1c2VyIjoibWlyYSJ9.aaaa.bbbb"])
def test_a_cookie_that_was_not_signed_here_opens_nothing(outside, cookie):
    outside.set_cookie("plodek", cookie, domain="localhost")
    assert outside.get("/api/projects").status_code == 401


def test_another_folders_cookie_opens_nothing(outside, tmp_path):
    other = Workspace(tmp_path / "other", immediate=True)
    with other.database.connection_context():
        users.add(**RIGHT)
    with make_app(other).test_client() as client:
        cookie = log_in(client).headers["Set-Cookie"].split(";")[0].split("=", 1)[1]
    outside.set_cookie("plodek", cookie, domain="localhost")
    assert outside.get("/api/projects").status_code == 401


@pytest.mark.parametrize(
    "change", [lambda: users.add("mira", "another long password"), lambda: users.remove("mira")]
)
def test_another_password_and_leaving_the_list_end_sessions(outside, workspace, change):
    log_in(outside)
    with workspace.database.connection_context():
        users.add("other", "yet another password")
        change()
    assert outside.get("/api/projects").status_code == 401


def test_wrong_passwords_and_names_sound_the_same_and_soon_have_to_wait(outside):
    told = {
        (answer.status_code, answer.json["detail"])
        for other in ({"password": "wrong"}, {"name": "nobody"}, {"name": "mira'--"})
        for answer in [log_in(outside, **other)]
    }
    assert told == {(401, "Name or password is wrong.")}
    for _ in range(guard.MOST_FOR_NAME.amount):
        log_in(outside, password="wrong")
    late = log_in(outside)
    assert (late.status_code, late.headers["Retry-After"]) == (429, str(60 * guard.COUNTED))
    assert log_in(outside, name="nobody").status_code == 401  # others are not kept out by it


def test_one_address_cannot_try_all_names(outside, monkeypatch):
    monkeypatch.setattr(guard, "MOST_FROM_ADDRESS", RateLimitItemPerMinute(10, guard.COUNTED))
    statuses = [log_in(outside, name=f"n{n}").status_code for n in range(13)]
    assert statuses[-3:] == [429] * 3
    elsewhere = {"environ_base": {"REMOTE_ADDR": "10.0.0.9"}}
    assert outside.post("/api/session", json=RIGHT, **elsewhere).status_code == 200
    for number in range(
        guard.MOST_FOR_NAME.amount
    ):  # what is said of where one comes from counts for nothing
        headers = {"X-Forwarded-For": f"10.0.0.{number}"}
        outside.post("/api/session", json=RIGHT | {"password": "wrong"}, headers=headers, **elsewhere)
    assert outside.post("/api/session", json=RIGHT, **elsewhere).status_code == 429


def test_passwords_are_kept_as_argon2_hashes_and_never_logged(workspace, outside, caplog):
    caplog.set_level(logging.DEBUG)
    log_in(outside)
    log_in(outside, password="a wrong one that is secret")
    with workspace.database.connection_context():
        stored = users.User.get().hash
    assert stored.startswith("$argon2id$")
    assert RIGHT["password"] not in stored + caplog.text
    assert "secret" not in caplog.text
    assert stat.S_IMODE((workspace.folder / "secret").stat().st_mode) == 0o600


def test_nobody_has_to_come_in_on_this_machine_while_there_are_no_users(client):
    assert client.get("/api/session").json == {"needed": False, "user": "", "token": "", "may_leave": False}
    assert client.post("/api/projects", json={"name": "A"}).status_code == 201


@pytest.mark.parametrize("host", ["0.0.0.0", "10.0.0.5", "grids.example"])
def test_the_network_is_not_served_without_users(tmp_path, host):
    workspace = Workspace(tmp_path)
    with workspace.database.connection_context():
        with pytest.raises(NotReady, match="plodek user add"):
            guard.need_door(Settings(host=host))
        users.add(**RIGHT)
        guard.need_door(Settings(host=host))
        with pytest.raises(NotReady, match="X-User"):
            guard.need_door(Settings(host=host, user_header="X-User"))
        guard.need_door(Settings(user_header="X-User"))


def test_a_proxy_may_say_who_it_is(tmp_path):
    workspace = Workspace(tmp_path, Settings(user_header="X-User"), immediate=True)
    with make_app(workspace).test_client() as client:
        assert client.get("/api/projects").status_code == 401
        known = {"X-User": "mira"}
        assert client.post("/api/projects", json={"name": "A"}, headers=known).status_code == 201
        told = client.get("/api/session", headers=known).json
        assert told == {"needed": True, "user": "mira", "token": "", "may_leave": False}


def run(*words):
    return CliRunner().invoke(plodek, ["user", *map(str, words)], input="a long password\na long password\n")


def test_users_are_added_listed_and_taken_out_by_the_command(tmp_path):
    data = ("--data", tmp_path)
    assert "mira may come in" in run("add", "mira", *data).output
    assert run("add", "toma", "--password", "another long one", *data).exit_code == 0
    assert run("list", *data).output.split() == ["mira", "toma"]
    assert "mira is out" in run("remove", "mira", *data).output
    assert "nobody has to log in" in run("remove", "toma", *data).output
    assert isinstance(run("remove", "mira", *data).exception, PlodekError)


@pytest.mark.parametrize(
    ("name", "password"),
    [
        ("", "long enough 1"),
        ("a b", "long enough 1"),
        ("a" * 65, "long enough 1"),
        ("mira", "short"),
        ("mira", "x" * 201),
    ],
)
def test_names_and_passwords_that_are_none_are_refused(workspace, name, password):
    with workspace.database.connection_context():
        with pytest.raises(BadValue):
            users.add(name, password)
        assert users.names() == ["mira"]
