"""What holds for every route: an answer in words for what is not there, for wrong bodies, and for other hosts."""

import re

import pytest

from plodek.server.openapi import description

ROUTES = [
    (how.upper(), path, told)
    for path, ways in description()["paths"].items()
    for how, told in ways.items()
    if how in ("get", "post", "put", "patch", "delete")
]
ABOUT_ONE = [(how, path, told) for how, path, told in ROUTES if "{project}" in path]
WITH_BODY = [
    (how, path, told)
    for how, path, told in ROUTES
    if "application/json" in told.get("requestBody", {}).get("content", {})
]


def names(routes):
    return [f"{how} {path}" for how, path, _ in routes]


def filled(path, project):
    """Fill a path's places: the project, and names of things that are not there."""
    return re.sub(r"\{\w+\}", "1", path.replace("{project}", str(project)))


def problem(answer):
    """Give the words of an error; it keeps to RFC 9457 and shows nothing of the inside."""
    told = answer.get_json()
    assert told["detail"]
    assert told["status"] == answer.status_code
    assert answer.mimetype == "application/problem+json"
    assert "Traceback" not in answer.text
    assert "plodek/" not in answer.text
    return told["detail"]


def test_there_are_routes_of_all_resources():
    parts = {path.split("/")[2] for _, path, _ in ROUTES}
    assert {"projects", "jobs"} <= parts
    assert len(ABOUT_ONE) > 15
    assert len(WITH_BODY) > 8


@pytest.mark.parametrize(("how", "path", "told"), ABOUT_ONE, ids=names(ABOUT_ONE))
def test_a_project_that_is_not_there_is_told_as_such(client, how, path, told):
    answer = client.open(filled(path, 987654), method=how, json={} if told.get("requestBody") else None)
    # A body is looked at first where there is one.
    assert answer.status_code in ((404, 422) if told.get("requestBody") or told.get("parameters") else (404,))
    assert problem(answer)


@pytest.mark.slow
@pytest.mark.parametrize(("how", "path", "told"), WITH_BODY, ids=names(WITH_BODY))
@pytest.mark.parametrize("body", [b"", b"{", b"[]", b'"text"', b"\xff\xfe", b'{"no-such-field": 1}'])
def test_a_body_that_is_none_is_refused_in_words(client, how, path, told, body):
    project = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    answer = client.open(filled(path, project), method=how, data=body, content_type="application/json")
    assert 400 <= answer.status_code < 500
    assert problem(answer)
    assert client.get(f"/api/projects/{project}/recipe").json["revision"] == 0


@pytest.mark.parametrize(("how", "path", "told"), ROUTES, ids=names(ROUTES))
def test_other_hosts_are_not_answered(client, how, path, told):
    """A page of another site must not reach the server through a name of its own (DNS rebinding)."""
    answer = client.open(filled(path, 1), method=how, headers={"Host": "elsewhere.example"})
    assert answer.status_code in (400, 403, 421)


@pytest.mark.parametrize("path", ["/api/no-such", "/api/projects/x/model", "/api/projects/-1/model"])
def test_a_path_that_is_none_is_told_as_json(client, path):
    answer = client.get(path)
    assert answer.status_code == 404
    assert problem(answer)


def test_a_way_that_a_route_does_not_have_is_refused(client):
    answer = client.delete("/api/projects")
    assert answer.status_code == 405
    assert problem(answer)
