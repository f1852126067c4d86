"""The API keeps to its own OpenAPI description, whatever is thrown at it, and every operation is reached (schemathesis).

Of half the requests, parts are as they should be: of a project that is there, at the revision where it stands, with
steps that are some. What is left is made up by the description.
"""

import json
import os
import tempfile
from pathlib import Path

import numpy as np
import pytest
import schemathesis
from hypothesis import HealthCheck, given, seed, settings

from plodek.server.app import make_app
from plodek.server.settings import Settings
from plodek.server.store import users
from plodek.server.workspace import Workspace
from tests.server.test_every_route import problem

pytestmark = pytest.mark.slow

#: Requests to each of the operations; the soak makes more.
EXAMPLES = int(os.environ.get("CONTRACT_EXAMPLES", "12"))
#: What starts the CAD kernel, which takes seconds.
SLOW = ("GET /api/projects/{project}/guides.step", "POST /api/projects/{project}/geometry")
USER = {"X-User": "mira"}
STEPS = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "sphere", "id": "s", "name": "ball", "centre": [5, 0, 0], "radius": 1},
    {"kind": "line", "id": "l", "name": "bank", "start": [0, 0], "end": [2, 0]},
    {"kind": "smooth", "id": "w", "sweeps": 2, "control": "interior control"},
]
BOX = [
    {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1},
    {"kind": "patch", "id": "p", "name": "all", "type": "wall", "faces": {"rest": True}},
]
POINTS = b"0 0\n1 0\n1 1\n"
#: Values that are as they should be, wherever an operation asks for something of that name.
RIGHT = {
    "project": lambda home: home.project,
    "job": lambda home: home.job,
    "revision": lambda home: 0,
    "base": lambda home: home.base,
    "steps": lambda home: STEPS,
    "against": lambda home: STEPS[:1],
    "upto": lambda home: None,
    "metric": lambda home: "scaled_jacobian",
    "low": lambda home: 0.0,
    "high": lambda home: 180.0,
    "tier": lambda home: "",
    "blocks": lambda home: "",
    "stage": lambda home: "Blocks",
    "guide": lambda home: "bank",
    "guides": lambda home: "",
    "to": lambda home: "shore",
    "wish": lambda home: "length",
    "targets": lambda home: [{"guide": "bank"}],
    "sections": lambda home: [{"kind": "sphere", "point": [1, 0.5, 0.5], "radius": 0.3}],
    "other": lambda home: {"smoothed": False},
    "log": lambda home: None,
    "ranges": lambda home: [{"metric": "volume_ratio", "low": 1.0}],
    "patch": lambda home: "",
    "cell": lambda home: 0,
    "formats": lambda home: ["cgns"],
    "options": lambda home: {"cgns": {"zones": "structured"}},
    "file": lambda home: home.file,
    "field": lambda home: "speed",
    "parameters": lambda home: {},
    "owner": lambda home: "mira",
    "roles": lambda home: {"jon": "edit"},
    "password": lambda home: "a long enough password",
    "speed": lambda home: 2.0,
    "length": lambda home: "1",
    "y_plus": lambda home: 1.0,
    "unit": lambda home: "mm",
    "keep": lambda home: False,
}
NAMES = {"/files": "points.txt", "/uploads": "recipe.json", "/geometry": "cone.step", "/session": "mira"}
BODIES = {
    "/files": POINTS,
    "/uploads": json.dumps({"plodek": 3, "steps": STEPS}).encode(),
    "/geometry": Path("plodek/demo/draft-cone.step").read_bytes(),
}


class Home:
    """A project with a past, a file, and a job that was done, over a server of its own."""

    def __init__(self, app, client, box=None):
        self.client, self.desk = client, app.extensions["plodek"].desk
        self.project = self.ask("POST", "/api/projects", json={"name": "Home"}).json["id"]
        place = f"/api/projects/{self.project}"
        self.ask("POST", f"{place}/files", query_string={"name": "points.txt"}, data=POINTS)
        for base, steps in enumerate([STEPS[:2], STEPS, STEPS[:3], STEPS]):
            self.ask("PUT", f"{place}/recipe", json={"base": base, "steps": steps})
        self.base = self.ask("POST", f"{place}/undo", json={"base": 4}).json["revision"]
        self.box, self.job, self.file = box or self.handed_off()

    def handed_off(self):
        """Hand off a block in space; the job has a download then, and the picture of a run besides."""
        box = self.ask("POST", "/api/projects", json={"name": "Box"}).json["id"]
        place = f"/api/projects/{box}"
        self.ask("PUT", f"{place}/recipe", json={"base": 0, "steps": BOX})
        job = self.ask("POST", f"{place}/handoffs", json={}).json
        assert job["state"] == "done"
        with self.desk.live_path(job["id"]).open("wb") as file:
            np.savez(file, B1=np.zeros((3, 2, 1, 3)))
        with self.desk.field_path(job["id"]).open("wb") as file:
            np.savez(
                file, factor=1.0, names=["wall"], points=np.eye(4, 3), faces=[[0, 1, 2, 3]], patch=[0],
                potential=[0.0], speed=[1.0], lines=np.zeros((1, 2, 3)),
            )  # fmt: skip
        return box, job["id"], job["result"]["files"][0]

    def ask(self, how, path, **sent):
        return self.client.open(path, method=how, headers=USER, **sent)


app = make_app(
    Workspace(
        Path(tempfile.mkdtemp(prefix="plodek-contract-")), Settings(user_header="X-User"), immediate=True
    )
)
with app.app_context():
    database = app.extensions["plodek"].database
    with database.connection_context():
        users.add("mira", "a long enough password")
        users.add("jon", "a long enough password")
schema = schemathesis.openapi.from_dict(app.spec)
OPERATIONS = {one.ok().label: one.ok() for one in schema.get_all_operations()}


def righted(case, home):
    """Make parts of a case as they should be."""
    ending = next((name for name in NAMES if case.path.endswith(name)), "")
    for part in (case.path_parameters, case.query, case.body):
        if isinstance(part, dict):
            part |= {name: RIGHT[name](home) for name in list(part) if name in RIGHT}
            if "name" in part or (ending and part is case.query):
                part["name"] = NAMES.get(ending, "points.txt")
    if "sections" in case.path or "dry-runs" in case.path:  # these are of grids in space
        case.path_parameters["project"] = home.box
    return BODIES.get(ending)


def sent(case, home, data):
    """Send a case, and see that the answer is one."""
    query = {name: value for name, value in (case.query or {}).items() if value is not None}
    body = (
        {"data": data}
        if data is not None
        else {"json": case.body}
        if isinstance(case.body, dict | list)
        else {}
    )
    answer = home.ask(case.method, case.formatted_path, query_string=query, **body)
    assert answer.status_code < 500, answer.text
    if answer.status_code >= 400 and answer.status_code not in (404, 405):
        assert problem(answer)
    return answer.status_code


@pytest.mark.parametrize("name", sorted(OPERATIONS))
def test_every_operation_is_reached_and_none_makes_the_server_stumble(name):
    operation, reached = OPERATIONS[name], []

    with app.test_client() as client:
        home = Home(app, client)

        @seed(13)
        @settings(
            max_examples=EXAMPLES // 3 if name in SLOW else EXAMPLES,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        @given(operation.as_strategy())
        def ask(case):
            nonlocal home
            data = None
            if len(reached) % 2 == 0:
                home = Home(
                    app, client, (home.box, home.job, home.file)
                )  # the one before may have been edited, or be gone
                data = righted(case, home)
            reached.append(sent(case, home, data))

        ask()
    assert any(200 <= status < 300 for status in reached), reached
