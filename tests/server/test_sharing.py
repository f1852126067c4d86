"""Owners and roles: who may see, edit and manage a project, by every route there is."""

import pytest
from click.testing import CliRunner

from plodek.cli import plodek
from plodek.core.errors import BadValue, NotReady
from plodek.server.app import make_app
from plodek.server.door import guard
from plodek.server.door.roles import needed_role
from plodek.server.settings import Settings
from plodek.server.store import projects, sharing, users
from plodek.server.store.sharing import ROLES
from plodek.server.workspace import Workspace
from tests.server.test_every_route import ROUTES, filled, names, problem

HEADER = "X-Remote-User"
OF_PROJECT = [(how, path, told) for how, path, told in ROUTES if "{project}" in path or "{job}" in path]
#: What those who may only look may ask beside GET: it changes nothing of the project.
LOOKING = {
    "POST /api/projects/{project}/effect",
    "POST /api/projects/{project}/preview",
    "POST /api/projects/{project}/preview/grid",
    "POST /api/projects/{project}/preview/shape",
    "POST /api/projects/{project}/measurements",
    "POST /api/projects/{project}/sections/picture",
    "POST /api/projects/{project}/cells/picture",
    "POST /api/projects/{project}/cells/causes",
    "POST /api/projects/{project}/comparison",
    "POST /api/projects/{project}/comparison/picture",
    "POST /api/projects/{project}/copies",
    "POST /api/projects/{project}/builds",
    "POST /api/projects/{project}/handoffs",
    "POST /api/projects/{project}/handoffs/{job}/dry-runs",
    "POST /api/jobs/{job}/stop",
}
MANAGING = {
    "PATCH /api/projects/{project}",
    "DELETE /api/projects/{project}",
    "POST /api/projects/{project}/restored",
    "PUT /api/projects/{project}/sharing",
}


class Someone:
    """A user, as a proxy lets them in."""

    def __init__(self, app, name):
        self._client, self._name = app.test_client(), name

    def ask(self, how, path, body=None, **more):
        headers = {HEADER: self._name, **more.pop("headers", {})}
        return self._client.open(f"/api/{path}", method=how, json=body, headers=headers, **more)


@pytest.fixture
def app(tmp_path):
    return make_app(Workspace(tmp_path, Settings(user_header=HEADER), immediate=True))


@pytest.fixture
def mira(app):
    return Someone(app, "mira")


@pytest.fixture
def jon(app):
    return Someone(app, "jon")


@pytest.fixture
def project(mira):
    made = mira.ask("POST", "projects", {"name": "Weir"}).json["id"]
    steps = [
        {"kind": "frame", "id": "f", "width": 2, "height": 1},
        {"kind": "smooth", "id": "s", "sweeps": 2, "control": "no control"},
    ]
    assert mira.ask("PUT", f"projects/{made}/recipe", {"base": 0, "steps": steps}).status_code == 200
    return made


@pytest.fixture
def shared(mira, project):
    def share(role, user="jon"):
        told = mira.ask("PUT", f"projects/{project}/sharing", {"owner": "mira", "roles": {user: role}})
        assert (told.status_code, told.json["roles"]) == (200, {user: role})

    return share


def on_shelf(someone):
    return [
        (one["name"], one["owner"], one["role"]) for one in someone.ask("GET", "projects").json["projects"]
    ]


def role_of(how, path):
    name = f"{how} {path}"
    return "see" if how == "GET" or name in LOOKING else "manage" if name in MANAGING else "edit"


def test_a_new_project_is_its_makers_alone(mira, jon, project):
    assert on_shelf(mira) == [("Weir", "mira", "manage")]
    assert on_shelf(jon) == []
    assert jon.ask("GET", f"projects/{project}/recipe").status_code == 404


