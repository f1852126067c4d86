"""Smoothing in space by hand: a butterfly from its filled grid, compared, stopped, and run on."""

import json
import re

from playwright.sync_api import expect

PIPE = [
    {"kind": "frame", "id": "f", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 2},
    {"kind": "butterfly", "id": "b", "blocks": {"all": True}, "core": 0.5, "bow": 0},
]


#: A bump so high that what is filled between it and the straight lid folds.
BUMP = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {
        "kind": "bend",
        "id": "b",
        "how": "through points",
        "edges": {"at": [1, 0]},
        "points": [[0.4, 0.7], [1.6, 0.7]],
    },
    {"kind": "budget", "id": "n", "cells": 3000},
]


def uploaded(board, tmp_path, name, steps):
    path = tmp_path / "own.json"
    path.write_text(json.dumps({"plodek": 3, "name": name, "steps": steps}))
    board.page.goto(board.address)
    board.page.get_by_label("Recipe file").set_input_files(path)


def opened(board, tmp_path, cells):
    places = ([0, 0.4, 0], [0.4, 0, 0], [0.55, 0.55, 0], [0, 0, 1])
    counts = [
        {"kind": "count", "id": f"c{n}", "tier": {"at": at}, "cells": cells} for n, at in enumerate(places)
    ]
    uploaded(board, tmp_path, "Pipe", [*PIPE, *counts])
    expect(board.stop("Blocks")).to_contain_text("5 blocks")
    board.settled()
    board.page.keyboard.press("Alt+4")
    board.page.keyboard.press("s")
    board.field("Control").select_option("interior control")


def worst(board, name):
    """Give the values of a row of the table, as filled and smoothed."""
    row = board.hand.get_by_role("table", name="Filled and smoothed").get_by_role("row", name=name)
    expect(row).not_to_contain_text("…")
    return [float(cell.rstrip("°")) for cell in row.get_by_role("cell").all_inner_texts()[1:]]


def test_a_butterfly_in_space_is_smoothed_and_compared_and_evened_out_by_a_second_run(board, tmp_path):
    opened(board, tmp_path, 8)
    page = board.page
    expect(page.get_by_role("group", name="Look from")).to_be_visible()  # the volume, not a plane
    told = board.hand.get_by_role("region", name="What sides will do")
    expect(told).to_contain_text(re.compile(r"14\s+sides hold their nodes"))
    board.hand.get_by_label("Sides moved by themselves by rule").select_option(label="side z-")
    expect(told).to_contain_text(re.compile(r"5\s+sides move by themselves"))
    expect(told).to_contain_text(re.compile(r"9\s+sides hold their nodes"))
    page.get_by_role("button", name="Run and keep").click()
    expect(board.stop("Smooth")).to_contain_text("settled")
    expect(board.steps.last).to_contain_text("Smooth")
    filled, smoothed = worst(board, "largest included angle")
    assert filled == 135
    assert smoothed <= filled
    assert worst(board, "folded cells") == [0, 0]
    expect(board.hand).to_contain_text("On view: smoothed")
    page.get_by_role("slider", name="From the filled to the smoothed grid").press("ArrowLeft")
    expect(board.hand).to_contain_text("On view: between the two")
    expect(page.get_by_role("main")).to_contain_text("95 % of the way")
    page.get_by_label("Show the smoothed grid").press("Space")
    expect(board.hand).to_contain_text("On view: as filled")
    recipe = page.get_by_label("Recipe", exact=True)
    recipe.get_by_role("button", name=re.compile(r"^Smooth\s*S$")).click()
    board.field("Sweeps at most").fill("5")
    board.field("Control").select_option("no control")
    board.field("Start").select_option("from the grid as it is")
    page.get_by_role("button", name="Run and keep").click()
    expect(board.hand).to_contain_text(re.compile(r"run 2\s*5 sweeps"))
    expect(board.hand).to_contain_text(re.compile(r"run 1\s*\d+ sweeps, settled"))
    page.get_by_role("button", name="Undo").click()
    expect(board.hand).not_to_contain_text("run 2")
    expect(board.stop("Smooth")).to_contain_text("settled")  # what the first run gave is still there
    earlier = board.hand.get_by_role("region", name="Earlier runs").get_by_role("group").first
    expect(earlier).to_contain_text("Smooth, Smooth")
    earlier.get_by_role("button", name="Bring back").click()
    expect(board.hand).to_contain_text(re.compile(r"run 2\s*5 sweeps"))
    board.steps.last.get_by_role("button", name="5", exact=True).click()
    expect(told).to_contain_text(re.compile(r"14\s+sides hold their nodes"))


