"""The API keeps to its own OpenAPI description, whatever is thrown at it (schemathesis)."""

import tempfile
from pathlib import Path

import schemathesis
from hypothesis import HealthCheck, settings

from plodek.server.app import make_app
from plodek.server.workspace import Workspace

app = make_app(Workspace(Path(tempfile.mkdtemp(prefix="plodek-contract-")), immediate=True))
with app.app_context():
    schema = schemathesis.openapi.from_wsgi("/api/openapi.json", app)


@schema.exclude(path_regex="/builds|/handoffs").parametrize()
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_makes_the_server_stumble(case):
    response = case.call(headers={"Host": "127.0.0.1"})
    assert response.status_code < 500, response.text
    if response.status_code >= 400 and case.path.startswith("/api"):
        assert "Traceback" not in response.text
        assert response.json()["detail"]