@pytest.mark.slow
@pytest.mark.parametrize("role", [None, *ROLES])
@pytest.mark.parametrize(("how", "path", "told"), OF_PROJECT, ids=names(OF_PROJECT))
def test_every_route_looks_at_the_role(app, mira, jon, project, shared, how, path, told, role):
    """A role too small is refused before anything else is looked at; one that is enough gets on to the route."""
    if role:
        shared(role)
    job = mira.ask("POST", f"projects/{project}/handoffs", {}).json["id"] if "{job}" in path else ""
    body = {} if told.get("requestBody") else None
    place = filled(path.replace("{job}", job), project).removeprefix("/api/")
    answer = jon.ask(how, place, body, query_string={"keep": "false"} if "stop" in path else None)
    needed = role_of(how, path)
    if role is None:
        assert (answer.status_code, "here is no" in problem(answer)) == (404, True)
    elif path.endswith("/stop") and role == "see":
        assert answer.status_code == 403  # another one's job
    elif ROLES.index(role) < ROLES.index(needed):
        assert (answer.status_code, "You may" in problem(answer)) == (403, True)
    else:
        assert answer.status_code not in (401, 403)
    with app.app_context():
        view = next(
            app.view_functions[rule.endpoint]
            for rule in app.url_map.iter_rules()
            if how in rule.methods
            and rule.rule.replace("<int:", "{").replace("<", "{").replace(">", "}") == path
        )
        assert needed_role(view, how) == needed


def test_who_may_only_look_changes_nothing_and_is_told_so(jon, mira, project, shared):
    shared("see")
    before = mira.ask("GET", f"projects/{project}/recipe").json
    told = jon.ask("GET", f"projects/{project}/recipe").json
    assert (told.pop("role"), before.pop("role")) == ("see", "manage")
    assert told == before
    answer = jon.ask("PUT", f"projects/{project}/recipe", {"base": 1, "steps": []})
    assert (answer.status_code, "Duplicate it" in problem(answer)) == (403, True)
    body = {"base": 1, "steps": told["steps"]}
    assert jon.ask("POST", f"projects/{project}/builds", body | {"keep": True}).status_code == 403
    job = jon.ask("POST", f"projects/{project}/builds", body)
    assert (job.status_code, job.json["state"]) == (202, "done")
    assert jon.ask("POST", f"jobs/{job.json['id']}/stop?keep=false").status_code == 200  # his own
    assert jon.ask("POST", f"jobs/{job.json['id']}/stop").status_code == 403  # nor keep what it has reached
    assert mira.ask("GET", f"projects/{project}/recipe").json["revision"] == 1
    copy = jon.ask("POST", f"projects/{project}/copies").json
    assert (copy["owner"], copy["role"]) == ("jon", "manage")
    assert on_shelf(mira) == [("Weir", "mira", "manage")]


@pytest.mark.parametrize("role", ROLES)
def test_what_is_shared_with_everyone_is_on_every_shelf(app, mira, project, shared, role):
    shared(role, sharing.EVERYONE)
    assert on_shelf(Someone(app, "somebody")) == [("Weir", "mira", role)]


def test_the_larger_of_two_roles_counts(mira, jon, project):
    roles = {sharing.EVERYONE: "see", "jon": "edit"}
    mira.ask("PUT", f"projects/{project}/sharing", {"owner": "mira", "roles": roles})
    assert on_shelf(jon) == [("Weir", "mira", "edit")]
    mira.ask("PUT", f"projects/{project}/sharing", {"owner": "mira", "roles": {"": "manage", "jon": "see"}})
    assert on_shelf(jon) == [("Weir", "mira", "manage")]


def test_what_belongs_to_nobody_is_everyones_and_can_be_taken_over(app, mira, jon):
    with app.app_context():
        workspace = app.extensions["plodek"]
        with workspace.database.connection_context():
            old = projects.make("From before").id
    assert on_shelf(jon) == [("From before", "", "manage")]
    assert jon.ask("PUT", f"projects/{old}/sharing", {"owner": "jon", "roles": {}}).status_code == 200
    assert on_shelf(mira) == []


