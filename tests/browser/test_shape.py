"""The Shape stage by hand: CAD brought in, mended, measured; surfaces drawn, shown, hidden and picked."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

DEMO = Path(__file__).parents[2] / "plodek" / "demo"


def bring_in(board, file, name):
    page = board.page
    page.keyboard.press("i")
    page.get_by_label("Geometry file from disk").set_input_files(file)
    board.field("Name").fill(name)
    expect(board.field("Geometry file")).to_have_value(re.compile(r"\w+"))


@pytest.fixture
def gapped(board):
    board.new("Gaps")
    bring_in(board, DEMO / "draft-cone-gaps.igs", "cone")
    expect(board.hand).to_contain_text("7 faces")
    expect(board.hand).to_contain_text("written in mm")
    board.field("Edges as curves too").select_option("no")
    board.keep()
    return board


def test_gaps_are_found_sewn_and_undone(gapped):
    page, hand = gapped.page, gapped.hand
    hand.get_by_role("tab", name="Mend").click()
    expect(hand).to_contain_text("largest gap")
    expect(hand).to_contain_text("0.831 mm")
    hand.get_by_role("button", name="Sew within 0.84 mm").click()
    expect(gapped.effect).to_contain_text("no free edge is left")
    gapped.keep()
    expect(hand).to_contain_text("All edges meet.")
    expect(hand).to_contain_text("m³")
    expect(gapped.steps.last).to_contain_text("15 pairs of edges made one")
    page.keyboard.press("Control+z")
    expect(hand).to_contain_text("largest gap")


def test_a_bad_file_says_why_and_leaves_all_as_it_was(board, tmp_path):
    board.new("Bad")
    page = board.page
    page.keyboard.press("i")
    broken = tmp_path / "broken.step"
    broken.write_bytes((DEMO / "draft-cone.step").read_bytes()[:9000])
    page.get_by_label("Geometry file from disk").set_input_files(broken)
    expect(board.hand.get_by_role("alert")).to_contain_text("breaks off at line")
    expect(board.field("Geometry file")).to_have_value("")
    points = tmp_path / "points.csv"
    points.write_text("0 0\n1 1\n")
    page.get_by_label("Geometry file from disk").set_input_files(points)
    expect(board.hand.get_by_role("alert")).to_contain_text("use “Read points”")


def test_what_is_typed_while_a_file_is_read_stays(board):
    board.new("Slow file")
    page, held = board.page, []
    page.route("**/files?name=*", lambda route: held.append(route))
    page.keyboard.press("r")
    page.get_by_label("Point file from disk").set_input_files(DEMO / "pier-outline.csv")
    board.field("Name").fill("outline")
    page.wait_for_timeout(100)  # the form is drawn with the name before the file has been read
    assert len(held) == 1
    held[0].continue_()
    expect(board.field("Point file")).to_have_value(re.compile("pier-outline"))
    expect(board.field("Name")).to_have_value("outline")


def test_a_file_without_a_unit_shows_its_size_in_each(board, tmp_path):
    board.new("No unit")
    path = tmp_path / "tet.obj"
    path.write_text("v 0 0 0\nv 250 0 0\nv 0 250 0\nv 0 0 250\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n")
    bring_in(board, path, "tet")
    expect(board.hand).to_contain_text("does not say its unit")
    board.hand.get_by_role("button", name="in mm").click()
    expect(board.hand.get_by_role("button", name="in mm")).to_contain_text("0.25 × 0.25 × 0.25 m")
    board.field("Name").focus()
    board.keep()
    board.hand.get_by_role("button", name="tet.face-1 triangulated").click()
    expect(board.hand).to_contain_text("triangles")
    expect(board.hand).to_contain_text("0.147877 m²")  # (3 + √3) / 2 × 0.25²


def test_surfaces_by_keys_with_their_ghost_and_measured(board):
    page = board.page
    board.new("Surfaces")
    page.keyboard.press("c")
    board.field("Name").fill("rim")
    board.field("Centre").fill("0, 0, 0")
    board.field("Radius").fill("0.4")
    board.keep()
    page.keyboard.press("Shift+E")
    expect(board.field("Curve")).to_have_value("rim")
    board.field("Name").fill("tube")
    board.field("By x, y, z").fill("0, 0, 1.5")
    expect(board.effect).to_contain_text("tube: 3.76991 m²")
    board.keep()
    page.keyboard.press("Shift+S")
    board.field("Name").fill("ball")
    board.field("Centre").fill("0.4, 0, 0.75")
    board.field("Radius").fill("30 cm")
    board.keep()
    page.keyboard.press("x")
    board.field("Name").fill("seam")
    board.field("Second surface").select_option("ball")
    expect(board.effect).to_contain_text("seam")
    board.keep()
    strip = page.get_by_label("Strip")
    strip.get_by_label("Of what").fill("rim @ 0; 0, 0, 0")
    strip.get_by_role("button", name="Measure", exact=True).click()
    measured = page.get_by_role("region", name="Measured")
    expect(measured).to_contain_text("0.4 m")
    strip.get_by_label("What to measure").select_option("area")
    strip.get_by_label("Of what").fill("rim")
    strip.get_by_role("button", name="Measure", exact=True).click()
    expect(strip.get_by_role("alert")).to_contain_text("has no area")
    measured.get_by_label(re.compile("Dismiss distance")).click()
    expect(measured).to_contain_text("Nothing yet")


def test_guides_are_hidden_picked_through_a_crowd_and_renamed(gapped):
    page, hand = gapped.page, gapped.hand
    box = page.locator("canvas").bounding_box()
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(*middle)
    expect(page.get_by_role("main")).to_contain_text(re.compile(r"cone\.face-\d · face"))
    page.mouse.click(*middle, button="right")
    crowd = page.get_by_role("listbox", name="Under the cursor")
    front, back = crowd.get_by_role("option").all_text_contents()[:2]
    assert front != back
    crowd.get_by_role("option").nth(1).click()
    expect(hand.get_by_label("Name of the guide")).to_have_value(back.split(" ")[0])
    hand.get_by_label("Name of the guide").fill("behind")
    hand.get_by_role("button", name="Rename").click()
    expect(gapped.steps.last).to_contain_text("Rename")
    expect(hand.get_by_label("Name of the guide")).to_have_value("behind")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    hand.get_by_label(f"Hide {front.split(' ')[0]}", exact=True).click()
    expect(hand).to_contain_text("1 hidden")
    page.mouse.move(middle[0] + 1, middle[1])
    expect(page.get_by_role("main")).to_contain_text("behind · face")


def test_places_on_guides_are_picked_to_be_measured(gapped):
    page = gapped.page
    box = page.locator("canvas").bounding_box()
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.keyboard.down("Alt")
    page.mouse.click(*middle)
    page.mouse.click(middle[0], middle[1] + 60)
    page.keyboard.up("Alt")
    of = page.get_by_label("Of what")
    expect(of).to_have_value(re.compile(r"cone\.face-\d @ .*; cone\.face-\d @ "))
    page.get_by_role("button", name="Measure", exact=True).click()
    expect(page.get_by_role("region", name="Measured")).to_contain_text(re.compile(r"distance 0\.\d+ m"))


def test_the_view_looks_from_every_side_through_both_lenses_and_a_clip_box(gapped):
    page = gapped.page
    views = []
    for name in ("+x", "−z", "Perspective", "See through", "Clip box"):
        page.get_by_role("button", name=name, exact=True).click()
        page.wait_for_timeout(250)
        views.append(page.locator("canvas").screenshot())
    page.get_by_role("slider").nth(4).focus()
    for _ in range(8):
        page.keyboard.press("PageUp")
    page.wait_for_timeout(250)
    views.append(page.locator("canvas").screenshot())
    assert len({bytes(v) for v in views[:4]}) == 4
    assert views[-1] != views[-2]


def test_another_unit_in_both_meanings(gapped):
    page, hand = gapped.page, gapped.hand
    page.keyboard.press("u")
    gapped.field("Length unit").select_option("m")
    gapped.keep()
    for meaning in ("Convert the numbers", "Keep the numbers"):
        gapped.steps.first.get_by_title("Change").first.click()
        hand.get_by_label("Length unit").select_option("mm")
        expect(hand).to_contain_text("stays as large as it is")
        hand.get_by_role("button", name=meaning).click()
        expect(gapped.stop("Shape")).to_contain_text("mm")
        gapped.settled()
        page.keyboard.press("Control+z")
        expect(gapped.stop("Shape")).not_to_contain_text("mm")
