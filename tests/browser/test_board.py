"""What the board promises: live recipe, undo across a reload, two tabs, errors in place, a stop that keeps."""

import json
import re

from click.testing import CliRunner
from playwright.sync_api import expect

from plodek.cli import plodek
from tests.browser.board import Board
from tests.serving import served


def chip(board, step, text):
    return board.steps.nth(step - 1).get_by_role("button", name=text, exact=True)


def test_a_value_changed_early_moves_everything_after_and_undo_survives_a_reload(board):
    page = board.page
    board.demo("Early value")
    before = board.stop("Spacing").inner_text().split("·")[1]
    chip(board, 9, "44").click()
    board.field("Cells").fill("50")
    expect(board.effect).to_contain_text("→")
    board.keep()
    expect(board.stop("Check")).to_contain_text("gate passed")
    expect(board.stop("Spacing")).not_to_contain_text(before)
    expect(board.steps.nth(8)).to_contain_text("50")
    page.reload()
    expect(board.steps.nth(8)).to_contain_text("50")
    page.keyboard.press("Control+z")
    expect(board.steps.nth(8)).to_contain_text("44")
    expect(board.stop("Spacing")).to_contain_text(before)
    page.reload()
    page.get_by_role("button", name="Redo").click()
    expect(board.steps.nth(8)).to_contain_text("50")


def test_a_step_that_can_no_longer_be_applied_shows_its_error_in_place(board):
    board.demo("Too thick")
    chip(board, 7, "35 cm").click()
    board.field("Thickness").fill("2 m")
    expect(board.hand.get_by_role("alert")).to_contain_text("leaves no room")
    board.keep()
    expect(board.steps.nth(6).get_by_role("alert")).to_contain_text("leaves no room")
    expect(board.steps.nth(7)).to_contain_text("waits for the step above")
    expect(board.stop("Blocks")).to_contain_text("8 blocks")
    board.page.keyboard.press("Control+z")
    expect(board.stop("Blocks")).to_contain_text("12 blocks")


def test_an_earlier_state_can_be_looked_at(board):
    page = board.page
    board.demo("Here")
    line = page.get_by_role("slider", name="You are here")
    line.focus()
    for _ in range(22):
        page.keyboard.press("ArrowUp")
    expect(board.stop("Blocks")).to_contain_text("9 blocks")
    page.get_by_text("to the end").click()
    expect(board.stop("Blocks")).to_contain_text("12 blocks")


def test_two_tabs_cannot_lose_each_others_steps(board, browser, address):
    board.new("Two tabs")
    url = board.page.url
    board.page.keyboard.press("p")
    board.field("Name").fill("first")
    board.field("Place").fill("1, 2")
    other = Board(browser.new_page(viewport={"width": 1280, "height": 800}), address)
    other.page.goto(url)
    other.page.get_by_text("An empty project", exact=True).wait_for()
    other.page.keyboard.press("p")
    other.field("Name").fill("second")
    other.field("Place").fill("3, 4")
    other.keep()
    board.page.get_by_role("button", name="Keep step").click()
    expect(board.hand.get_by_role("alert")).to_contain_text(
        "another tab has changed the recipe", ignore_case=True
    )
    expect(board.steps).to_have_count(1)
    expect(board.field("Name")).to_have_value("first")  # the draft is still in hand
    board.page.get_by_role("button", name="Keep step").click()
    expect(board.steps).to_have_count(2)
    other.page.close()


def test_a_bad_outline_file_is_refused_with_its_lines_and_nothing_changes(board, tmp_path):
    page = board.page
    board.new("Bad file")
    path = tmp_path / "bad.csv"
    path.write_text("x, y\n0, 0\n1, zero\n1, 1\n2\n")
    page.keyboard.press("r")
    page.get_by_label("Point file from disk").set_input_files(path)
    alert = board.hand.get_by_role("alert")
    expect(alert).to_contain_text("line 3 “1, zero”, line 5 “2”")
    expect(alert).to_contain_text("nothing was read")
    expect(page.get_by_role("button", name="Keep step")).to_be_disabled()
    path.write_text("0, 0\n1, 0\n1, 1\n")
    page.get_by_label("Point file from disk").set_input_files(path)
    expect(alert).to_have_count(0)
    expect(board.hand).to_contain_text("3 points")
    expect(board.steps).to_have_count(0)


def test_all_is_found_by_its_name_or_by_the_words_of_the_trade(board):
    page = board.page
    board.new("Find")
    page.keyboard.press("Control+k")
    page.get_by_role("textbox", name="Find").fill("frame rect")
    page.keyboard.press("Enter")
    expect(board.hand).to_contain_text("Lay the first block or blocks around the domain")
    page.keyboard.press("Escape")
    expect(board.hand).to_contain_text("nothing")
    board.demo("Found")
    for words, first, then in (
        ("o-grid", "Ring", "Ring"), ("export", "Go to Hand-off", "Write"), ("pier", "pier", "closed spline"), ("b3", "B3", "B3"),
    ):  # fmt: skip
        page.keyboard.press("Control+k")
        page.get_by_role("textbox", name="Find").fill(words)
        expect(page.get_by_role("listbox").get_by_role("option").first).to_contain_text(first)
        page.keyboard.press("Enter")
        expect(board.hand).to_contain_text(then)
        page.keyboard.press("Escape")


