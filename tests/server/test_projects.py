"""The shelf and the recipes through the HTTP client, whole bodies, errors included."""

import io
import json
import zipfile

import pytest

from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import beside
from tests.conftest import demo_file

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}


def made(client, name="A", demo=False):
    answer = client.post("/api/projects", json={"name": name, "demo": demo})
    assert answer.status_code == 201
    return answer.json["id"]


def kept(client, project, base, steps):
    return client.put(f"/api/projects/{project}/recipe", json={"base": base, "steps": steps})


def test_a_project_is_made_renamed_duplicated_deleted_and_restored(client):
    assert client.get("/api/projects").json["projects"] == []
    project = made(client, "  Intake   pier ")
    (listed,) = client.get("/api/projects").json["projects"]
    changed = listed.pop("changed")
    assert changed > 0
    assert listed == {"id": project, "name": "Intake pier", "revision": 0, "steps": 0, "facts": None} | {
        "owner": "",
        "role": "manage",
    }
    assert client.patch(f"/api/projects/{project}", json={"name": "Weir"}).json["name"] == "Weir"
    copy = client.post(f"/api/projects/{project}/copies")
    assert (copy.status_code, copy.json["name"]) == (201, "Weir (copy)")
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert [p["name"] for p in client.get("/api/projects").json["projects"]] == ["Weir (copy)"]
    assert client.get(f"/api/projects/{project}/recipe").status_code == 404
    assert client.post(f"/api/projects/{project}/restored").json["name"] == "Weir"
    assert len(client.get("/api/projects").json["projects"]) == 2


def test_the_demo_comes_with_its_file_and_a_copy_keeps_it(client):
    project = made(client, "Pier", demo=True)
    recipe = client.get(f"/api/projects/{project}/recipe").json
    assert recipe["files"] == ["pier-outline.csv"]
    assert recipe["steps"] == json.loads(demo_file("intake-pier.json"))["steps"]
    copy = client.post(f"/api/projects/{project}/copies").json["id"]
    model = client.get(f"/api/projects/{copy}/model").json
    assert {s["state"] for s in model["steps"]} == {"ok"}


def test_undo_and_redo_move_between_revisions_and_nothing_is_overwritten(client):
    project = made(client)
    one = kept(client, project, 0, [FRAME]).json
    assert (one["revision"], one["can_undo"], one["can_redo"]) == (1, True, False)
    two = kept(client, project, 1, [FRAME | {"width": 5}]).json
    assert two["revision"] == 2
    back = client.post(f"/api/projects/{project}/undo", json={"base": 2}).json
    assert (back["revision"], back["steps"][0]["width"], back["can_redo"]) == (1, 4, True)
    # A new edit after an undo goes its own way; redo leads to the newest.
    other = kept(client, project, 1, [FRAME | {"width": 6}]).json
    assert (other["revision"], other["can_redo"]) == (3, False)
    again = client.post(f"/api/projects/{project}/undo", json={"base": 3}).json
    assert again["revision"] == 1
    redone = client.post(f"/api/projects/{project}/redo", json={"base": 1}).json
    assert (redone["revision"], redone["steps"][0]["width"]) == (3, 6)
    client.post(f"/api/projects/{project}/undo", json={"base": 3})
    client.post(f"/api/projects/{project}/undo", json={"base": 1})
    last = client.post(f"/api/projects/{project}/undo", json={"base": 0})
    assert (last.status_code, last.json["detail"]) == (404, "There is nothing to undo.")


def test_a_stale_edit_gets_the_newer_revision_and_loses_nothing(client):
    project = made(client)
    kept(client, project, 0, [FRAME])
    stale = kept(client, project, 0, [])
    assert stale.status_code == 409
    assert stale.mimetype == "application/problem+json"
    problem = stale.json
    assert problem.pop("project")["revision"] == 1
    assert problem == {
        "code": "stale",
        "type": "about:blank",
        "title": "The recipe has changed meanwhile",
        "status": 409,
        "detail": "Another tab has changed the recipe since. Look at the newer recipe and keep your step "
        "again; nothing was lost.",
        "what": "another tab has changed the recipe since",
        "where": "",
        "remedy": "look at the newer recipe and keep your step again; nothing was lost",
        "rows": [],
    }
    assert client.get(f"/api/projects/{project}/recipe").json["steps"][0]["id"] == "f"


def test_bad_steps_are_not_kept_and_say_where(client):
    project = made(client)
    answer = kept(client, project, 0, [FRAME, {"kind": "hollow", "id": "h"}])
    assert answer.status_code == 422
    assert "step 2 (hollow) field “blocks”" in answer.json["detail"]
    assert client.get(f"/api/projects/{project}/recipe").json["revision"] == 0


