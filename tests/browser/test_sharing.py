"""A project of one user, shared with another one to look at and then for changes, on both screens."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner
from playwright.sync_api import expect

from plodek.cli import plodek
from tests.browser.board import Board
from tests.serving import served

PASSWORD = "a long enough one"


@pytest.fixture
def door(tmp_path):
    """A server with two users."""
    with served(tmp_path) as found:
        for name in ("jon", "mira"):
            told = CliRunner().invoke(
                plodek, ["user", "add", name, "--password", PASSWORD, "--data", str(tmp_path)]
            )
            assert told.exit_code == 0, told.output
        yield found


def came_in(page, address, name):
    page.goto(address)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_text(name, exact=True)).to_be_visible()


def may(page, role):
    """Let jon do something with the project, in the dialog of the shelf."""
    page.get_by_role("button", name="Share", exact=True).click()
    form = page.get_by_label("Sharing")
    expect(form.get_by_label("Owner")).to_have_value("mira")
    if form.get_by_label("What jon may do").count() == 0:
        expect(form).to_contain_text("Nobody else sees it")
        form.get_by_label("Add a user").select_option("jon")
    form.get_by_label("What jon may do").select_option(role)
    form.get_by_role("button", name="Keep").click()
    expect(form).to_have_count(0)


def test_a_project_is_shared_to_look_at_then_for_changes_and_then_no_more(page, browser, door, tmp_path):
    recipe = tmp_path / "weir.json"
    steps = [{"kind": "frame", "id": "f", "width": 4, "height": 2}]
    recipe.write_text(json.dumps({"plodek": 3, "name": "Weir", "steps": steps}))
    came_in(page, door.address, "mira")
    page.get_by_label("Recipe file").set_input_files(Path(recipe))
    page.get_by_role("button", name="Plodek").click()
    expect(page.get_by_text("of mira")).to_be_visible()
    may(page, "see")

    with browser.new_context(viewport={"width": 1280, "height": 800}) as other:
        jons = other.new_page()
        came_in(jons, door.address, "jon")
        expect(jons.get_by_text("of mira, to look at")).to_be_visible()
        assert jons.get_by_role("button", name="Delete").count() == 0
        jons.get_by_role("button", name="Open").click()
        board = Board(jons, door.address)
        expect(board.hand).to_contain_text("Shared with you to look at")
        board.steps.nth(0).get_by_role("button", name="4", exact=True).click()
        board.field("Width (x)").fill("6")  # to try it is allowed
        jons.keyboard.press("Enter")
        expect(board.hand).to_contain_text("what you try is not kept")
        expect(board.field("Width (x)")).to_have_value("6")
        jons.keyboard.press("Escape")
        expect(board.steps).to_contain_text(["4 by 2"])

        may(page, "edit")
        jons.reload()
        board.steps.nth(0).get_by_label("Take out").click()
        expect(board.steps).to_have_count(0)
        jons.get_by_role("button", name="Undo").click()
        expect(board.steps).to_have_count(1)

        page.get_by_role("button", name="Share", exact=True).click()
        page.get_by_label("Share no more with jon").click()
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_label("Sharing")).to_have_count(0)
        jons.get_by_role("button", name="Plodek").click()
        expect(jons.get_by_text("The shelf is empty.")).to_be_visible()


def test_other_sessions_are_listed_and_ended(page, browser, door):
    came_in(page, door.address, "mira")
    with browser.new_context(viewport={"width": 1280, "height": 800}) as other:
        second = other.new_page()
        came_in(second, door.address, "mira")
        page.get_by_role("button", name="Sessions").click()
        dialog = page.get_by_label("Where you are logged in")
        expect(dialog).to_contain_text("This browser")
        expect(dialog.get_by_text("last seen")).to_have_count(1)
        dialog.get_by_role("button", name="End all others").click()
        expect(dialog.get_by_text("last seen")).to_have_count(0)
        second.reload()
        expect(second.get_by_label("Password")).to_be_visible()
    dialog.get_by_role("button", name="Close").click()
    expect(page.get_by_text("The files of your projects take 0 kB of 5 GB")).to_be_visible()