def test_dragging_an_end_of_the_chart_changes_the_law(board):
    page = board.page
    board.demo("Chart")
    board.go("Spacing")
    page.get_by_label("Take tier T8 in hand").click()
    handle = page.get_by_role("slider", name="first cell")
    expect(handle).to_have_attribute("aria-valuetext", "6 mm")
    board.drag(handle, up=20)
    expect(board.effect).to_be_visible()
    typed = board.field("First height").input_value()
    assert typed.endswith(("mm", "cm"))
    assert typed != "6 mm"
    board.keep()
    expect(board.steps.nth(16)).to_contain_text(typed)


def test_the_histograms_bars_and_the_worst_cells_lead_to_cells(board):
    page = board.page
    board.demo("Check")
    board.go("Check")
    page.get_by_role("button", name=re.compile("largest included angle")).click()
    bar = page.get_by_role("button", name=re.compile(r"cells from .* to")).last
    bar.click()
    expect(page.get_by_label("Strip")).to_contain_text(re.compile(r"\d cells from"))
    page.get_by_role("button", name="Go there").first.click()
    begun = page.get_by_role("button", name="Change the limits")
    begun.click()
    board.field("Largest angle at most (°)").fill("100")
    board.keep()
    expect(board.stop("Check")).to_contain_text("below gate")
    board.go("Check")
    expect(page.get_by_label("Gate", exact=True)).to_contain_text("The gate is not passed")


def test_the_shelf_renames_duplicates_and_deletes_with_undo(page, address):
    board = Board(page, address)
    board.new("Shelf test")
    page.get_by_role("button", name="Plodek").click()
    row = page.locator("div", has=page.get_by_role("button", name="Shelf test", exact=True)).last.locator(
        ".."
    )
    row.get_by_role("button", name="Rename").click()
    page.get_by_label("New name").fill("Shelf renamed")
    page.keyboard.press("Enter")
    named = page.get_by_role("button", name="Shelf renamed", exact=True)
    row = page.locator("div", has=named).last.locator("..")
    row.get_by_role("button", name="Duplicate").click()
    expect(page.get_by_role("button", name="Shelf renamed (copy)")).to_be_visible()
    row.get_by_role("button", name="Delete").click()
    expect(named).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(named).to_have_count(1)


def test_what_was_taken_off_the_shelf_is_brought_back_and_all_of_it_travels(page, address, tmp_path):
    board = Board(page, address)
    for name in ("Off and on", "Stays"):
        board.new(name)
        page.get_by_role("button", name="Plodek").click()
    row = page.locator("div", has=page.get_by_role("button", name="Off and on", exact=True)).last.locator(
        ".."
    )
    row.get_by_role("button", name="Delete").click()
    page.reload()  # later, when there is nothing to undo any more
    page.get_by_role("button", name="Taken off the shelf").click()
    expect(page.get_by_text("dropped for good on").first).to_be_visible()
    page.get_by_role("button", name="Bring back Off and on").click()
    expect(page.get_by_role("button", name="Off and on", exact=True)).to_be_visible()
    with page.expect_download() as sent:
        page.get_by_role("link", name="Download all").click()
    packed = tmp_path / "shelf.zip"
    sent.value.save_as(packed)
    page.get_by_label("Recipe file").set_input_files(packed)
    expect(page.get_by_text("projects have been brought in")).to_be_visible()
    expect(page.get_by_role("button", name="Off and on", exact=True)).to_have_count(2)


def test_the_door_lets_in_who_has_a_password_and_nobody_else(page, tmp_path):
    def user(*words):
        told = CliRunner().invoke(plodek, ["user", *words, "--data", str(tmp_path)])
        assert told.exit_code == 0, told.output

    with served(tmp_path) as server:
        user("add", "mira", "--password", "a long enough one")
        page.goto(f"{server.address}/project/1")
        page.get_by_label("Name").fill("mira")
        page.get_by_label("Password").fill("wrong")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Name or password is wrong.")).to_be_visible()
        page.get_by_label("Password").fill("a long enough one")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Log in")).to_have_count(0)
        page.goto(server.address)
        page.get_by_label("Name of the new project").fill("Behind the door")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Plodek").click()
        expect(page.get_by_role("button", name="Behind the door")).to_be_visible()
        page.get_by_role("button", name="Log out").click()
        expect(page.get_by_label("Log in")).to_be_visible()
        page.get_by_label("Name").fill("mira")
        page.get_by_label("Password").fill("a long enough one")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Duplicate")).to_be_visible()
        user("add", "mira", "--password", "another long one")  # which ends the session
        page.get_by_role("button", name="Duplicate").click()
        expect(page.get_by_label("Log in")).to_be_visible()


def test_a_slit_between_blocks_is_told_and_closed_by_the_advice(board, tmp_path):
    page = board.page
    corners = [[x, y] for y in (0, 1) for x in (0, 1)]
    steps = [
        {"kind": "block", "id": "a", "corners": corners},
        {"kind": "block", "id": "b", "corners": [[x + 1.001, y] for x, y in corners]},
    ]
    recipe = tmp_path / "slit.json"
    recipe.write_text(json.dumps({"plodek": 3, "name": "Slit", "steps": steps}))
    page.goto(board.address)
    page.get_by_label("Recipe file").set_input_files(recipe)
    expect(board.steps).to_have_count(2)
    board.go("Blocks")
    expect(board.hand).to_contain_text("lie on each other but are not joined, they are up to 0.001 apart")
    expect(board.hand).to_contain_text("Blocks B1 and B2 are 0.001 m apart where they should meet")
    board.hand.get_by_role("button", name="Take it").click()
    expect(board.steps).to_have_count(3)
    expect(board.hand).not_to_contain_text("not joined")
    expect(board.stop("Blocks")).to_contain_text("2 blocks")