def test_a_step_that_fails_shows_its_error_in_place_and_later_ones_wait(client):
    project = made(client)
    steps = [FRAME, {"kind": "cut", "id": "c", "by": "x", "at": [9]}, {"kind": "gate", "id": "g"}]
    kept(client, project, 0, steps)
    model = client.get(f"/api/projects/{project}/model").json
    assert [s["state"] for s in model["steps"]] == ["ok", "error", "waiting"]
    assert "No edge crosses x = 9" in model["steps"][1]["error"]
    assert len(model["blocks"]) == 1  # the model before it stays on view


def test_the_effect_of_a_draft_is_told_before_it_is_kept(client):
    project = made(client)
    draft = {"kind": "ring", "id": "r", "blocks": {"all": True}, "where": "inside", "thickness": "50 cm"}
    body = {"steps": [FRAME, draft], "against": [FRAME]}
    found = client.post(f"/api/projects/{project}/preview", json=body).json
    assert (found["before"]["blocks"], found["after"]["blocks"]) == (1, 5)
    assert found["before"]["smallest_angle"] == pytest.approx(90)
    assert abs(found["after"]["smallest_angle"] - 45) < 5
    assert found["error"] == ""
    (told,) = found["found"]
    assert (told["field"], told["what"], len(told["ids"])) == ("blocks", "blocks", 1)
    wrong = body | {"steps": [FRAME, draft | {"thickness": "5 m"}]}
    found = client.post(f"/api/projects/{project}/preview", json=wrong).json
    assert (found["failed"], found["after"]) == (1, None)
    assert "leaves no room" in found["error"]
    assert len(found["found"]) == 1  # what it would have done it to
    same = client.post(f"/api/projects/{project}/preview", json=body | {"against": body["steps"]}).json
    assert same["found"] == []
    assert client.get(f"/api/projects/{project}/recipe").json["revision"] == 0


def test_files_are_read_at_once_and_bad_rows_named(client):
    project = made(client)
    url = f"/api/projects/{project}/files"
    good = client.post(f"{url}?name=a/b/pier.csv", data=demo_file("pier-outline.csv"))
    assert good.status_code == 201
    assert (good.json["name"], good.json["counts"], good.json["closed"]) == (
        "pier.csv",
        {"points": 96},
        False,
    )
    other = client.post(f"{url}?name=pier.csv", data=b"0 0\n1 1\n")
    assert other.json["name"] == "pier-2.csv"  # what a kept step reads never changes under it
    same = client.post(f"{url}?name=pier.csv", data=demo_file("pier-outline.csv"))
    assert same.json["name"] == "pier.csv"
    bad = client.post(f"{url}?name=bad.txt", data=b"0 0\n1 x\n2 2\noops\n")
    assert (bad.status_code, bad.json["rows"]) == (422, [2, 4])
    assert "line 2 “1 x”, line 4 “oops”" in bad.json["detail"]
    assert client.get(f"/api/projects/{project}/recipe").json["files"] == ["pier.csv", "pier-2.csv"]
    lost = client.post(
        f"/api/projects/{project}/preview",
        json={"steps": [{"kind": "read", "id": "r", "file": "nix.txt", "name": "p"}]},
    ).json
    assert "files there are: pier.csv, pier-2.csv" in lost["error"].replace("Files", "files")


def test_strangers_are_refused(client):
    assert client.get("/api/projects", headers={"Host": "example.org"}).status_code == 403
    crossed = client.post("/api/projects", json={"name": "x"}, headers={"Origin": "http://example.org"})
    assert crossed.status_code == 403
    assert client.get("/api/projects").json["projects"] == []
    assert client.get("/assets/../../app.py").status_code == 404


def test_what_is_too_large_or_no_json_is_said(client):
    assert client.post("/api/projects", data=b"{", content_type="application/json").status_code in (400, 422)
    client.application.config["MAX_CONTENT_LENGTH"] = 1000
    project = made(client)
    big = client.post(f"/api/projects/{project}/files?name=a.txt", data=b"0 0\n" * 1000)
    assert big.status_code == 413
    assert "larger than" in big.json["detail"]


def test_the_downloaded_recipe_builds_without_the_server(client, tmp_path):
    project = made(client, "Pier", demo=True)
    data = client.get(f"/api/projects/{project}/recipe/download").data
    with zipfile.ZipFile(io.BytesIO(data)) as found:
        found.extractall(tmp_path)
    recipe = document.read((tmp_path / "recipe.json").read_text())
    evaluation = Evaluator().evaluate(recipe, beside(tmp_path / "recipe.json"))
    assert evaluation.error is None
    assert recipe.name == "Pier"
    assert evaluation.model.cells == client.get(f"/api/projects/{project}/model").json["cells"]
