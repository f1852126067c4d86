"""Spacing by hand: the help with first heights, a wall layer from it, the chart over a chain, and advice."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def channel(board):
    """A channel of 9 by 5 in two blocks, one above the other, in the Spacing stage."""
    board.new("Layers")
    board.page.keyboard.press("Alt+2")
    board.page.keyboard.press("f")
    board.field("Width (x)").fill("9")
    board.field("Height (y)").fill("5")
    board.keep()
    board.page.keyboard.press("c")
    board.field("At").select_option("y")
    board.field("Values").fill("1")
    board.keep()
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


def test_a_table_is_pasted_and_an_impossible_wish_says_what_would_do(channel):
    page = channel.page
    page.get_by_label("Take tier T1 in hand").click()
    page.keyboard.press("s")
    channel.field("Law").select_option("table")
    channel.field("Cells").fill("30")
    box = channel.field("Sizes along the edge")
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
