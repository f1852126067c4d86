"""Races: what was acknowledged is never undone by another request that had read an earlier state."""

import itertools
import threading

import pytest

from tests.server.standing.hostile import numbered

FRAME = {"kind": "frame", "width": 2, "height": 1}
EDITS = 12


def edit(someone, project, value):
    base = someone.ask("GET", f"projects/{project}/recipe")[1].get("revision", 0)  # 0 while it is deleted
    steps = numbered([{**FRAME, "width": 2.0 + value}])
    return someone.ask("PUT", f"projects/{project}/recipe", {"base": base, "steps": steps})


#: Every way of writing a project, each given a number of its own: what is asked, and what must be there after.
WAYS = {
    "edit": edit,
    "rename": lambda someone, project, n: someone.ask("PATCH", f"projects/{project}", {"name": f"name {n}"}),
    "sections": lambda someone, project, n: someone.ask(
        "PUT", f"projects/{project}/sections", {"sections": []}
    ),
    "share": lambda someone, project, n: someone.ask(
        "PUT", f"projects/{project}/sharing", {"owner": someone.name, "roles": {"jon": "edit"}}
    ),
    "file": lambda someone, project, n: someone.ask(
        "POST", f"projects/{project}/files?name=f{n}.csv", b"0 0\n1 %d\n" % n
    ),
    "undo": lambda someone, project, n: someone.ask(
        "POST", f"projects/{project}/undo",
        {"base": someone.ask("GET", f"projects/{project}/recipe")[1]["revision"]},
    ),
}  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize(
    ("one", "other"), list(itertools.combinations_with_replacement(sorted(WAYS), 2)), ids="-".join
)
def test_any_two_ways_of_writing_undo_nothing_of_each_other(server, mira, one, other):
    """Both at once, again and again: revisions, name and files are those that were acknowledged."""
    project = mira.project(numbered([FRAME]))
    done: dict[str, list[int]] = {one: [], other: []}

    def write(way, first):
        for number in range(first, first + EDITS):
            status, told = WAYS[way](mira, project, number)
            assert status in (200, 201, 404, 409), (way, told)
            if status < 300:
                done[way].append(number)

    writers = [threading.Thread(target=write, args=at) for at in ((one, 0), (other, EDITS))]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join()
    recipe = mira.ask("GET", f"projects/{project}/recipe")[1]
    if "undo" not in done and "edit" in done:
        assert recipe["revision"] == 1 + len(done["edit"])
        assert recipe["steps"][0]["width"] - 2.0 in done["edit"]
    if "rename" in done:
        assert recipe["name"] in [f"name {number}" for number in done["rename"]]
    if "file" in done:
        assert sorted(recipe["files"]) == sorted(f"f{number}.csv" for number in done["file"])


@pytest.mark.slow
def test_deleting_and_bringing_back_lose_no_edit(server, mira):
    project = mira.project(numbered([FRAME]))
    acknowledged = []

    def edits():
        for number in range(30):
            status, told = edit(mira, project, number)
            if status == 200:
                acknowledged.append(told["revision"])

    editing = threading.Thread(target=edits)
    editing.start()
    for _ in range(15):
        mira.ask("DELETE", f"projects/{project}")
        mira.ask("POST", f"projects/{project}/restored")
    editing.join()
    mira.ask("POST", f"projects/{project}/restored")
    assert mira.ask("GET", f"projects/{project}/recipe")[1]["revision"] == max(acknowledged, default=1)
    assert acknowledged == sorted(set(acknowledged))
