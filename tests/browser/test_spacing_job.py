"""Spacing by hand: the help with first heights, a wall layer from it, the chart over a chain, and advice."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def channel(board):
    """A channel of 9 by 5 in two blocks, one above the other, in the Spacing stage."""
    board.channel("Layers", {"y": "1"})
    board.go("Spacing")
    return board


def test_a_wall_layer_from_a_wanted_y_plus(channel):
    page, hand = channel.page, channel.hand
    help_ = hand.get_by_role("region", name="First height for a y⁺")
    help_.get_by_label("Speed").fill("10")
    help_.get_by_label("Fluid").select_option("typed")
    help_.get_by_label("Density").fill("1")
    help_.get_by_label("Viscosity").fill("1e-5")
    help_.get_by_label("Wanted y⁺").fill("50")
    # U = 10 m/s, 1 m, 1e-5 m²/s: u_τ = 0.4328 m/s by Schlichting, so 50 · 2.311e-5 m = 1.16 mm.
    expect(help_).to_contain_text("1.16 mm")
    expect(help_).to_contain_text("right for wall functions")
    help_.get_by_label("Speed").fill("-1")
    expect(help_.get_by_role("alert")).to_contain_text("above 0")
    help_.get_by_label("Speed").fill("10")
    help_.get_by_role("button", name="Use it for a wall layer").click()
    expect(channel.field("First height")).to_have_value("1.16 mm")
    expect(hand).to_contain_text(re.compile("y⁺ 50(.2)? at 10 m/s"))
    hand.get_by_label("Walls by rule").select_option(label="side y-")
    expect(channel.effect).to_contain_text("worst growth along edges")
    channel.keep()
    expect(channel.steps.last).to_contain_text("Wall layer")
    page.get_by_label("Take tier T2 in hand").click()
    chart = page.get_by_role("img", name="Cell size along the edge")
    expect(chart).to_contain_text("the neighbour's cell")
    page.get_by_role("button", name="whole chain").click()
    expect(page.get_by_role("button", name="chain of 2")).to_be_visible()
    expect(chart).to_contain_text("5 m along the chain")
    page.keyboard.press("Control+z")
    expect(channel.steps).to_have_count(2)


def test_a_jump_is_marked_advised_on_and_mended(channel):
    page = channel.page
    channel.page.get_by_label("Take tier T2 in hand").click()
    page.keyboard.press("s")
    channel.field("Law").select_option("two-sided")
    channel.field("First cell").fill("2 mm")
    channel.field("Cells").fill("40")
    channel.keep()
    expect(page.get_by_text(re.compile(r"jumps over 1\.2: [1-9]"))).to_be_visible()
    page.get_by_role("button", name="Edges: plain").click()
    expect(page.get_by_text(re.compile("cell size 2 mm"))).to_be_visible()
    page.keyboard.press("Escape")
    card = channel.hand.get_by_text(re.compile("The cells jump by"))
    expect(card.first).to_be_visible()
    channel.hand.get_by_role("button", name="Take it").first.click()
    expect(page.get_by_text(re.compile("jumps over 1.2"))).to_have_count(0)
    expect(channel.steps).to_have_count(4)


def test_a_tier_is_locked_named_and_released_in_the_list(channel):
    page = channel.page
    tier = page.get_by_label("Take tier T2 in hand")
    tier.dblclick()
    page.get_by_label("Name of T2").fill("near the wall")
    page.keyboard.press("Enter")
    expect(tier).to_contain_text("near the wall")
    expect(channel.steps.last).to_contain_text("near the wall")
    count = page.get_by_label("Cells on T2", exact=True)
    derived = count.input_value()
    page.get_by_label("Lock T2", exact=True).click()
    expect(page.get_by_label("Release T2", exact=True)).to_be_visible()
    expect(count).to_have_value(derived)
    page.get_by_label("More cells on T2").click(click_count=3)  # faster than they can be kept
    expect(count).to_have_value(str(int(derived) + 3))
    expect(channel.steps).to_have_count(4)
    expect(channel.steps.last).to_contain_text(f"Count {int(derived) + 3} cells")
    page.get_by_label("Release T2", exact=True).click()
    expect(page.get_by_label("Lock T2", exact=True)).to_be_visible()
    expect(count).to_have_value(derived)
    expect(channel.steps).to_have_count(3)
    # A count that a later step has released is not taken up again by another.
    count.fill("31")
    page.keyboard.press("Enter")
    expect(channel.steps).to_have_count(4)
    page.get_by_label("Take tier T2 in hand").click()
    page.keyboard.press("l")
    channel.keep()
    expect(page.get_by_label("Lock T2", exact=True)).to_be_visible()
    count.fill("33")
    page.keyboard.press("Enter")
    expect(channel.steps).to_have_count(6)
    expect(page.get_by_label("Release T2", exact=True)).to_be_visible()
    expect(count).to_have_value("33")


def test_a_count_that_is_being_typed_stays_when_another_one_is_kept(channel):
    page, held = channel.page, []
    page.route(
        "**/recipe", lambda r: held.append(r) if r.request.method == "PUT" and not held else r.continue_()
    )
    first, other = (page.get_by_label(f"Cells on {tier}", exact=True) for tier in ("T1", "T2"))
    derived = other.input_value()
    first.fill("21")
    page.keyboard.press("Enter")
    other.fill(str(int(derived) + 5))
    held[0].continue_()
    expect(page.get_by_label("Release T1", exact=True)).to_be_visible()
    channel.settled()
    expect(other).to_have_value(str(int(derived) + 5))
    page.keyboard.press("Enter")
    expect(page.get_by_label("Release T2", exact=True)).to_be_visible()
    expect(other).to_have_value(str(int(derived) + 5))


def test_a_layer_and_the_blocks_in_hand_are_redrawn_while_a_value_changes(channel):
    page = channel.page
    page.keyboard.press("Alt+2")
    page.keyboard.press("e")
    channel.field("Depth").fill("2")
    channel.field("Cells").fill("6")
    channel.keep()
    channel.go("Spacing")
    page.get_by_role("button", name="Cells", exact=True).click()
    asked: list[dict] = []
    page.on("request", lambda r: asked.append(r.post_data_json) if "preview/grid" in r.url else None)
    page.get_by_role("button", name="Layer", exact=True).click()
    page.get_by_label("Tier of the layer").select_option("T3")
    expect(page.get_by_text(re.compile(r"^\d+ of \d+$"))).to_be_visible()
    channel.settled()
    before = page.locator("canvas").screenshot()
    page.get_by_label("Take tier T1 in hand").click()
    page.keyboard.press("s")
    channel.field("Law").select_option("geometric")
    channel.field("First cell").fill("5 cm")
    expect(channel.effect).to_contain_text("cells")
    channel.settled()
    assert asked
    assert asked[-1]["tier"] == "T3"
    assert page.locator("canvas").screenshot() != before
    page.keyboard.press("Escape")
    page.get_by_label("Take tier T2 in hand").click()
    page.get_by_role("button", name="Blocks in hand").click()
    expect(page.get_by_role("button", name="Blocks in hand")).to_have_attribute("aria-pressed", "true")
    channel.settled()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_table_is_drawn_or_pasted_and_an_impossible_wish_says_what_would_do(channel):
    page = channel.page
    page.get_by_label("Take tier T1 in hand").click()
    page.keyboard.press("s")
    channel.field("Law").select_option("table")
    channel.field("Cells").fill("30")
    drawing = page.locator("svg", has=page.get_by_text("Sizes along the edge, drawn"))
    drawing.hover()  # waits until it stands still
    frame = drawing.bounding_box()
    assert frame is not None
    middle = frame["x"] + 0.5 * frame["width"]
    page.mouse.move(middle, frame["y"] + 0.45 * frame["height"])
    page.mouse.down()
    page.mouse.move(middle, frame["y"] + 0.75 * frame["height"], steps=4)
    page.mouse.up()
    points = drawing.get_by_role("slider")
    expect(points).to_have_count(3)
    box = channel.field("Sizes along the edge")
    expect(box).to_have_value(re.compile(r"^0  1\n0\.\d+  0\.\d+\n1  1$"))
    points.nth(1).press("Delete")
    expect(points).to_have_count(2)
    box.fill("0 1\n0.5 oops")
    expect(channel.hand.get_by_text("line 2 is not a place and a size")).to_be_visible()
    box.fill("0 1\n0.5 0.2\n1 1")
    expect(channel.effect).to_contain_text("cells")
    channel.field("Law").select_option("geometric")
    channel.field("First cell").fill("6 mm")
    channel.field("Growth per cell").fill("1.05")
    expect(channel.hand.get_by_role("alert")).to_contain_text(
        re.compile(r"30 cells from 0\.006 m .* use \d+ cells or growth", re.I)
    )