def stopped(board):
    """Run the smoothing in hand for ever, stop it, and give how many sweeps it came to."""
    page = board.page
    board.field("Sweeps at most").fill("90000")
    board.field("Settled below a move of").fill("0")
    page.get_by_role("button", name="Run and keep").click()
    status = page.get_by_label("Smoothing", exact=True)
    expect(status).to_contain_text("of 90\u202f000")
    expect(status.get_by_role("img", name=re.compile("largest move"))).to_be_visible()
    page.get_by_role("button", name="Stop, and keep what is reached").click()
    expect(board.stop("Smooth")).to_contain_text("stopped")
    expect(status).to_have_count(0)
    return int(re.search(r"(\d+)\s+sweeps", board.steps.last.inner_text().replace("\n", " ")).group(1))


def test_a_run_in_space_shows_where_it_stands_and_is_stopped(board, tmp_path):
    opened(board, tmp_path, 24)
    assert 0 < stopped(board) < 90_000


def test_a_stopped_run_keeps_what_was_reached(board, tmp_path):
    steps = json.loads(json.dumps(BUMP))
    steps[1]["points"] = [[0.4, 0.2], [1.6, 0.2]]  # a low one, which does not fold
    steps[2]["cells"] = 30_000
    uploaded(board, tmp_path, "Low bump", steps)
    expect(board.stop("Check")).not_to_contain_text("folded")
    board.settled()
    board.page.keyboard.press("Alt+4")
    board.page.keyboard.press("s")
    board.field("Control").select_option("no control")
    assert 0 < stopped(board) < 90_000
    board.page.get_by_role("button", name="Go on from there").click()
    expect(board.field("Start")).to_have_value("from the grid as it is")
    expect(board.field("Control")).to_have_value("no control")
    board.field("Settled below a move of").fill("1 mm")
    board.page.get_by_role("button", name="Run and keep").click()
    expect(board.hand).to_contain_text(re.compile(r"run 2\s*\d+ sweeps, settled"))


def test_folded_cells_are_untangled_by_advice_and_the_worst_ones_polished(board, tmp_path):
    uploaded(board, tmp_path, "Bump", BUMP)
    page = board.page
    expect(board.stop("Check")).to_contain_text("folded cells")
    board.settled()
    board.go("Check")
    expect(board.hand).to_contain_text(re.compile(r"\d+ cells are folded: untangling"))
    page.get_by_role("button", name="Untangle", exact=True).last.click()
    expect(page.get_by_role("form", name="Untangle")).to_be_visible()
    page.get_by_role("button", name="Run and keep").click()
    expect(board.stop("Smooth")).to_contain_text("settled")
    expect(board.steps.last).to_contain_text("Untangle")
    before, after = worst(board, "folded cells")
    assert before > 0
    assert after == 0
    assert worst(board, "scaled Jacobian")[1] > 0
    page.get_by_role("button", name="Polish", exact=True).last.click()
    page.get_by_role("button", name="Run and keep").click()
    expect(board.hand).to_contain_text(re.compile(r"Polish, run 2\s*\d[\d\s]* sweeps, settled"))
    expect(board.hand).to_contain_text(re.compile(r"Untangle, run 1"))
    page.get_by_role("button", name="Undo").click()
    expect(board.hand).not_to_contain_text("run 2")


