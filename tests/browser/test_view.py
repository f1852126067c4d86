"""What the view promises: the camera stays, what is drawn is picked, and regions and poles are told."""

import re

from playwright.sync_api import expect


def test_the_camera_stays_where_it_was_put_while_steps_are_kept(board):
    page = board.page
    board.channel("Camera", {"x": "3"})
    page.keyboard.press("Escape")
    words = page.get_by_text(re.compile("^corner .*free"))
    page.mouse.move(*board.place(3, 5))
    expect(words).to_be_visible()
    page.mouse.move(*board.place(9, 0))
    page.mouse.wheel(0, -400)  # closer to the lower right corner: the other one leaves its pixel
    page.wait_for_timeout(300)
    page.mouse.move(*board.place(3, 5))
    expect(words).to_have_count(0)
    page.keyboard.press("c")
    board.field("At").select_option("y")
    board.field("Values").fill("2")
    board.keep()
    page.mouse.move(*board.place(3.1, 4.9))
    page.mouse.move(*board.place(3, 5))
    expect(words).to_have_count(0)
    page.keyboard.press("0")
    page.mouse.move(*board.place(3.1, 4.9))
    page.mouse.move(*board.place(3, 5))
    expect(words).to_be_visible()


def test_a_view_made_narrower_shows_all_again_unless_it_was_moved(board):
    page = board.page
    board.channel("Plan", {"x": "3"})
    page.keyboard.press("Escape")
    words = page.get_by_text(re.compile("^corner .*free"))
    plan = page.get_by_role("button", name="Plan", exact=True)

    def hover():
        """Look at the upper end of the cut, where the fitted view has it."""
        page.wait_for_timeout(400)
        x, y = board.place(3, 5)
        page.mouse.move(x + 3, y + 3)
        page.mouse.move(x, y)

    hover()
    expect(words).to_be_visible()
    plan.click()
    hover()
    expect(words).to_be_visible()
    page.mouse.move(*board.place(9, 0))
    page.mouse.wheel(0, -400)
    plan.click()
    hover()
    expect(words).to_have_count(0)


def test_regions_are_named_listed_and_taken_in_hand(board):
    page = board.page
    board.channel("Regions", {"x": "3"})
    board.click(6, 2.5)
    page.keyboard.press("Shift+R")
    board.field("Name").fill("cooling")
    board.keep()
    page.keyboard.press("Escape")
    expect(board.hand.get_by_role("heading", name="Regions")).to_be_visible()
    row = board.hand.get_by_text("cooling", exact=True).locator("..")
    expect(row).to_contain_text("1 block,")
    row.get_by_role("button", name="Take").click()
    expect(board.hand).to_contain_text("1 block")
    expect(board.hand).to_contain_text("region")
    page.keyboard.press("Escape")
    page.mouse.move(*board.place(6, 2.5))
    expect(page.get_by_text(re.compile("region cooling$"))).to_be_visible()


def test_a_recipe_goes_out_and_comes_back_to_the_shelf(board, tmp_path):
    page = board.page
    board.demo("There and back")
    with page.expect_download() as found:
        page.get_by_role("link", name="download").click()
    taken = tmp_path / found.value.suggested_filename
    found.value.save_as(taken)
    page.goto(board.address)
    wrong = tmp_path / "wrong.json"
    wrong.write_text('{"plodek": 3, "steps": [{"kind": "no-such", "id": "a"}]}')
    page.get_by_label("Recipe file").set_input_files(wrong)
    expect(page.get_by_role("alert")).to_contain_text("no-such")
    page.get_by_label("Recipe file").set_input_files(taken)
    expect(board.steps).to_have_count(27)
    expect(board.stop("Check")).to_contain_text("gate passed")


def test_blocks_that_stand_apart_are_picked_where_they_are_drawn(board):
    page = board.page
    board.box("Apart", "2", "1", "1")
    page.keyboard.press("c")
    board.field("At").select_option("x")
    board.field("Values").fill("1")
    board.keep()
    page.keyboard.press("Escape")
    page.get_by_role("group", name="Look from").get_by_role("button", name="+z", exact=True).click()
    box = page.locator("canvas").bounding_box()
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    words = page.get_by_text(re.compile("^block B"))

    def hover(off):
        page.wait_for_timeout(300)
        page.mouse.move(middle[0] + off + 5, middle[1] + 40)
        page.mouse.move(middle[0] + off, middle[1] + 40)

    hover(30)
    expect(words).to_contain_text("block B2")
    for _ in range(12):
        page.get_by_role("slider", name="Explode the blocks").press("ArrowRight")
    hover(30)  # where the second block was: between the two there is nothing now
    expect(words).to_have_count(0)
    hover(220)
    expect(words).to_contain_text("block B2")