def test_only_who_manages_a_project_sees_it_among_those_taken_off(mira, jon, project, shared):
    shared("edit")
    assert mira.ask("DELETE", f"projects/{project}").status_code == 204
    assert jon.ask("GET", "projects").json["taken_off"] == []
    assert [one["id"] for one in mira.ask("GET", "projects").json["taken_off"]] == [project]
    assert jon.ask("POST", f"projects/{project}/restored").status_code == 403
    assert mira.ask("POST", f"projects/{project}/restored").status_code == 200


def test_download_all_is_of_what_one_may_see(mira, jon, project):
    assert b"Weir" in mira.ask("GET", "projects/download").data
    assert b"Weir" not in jon.ask("GET", "projects/download").data


def test_a_browser_cannot_say_who_it_is(jon, project):
    answer = jon.ask("GET", f"projects/{project}/recipe", headers={"X-Plodek-User": "mira"})
    assert answer.status_code == 404


@pytest.mark.parametrize(
    "wrong", [{"owner": "no name!", "roles": {}}, {"owner": "mira", "roles": {"a b": "see"}}]
)
def test_names_that_are_none_are_refused(mira, project, wrong):
    answer = mira.ask("PUT", f"projects/{project}/sharing", wrong)
    assert (answer.status_code, "is no name of a user" in problem(answer)) == (422, True)


def test_a_role_that_is_none_and_too_many_are_refused(app, mira, project):
    body = {"owner": "mira", "roles": {"jon": "own"}}
    assert mira.ask("PUT", f"projects/{project}/sharing", body).status_code == 422
    with app.extensions["plodek"].database.connection_context(), pytest.raises(BadValue, match="201 users"):
        sharing.share(projects.get(project), "mira", {f"user{n}": "see" for n in range(201)})


def test_with_passwords_a_project_is_shared_with_users_there_are(tmp_path):
    workspace = Workspace(tmp_path, immediate=True)
    with workspace.database.connection_context():
        users.add("mira", "a long enough password")
        users.add("jon", "another long password")
    with make_app(workspace).test_client() as client:
        came = client.post("/api/session", json={"name": "mira", "password": "a long enough password"})
        token = {guard.TOKEN: came.json["token"]}
        made = client.post("/api/projects", json={"name": "Weir", "demo": False}, headers=token).json
        assert made["owner"] == "mira"
        place = f"/api/projects/{made['id']}/sharing"
        answer = client.put(place, json={"owner": "mira", "roles": {"eve": "see"}}, headers=token)
        assert (answer.status_code, "here is no user “eve”" in problem(answer)) == (422, True)
        told = client.put(place, json={"owner": "mira", "roles": {"jon": "edit"}}, headers=token).json
        assert told == {"owner": "mira", "roles": {"jon": "edit"}, "users": ["jon", "mira"]}
    with (
        workspace.database.connection_context(),
        pytest.raises(NotReady, match="“mira” owns projects \\(1\\)"),
    ):
        users.remove("mira")
    data = ["--data", str(tmp_path)]
    assert (
        CliRunner().invoke(plodek, ["user", "give", "mira", "jon", *data]).output
        == "projects of mira that jon owns now: 1\n"
    )
    with workspace.database.connection_context():
        users.remove("mira")
        assert sharing.shared(projects.get(made["id"])) == {}
        assert projects.get(made["id"]).owner == "jon"


def test_who_is_taken_out_is_not_shared_with_when_they_come_back(tmp_path):
    workspace = Workspace(tmp_path)
    with workspace.database.connection_context():
        users.add("jon", "another long password")
        made = projects.make("Weir", owner="mira")
        sharing.share(made, "mira", {"jon": "edit"})
        users.remove("jon")
        users.add("jon", "another long password")
        assert sharing.role(made, "jon") is None


def test_where_nobody_comes_in_everyone_manages_all(client):
    made = client.post("/api/projects", json={"name": "Weir", "demo": False}).json
    assert (made["owner"], made["role"]) == ("", "manage")