def test_a_run_that_fails_is_not_begun_again_by_itself_and_is_run_when_asked(board, tmp_path):
    """An open page asks once; it says why there is no smoothed grid, and what runs it."""
    asked = []
    board.page.on("request", lambda r: asked.append(r.url) if r.url.endswith("/builds") else None)
    broken = '{"id": "x", "project": 1, "kind": "build", "state": "failed", "progress": {}, "result": {"error": "Broken."}}'
    board.page.route(re.compile(r"/api/jobs/\w+$"), lambda route: route.fulfill(
        status=200, content_type="application/json",
        body=broken.replace('"x"', json.dumps(route.request.url.rsplit("/", 1)[1])),
    ))  # fmt: skip
    run = {"kind": "smooth", "id": "s", "sweeps": 5, "control": "no control"}
    uploaded(board, tmp_path, "Fails", [BUMP[0], BUMP[2], run])
    expect(board.stop("Blocks")).to_contain_text("1 block")
    board.page.keyboard.press("Alt+4")
    expect(board.hand).to_contain_text("has not been smoothed")
    board.page.wait_for_timeout(3000)
    assert len(asked) == 1
    board.page.unroute(re.compile(r"/api/jobs/\w+$"))
    board.hand.get_by_role("button", name="Run it").click()
    expect(board.hand.get_by_role("table", name="Filled and smoothed")).to_be_visible()
    assert len(asked) == 2


def test_an_answer_that_comes_late_stops_no_run_of_another_project(board, tmp_path):
    """Project A's run is asked for, and B is opened before the answer comes: nothing of A is stopped."""
    stopped, held = [], []
    board.page.on("request", lambda r: stopped.append(r.url) if "/stop" in r.url else None)
    board.page.route("**/builds", lambda route: route.continue_() if held else held.append(route))
    run = {"kind": "smooth", "id": "s", "sweeps": 300, "control": "no control"}
    uploaded(board, tmp_path, "A", [BUMP[0], BUMP[2], run])
    for _ in range(100):
        if held:
            break
        board.page.wait_for_timeout(100)
    board.page.get_by_role("button", name="Plodek").click()
    board.page.get_by_label("Recipe file").wait_for(state="attached")
    uploaded_here = tmp_path / "b.json"
    uploaded_here.write_text(json.dumps({"plodek": 3, "name": "B", "steps": [BUMP[0]]}))
    board.page.get_by_label("Recipe file").set_input_files(uploaded_here)
    expect(board.stop("Blocks")).to_contain_text("1 block")
    held[0].continue_()
    board.page.wait_for_timeout(1500)
    assert stopped == []


def test_a_cut_goes_on_the_smoothed_grid_where_that_is_wished_and_waits_for_it(board, tmp_path):
    page = board.page
    uploaded(board, tmp_path, "Pipe", [*PIPE, {"kind": "smooth", "id": "s", "control": "interior control"}])
    expect(board.stop("Smooth")).to_contain_text("settled")
    for wish, words in (("after the smoothing, on its grid", "works on the smoothed grid"), (None, "")):
        page.keyboard.press("Alt+2")
        page.keyboard.press("c")
        board.field("At").select_option("z")
        board.field("Values").fill("0.7" if wish else "1.4")
        if wish:
            board.hand.get_by_label("Where it goes").select_option(label=wish)
        else:  # what stands on that can only come after it
            expect(board.hand.get_by_label("Where it goes")).to_have_count(0)
        board.keep()
        expect(board.steps.last).to_contain_text(words)
    expect(board.stop("Blocks")).to_contain_text("15 blocks")
    # An early value changes: the run is made again, and the cuts go on from what it gives.
    board.steps.first.get_by_text("1", exact=True).last.click()
    board.field("Outer radius").fill("1.5")
    board.keep()
    expect(board.stop("Smooth")).to_contain_text("settled")
    expect(board.steps.nth(3)).to_contain_text("works on the smoothed grid")
    expect(board.stop("Blocks")).to_contain_text("15 blocks")
