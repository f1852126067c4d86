"""Looking into a grid on the screen: sections that are moved, typed and kept, and only the bad cells."""

import re

from playwright.sync_api import expect


def test_sections_are_added_moved_and_kept(board):
    page = board.page
    board.box("Look inside", "4", "2", "1")
    board.go("Check")
    expect(board.hand).to_contain_text("gate is passed")
    group = board.hand.get_by_role("group", name="Sections")
    expect(group).to_contain_text("Look inside")
    group.get_by_label("Add a section").select_option("x")
    plane = group.get_by_role("group", name="Plane at x")
    place = plane.get_by_label("Place of the section")
    expect(place).to_have_value("2 m")
    expect(plane).to_contain_text(re.compile(r"\d+ cells"))
    place.fill("50 cm")
    page.keyboard.press("Enter")
    expect(place).to_have_value("0.5 m")
    board.hand.get_by_text("The gate is passed").click()
    page.keyboard.press("]")
    expect(place).to_have_value("0.54 m")
    page.keyboard.press("}")
    expect(place).to_have_value("0.94 m")
    place.hover()
    page.mouse.wheel(0, -100)
    expect(place).to_have_value("0.9 m")
    place.fill("7")
    page.keyboard.press("Enter")
    expect(plane).to_contain_text("does not meet the grid. The grid lies between (0, 0, 0) and (4, 2, 1)")
    place.fill("1")
    page.keyboard.press("Enter")
    expect(plane).to_contain_text(re.compile(r"\d+ cells"))

    group.get_by_label("Add a section").select_option("sphere")
    ball = group.get_by_role("group", name="Sphere")
    ball.get_by_label("Centre").fill("1, 1, 0.5")
    ball.get_by_text("whole cells").click()
    expect(ball).to_contain_text(re.compile(r"\d+ cells"))
    ball.get_by_label("Sweep it").click()
    before = ball.get_by_label("Place of the section").input_value()
    expect(ball.get_by_label("Place of the section")).not_to_have_value(before)
    ball.get_by_label("Sweep it").click()
    expect(page.get_by_role("button", name="Sections", exact=True)).to_have_attribute("aria-pressed", "true")
    with page.expect_response(
        lambda answer: answer.url.endswith("/sections") and answer.request.method == "PUT"
    ):
        group.get_by_label("Take the section out").nth(1).click()
    page.get_by_role("button", name="Plodek").click()
    page.get_by_role("button", name="Look inside", exact=True).click()
    board.go("Check")
    expect(group.get_by_role("group", name="Plane at x").get_by_label("Place of the section")).to_have_value(
        "1 m"
    )
    page.reload()
    board.go("Check")
    expect(group.get_by_role("group", name="Plane at x").get_by_label("Place of the section")).to_have_value(
        "1 m"
    )
    expect(group.get_by_role("group", name="Sphere")).to_have_count(0)


def test_only_the_bad_cells_are_shown_and_told_where_they_are(board):
    board.demo("Only the bad")
    board.go("Check")
    board.hand.get_by_role("button", name=re.compile("largest included angle")).click()
    group = board.hand.get_by_role("group", name="Only the bad")
    group.get_by_role("button", name="Cells worse than").click()
    expect(group).to_contain_text(re.compile(r"\d+ cells"))
    expect(group).to_contain_text("of the volume")
    some = count(group)
    assert some > 0
    group.get_by_label("More neighbours").click()
    expect(group).not_to_contain_text(f"{some} cells")
    assert count(group) > some
    group.get_by_label("Fewer neighbours").click()
    group.get_by_label("largest included angle: at least").fill("170")
    board.page.keyboard.press("Enter")
    expect(group).to_contain_text("No cell is worse than that")
    group.get_by_label("largest included angle: at least").fill("90,1")
    board.page.keyboard.press("Enter")
    expect(group).to_contain_text("and 9 more")
    expect(group).to_contain_text("too many to be drawn apart")
    group.get_by_label("At a patch").select_option("pier")
    expect(group).to_contain_text("nearest patchespier")
    group.get_by_role("button", name="Show all again").click()
    expect(group.get_by_role("button", name="Show them")).to_be_visible()


def test_a_cell_is_clicked_told_and_walked_from(board):
    page = board.page
    board.box("Probe", "4", "2", "1")
    board.go("Check")
    expect(board.hand).to_contain_text("gate is passed")
    board.settled()
    box = page.locator("canvas").first.bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    cell = board.hand.get_by_role("group", name="Cell in hand")
    expect(cell).to_contain_text("edges along k")
    before = cell.get_by_role("heading").inner_text()
    page.keyboard.press("PageDown")
    expect(cell.get_by_role("heading")).not_to_have_text(before)
    page.keyboard.press("PageUp")
    expect(cell.get_by_role("heading")).to_have_text(before)
    cell.get_by_label("Length to compare with").fill("1 m")
    expect(cell).to_contain_text("×")
    page.keyboard.press("Escape")
    board.hand.get_by_text("The gate is passed").click()
    page.keyboard.press("Escape")
    expect(cell).to_have_count(0)
    page.get_by_role("button", name="Go there").first.click()
    expect(cell).to_contain_text("number")


def count(group):
    return int(re.search(r"([\d ]+) cells", group.inner_text())[1].replace(" ", "").replace(" ", ""))


def test_a_metric_is_told_by_parts_sorted_filtered_and_taken_away(board):
    page = board.page
    board.channel("By parts", {"x": "3", "y": "2"})
    board.go("Check")
    strip = page.get_by_role("region", name="Strip")
    strip.get_by_role("button", name="by block").click()
    table = page.get_by_role("table", name="scaled Jacobian by block")
    expect(table.locator("tbody tr")).to_have_count(4)
    table.get_by_role("columnheader", name="block").click()
    names = table.locator("tbody tr td:first-child")
    expect(names).to_have_text(["B1", "B2", "B3", "B4"])
    table.get_by_role("columnheader", name="block").click()
    expect(names).to_have_text(["B4", "B3", "B2", "B1"])
    strip.get_by_label("Filter by name").fill("b3")
    expect(names).to_have_text(["B3"])
    with page.expect_download() as download:
        strip.get_by_role("link", name="CSV").click()
    assert download.value.suggested_filename == "scaled_jacobian-by-block.csv"
    assert download.value.path().read_text().splitlines()[0] == "name,cells,worst,mean,beyond"
    names.click()
    expect(board.hand).to_contain_text("1 block")
    strip.get_by_role("button", name="by patch").click()
    expect(strip).to_contain_text("Nothing to tell by patch here.")
    strip.get_by_role("button", name="Worst cells").click()
    expect(strip.get_by_role("button", name="Go there").first).to_be_visible()
