"""Check as a user meets it: metrics by what they look at, limits of parts, ranges, and two states side by side."""

import re

from playwright.sync_api import expect


def row(board, name):
    return board.hand.get_by_role("button", name=re.compile(name)).first


def test_a_flow_and_a_limit_of_a_part_tell_y_plus_and_hold_the_gate(board):
    page = board.page
    board.demo("Flow")
    board.go("Check")
    expect(row(board, "wall angle off square")).to_be_visible()
    expect(board.hand.get_by_role("button", name=re.compile("^y⁺"))).to_have_count(0)
    board.hand.get_by_role("button", name="Set the flow").click()
    board.field("Speed").fill("1.5")
    board.field("Length").fill("2 m")
    board.keep()
    board.go("Spacing")
    expect(board.hand.get_by_label("Speed")).to_have_value("1.5")
    expect(board.hand.get_by_label("Length of the wall")).to_have_value("2 m")
    board.go("Check")
    row(board, "^y⁺ of the first height").click()
    expect(page.get_by_label("Strip")).to_contain_text("y⁺ of the first height")
    expect(row(board, "cells in the boundary layer")).to_be_visible()
    board.hand.get_by_role("button", name="Limit a part").click()
    board.field("Metric").select_option("first height")
    expect(board.field("Limit")).to_have_count(0)
    board.field("Length").fill("1 mm")
    board.field("Patch").fill("pier")
    board.keep()
    gate = page.get_by_label("Gate", exact=True)
    expect(gate).to_contain_text(re.compile(r"first height at “pier”: [\d ]+ cells are above 0\.001 m"))
    expect(board.stop("Check")).to_contain_text(re.compile(r"[1-9][\d ]* cells below gate"))
    expect(row(board, "✗ first height.*a part")).to_be_visible()


def test_bars_are_of_cells_or_volume_and_a_range_of_them_is_taken(board):
    page = board.page
    board.demo("Range")
    board.go("Check")
    row(board, "aspect ratio").click()
    strip = page.get_by_label("Strip")
    kinds = strip.get_by_role("group", name="How bars are spaced")
    expect(kinds.get_by_role("button", name="log")).to_have_attribute("aria-pressed", "true")
    bars = strip.get_by_role("button", name=re.compile(r"cells from"))
    first = bars.first.get_attribute("aria-label")
    kinds.get_by_role("button", name="linear").click()
    expect(bars.first).not_to_have_attribute("aria-label", first)
    tall = bars.first.get_attribute("height")
    strip.get_by_role("group", name="What the bars hold").get_by_role("button", name="volume").click()
    expect(bars.first).not_to_have_attribute("height", tall)
    start, end = bars.nth(2).bounding_box(), bars.nth(6).bounding_box()
    page.mouse.move(start["x"] + 3, start["y"] + start["height"] - 2)
    page.mouse.down()
    page.mouse.move(end["x"] + 3, start["y"] + start["height"] - 2, steps=4)
    page.mouse.up()
    expect(strip).to_contain_text(re.compile(r"[\d ]+ cells from"))
    strip.get_by_role("button", name="Take the range").click()
    bad = board.hand.get_by_role("group", name="Only the bad")
    expect(bad).to_contain_text("of the volume")
    expect(bad.get_by_label("aspect ratio: at least")).not_to_have_value("")
    expect(bad.get_by_label("aspect ratio: at most")).not_to_have_value("")


def test_two_states_stand_side_by_side(board):
    page = board.page
    board.box("Compared", "4", "2", "1")
    expect(board.stop("Spacing")).to_contain_text("cells")
    page.keyboard.press("Alt+3")
    page.keyboard.press("b")
    board.field("Cells in all").fill("3000")
    board.keep()
    board.go("Check")
    expect(board.hand).to_contain_text("gate is passed")
    group = board.hand.get_by_role("group", name="Compare")
    group.get_by_label("Compare with").select_option("revision")
    before = group.get_by_label("Revision").locator("option", has_text="frame added")
    group.get_by_label("Revision").select_option(value=before.get_attribute("value"))
    expect(group).to_contain_text(re.compile(r"\d+ better, \d+ worse now"))
    expect(group).to_contain_text("The counts differ")
    expect(page.get_by_text(re.compile("left: now · right: revision 1"))).to_be_visible()
    expect(page.get_by_label("the other state")).to_be_attached()
    group.get_by_role("button", name="in its place").click()
    expect(page.get_by_text("shown: revision 1")).to_be_visible()
    group.get_by_label("Compare with").select_option("values")
    group.get_by_label("Other values").fill("nonsense")
    page.keyboard.press("Enter")
    expect(group).to_contain_text("Write name = value")
    group.get_by_label("Other values").fill("nothing.width = 2")
    page.keyboard.press("Enter")
    expect(group.get_by_role("alert")).to_contain_text("is no parameter")
    group.get_by_label("Compare with").select_option("nothing")
    expect(page.get_by_label("the other state")).to_have_count(0)


def test_what_made_the_bad_cells_is_told_and_shown(board):
    board.demo("What made them")
    board.go("Check")
    row(board, "largest included angle").click()
    group = board.hand.get_by_role("group", name="Only the bad")
    group.get_by_role("button", name="Cells worse than").click()
    expect(group).to_contain_text("What made them")
    expect(group).to_contain_text(re.compile(r"\d+ cells along edge c\d+–c\d+, round which 5 blocks meet"))
    expect(group).to_contain_text(re.compile("nearest guides.*pier"))
    group.get_by_role("button", name="Show me").first.click()
    expect(board.hand.get_by_text(re.compile("1 edge|1 corner"))).to_be_visible()


def test_the_distance_between_nodes_of_two_cells_is_told(board):
    page = board.page
    board.box("Distance", "4", "2", "1")
    board.go("Check")
    expect(board.hand).to_contain_text("gate is passed")
    board.page.get_by_role("button", name="Go there").first.click()
    nodes = board.hand.get_by_role("group", name="Distance between nodes")
    nodes.get_by_role("button", name="Measure from it").click()
    expect(nodes).to_contain_text("0 m")
    nodes.get_by_label("Node").select_option(index=7)
    edges = board.hand.get_by_role("group", name="Cell in hand")
    expect(nodes).not_to_contain_text(re.compile(r"from B1 \(\d+, \d+, \d+\)\s*0 m"))
    page.keyboard.press("Escape")
    expect(edges).to_have_count(0)


def test_a_report_is_downloaded_with_the_words_typed(board, tmp_path):
    board.box("Reported", "4", "2", "1")
    board.go("Check")
    expect(board.hand).to_contain_text("gate is passed")
    group = board.hand.get_by_role("group", name="Report")
    group.get_by_label("Title of the report").fill("Weir, second try")
    group.get_by_label("Note of the report").fill("Look at the bed.")
    with board.page.expect_download() as found:
        group.get_by_role("button", name="HTML").click()
    assert found.value.suggested_filename == "Weir-second-try.html"
    found.value.save_as(tmp_path / "r.html")
    page = (tmp_path / "r.html").read_text()
    assert "<h1>Weir, second try</h1>" in page
    assert "Look at the bed." in page
