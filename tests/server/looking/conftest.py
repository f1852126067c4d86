"""What the tests of the server share."""

import pytest

from tests.server.looking.boxed import STEPS


@pytest.fixture
def place(client):
    project = client.post("/api/projects", json={"name": "Box"}).json["id"]
    put = client.put(f"/api/projects/{project}/recipe", json={"base": 0, "steps": STEPS})
    assert put.status_code == 200, put.json
    return f"/api/projects/{project}"
