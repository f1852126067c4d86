"""The whole pier job by mouse and keyboard: from an empty project to a file the standard's checker accepts."""

import re
import subprocess
import zipfile

import pytest
from playwright.sync_api import expect

from plodek.core.check.measure import measure
from plodek.core.formats.cgns.read import read
from tests.conftest import DEMO

PIER = (3.6, 2.5)


def lay_out_blocks(board):
    page = board.page
    page.keyboard.press("r")
    page.get_by_label("Point file from disk").set_input_files(DEMO / "pier-outline.csv")
    expect(board.hand).to_contain_text("2.1 × 0.92 m")
    board.field("Name").fill("pier")
    board.field("Ends").select_option("closed")
    board.keep()
    board.hand.get_by_role("button", name="pier spline").click()
    expect(board.hand).to_contain_text("closed spline")
    expect(board.hand).to_contain_text("2.55 to 4.65 m")
    page.keyboard.press("Escape")
    board.page.keyboard.press("Alt+2")
    page.keyboard.press("f")
    board.field("Width (x)").fill("9")
    board.field("Height (y)").fill("5 m")
    board.keep()
    for axis, values in (("x", "2.15, 5.05"), ("y", "1.65, 3.35")):
        page.keyboard.press("c")
        board.field("At").select_option(axis)
        board.field("Values").fill(values)
        expect(board.effect).to_contain_text("3" if axis == "x" else "9")
        board.keep()
    board.click(*PIER)
    page.keyboard.press("h")
    expect(board.effect).to_contain_text("9 → 8")
    board.keep()
    board.click(*PIER)
    page.keyboard.press("r")
    board.field("Thickness").fill("35 cm")
    expect(board.effect).to_contain_text("8 → 12")
    board.keep()
    page.keyboard.press("w")
    board.hand.get_by_label("Edges, or sides by rule").select_option(label="around B5")
    board.keep()


def space(board):
    page = board.page
    page.keyboard.press("Alt+3")
    expect(board.stop("Spacing")).to_contain_text("7 tiers")
    counts = {"T5": 44, "T3": 18, "T1": 16, "T2": 14, "T4": 14, "T6": 28}
    steps = board.steps.count()
    for tier, count in counts.items():  # typed without waiting for one another
        page.get_by_label(f"Cells on {tier}", exact=True).fill(str(count))
        page.keyboard.press("Enter")
    expect(board.steps).to_have_count(steps + len(counts))
    for tier, count in counts.items():
        expect(page.get_by_label(f"Release {tier}", exact=True)).to_be_visible()
        expect(page.get_by_label(f"Cells on {tier}", exact=True)).to_have_value(str(count))
    board.settled()
    # The ring's diagonal, taken by its middle, with its start turned to the pier where needed.
    page.get_by_role("button", name="Blocks", exact=True).click()
    board.click(2.23, 1.77)
    expect(board.hand).to_contain_text("T7")
    page.keyboard.press("s")
    board.field("Law").select_option("geometric")
    board.field("Cells").fill("18")
    board.field("First cell").fill("6 mm")
    board.keep()
    first = page.get_by_role("slider", name="first cell")
    board.click(2.23, 1.77)
    if "6 mm" not in (first.get_attribute("aria-valuetext") or ""):
        page.get_by_role("button", name="Start at the other end").click()
    expect(first).to_have_attribute("aria-valuetext", "6 mm")
    page.keyboard.press("Escape")


def name_patches(board):
    page = board.page
    board.go("Hand-off")
    names = (
        ("inflow", "inlet", "side x-"),
        ("outflow", "outlet", "side x+"),
        ("north-bank", "wall", "side y+"),
        ("south-bank", "wall", "side y-"),
        ("bed", "wall", "side z-"),
        ("surface", "symmetry", "side z+"),
    )
    for name, kind, rule in names:
        page.keyboard.press("p")
        board.field("Name").fill(name)
        board.field("Type").select_option(kind)
        board.hand.get_by_label("Faces by rule").select_option(label=rule)
        board.keep()
    expect(board.hand).to_contain_text("outer faces have no name")
    page.get_by_role("button", name="Name all the rest").click()
    field = board.field("Name")
    field.fill("the pier")
    expect(board.hand.get_by_role("alert")).to_contain_text("no spaces")
    field.fill("pier")
    board.keep()
    expect(board.hand).to_contain_text("every outer face has a name")


def test_from_an_empty_project_to_an_accepted_file(board, tmp_path):
    page = board.page
    board.new("Pier by hand")
    lay_out_blocks(board)
    space(board)
    page.keyboard.press("Alt+4")
    page.keyboard.press("s")
    board.field("Sweeps at most").fill("600")
    board.hand.get_by_label("Walls to hold by rule").select_option(label="what follows pier")
    page.get_by_role("button", name="Run and keep").click()
    expect(board.steps.last).to_contain_text("Smooth")
    expect(board.hand).to_contain_text("first height within 1 %")
    page.keyboard.press("Alt+2")
    page.keyboard.press("e")
    board.field("Depth").fill("1.8")
    board.field("Cells").fill("24")
    board.keep()
    name_patches(board)
    board.go("Check")
    expect(page.get_by_label("Gate", exact=True)).to_contain_text("The gate is passed")
    expect(board.hand.get_by_title(re.compile("^pier: from "))).to_contain_text("6 mm")
    off = board.hand.get_by_title(re.compile("Click to go to the node furthest off"))
    expect(off).to_contain_text("pier0 m")  # no node is off it; its faces sag
    off.click()
    board.go("Hand-off")
    page.get_by_label("Unit of the file").select_option("mm")
    expect(board.hand).to_contain_text("multiplied by 1")
    page.get_by_role("button", name="Write the files").click()
    proof = board.hand.get_by_role("group", name="Proof of pier-by-hand.cgns")
    expect(proof).to_contain_text("12 of 12 hold")
    with page.expect_download() as caught:
        page.get_by_role("link", name="pier-by-hand.zip").first.click()
    caught.value.save_as(tmp_path / "grid.zip")
    with zipfile.ZipFile(tmp_path / "grid.zip") as found:
        found.extractall(tmp_path)
    path = tmp_path / "pier-by-hand.cgns"
    said = subprocess.run(["cgnscheck", path], capture_output=True, text=True, check=False).stdout
    assert "checking complete" in said
    assert "ERROR" not in said
    assert "WARNING" not in said
    grid, unit = read(path)
    assert unit == "mm"
    assert {p.name for p in grid.patches} == {
        "inflow", "outflow", "north-bank", "south-bank", "bed", "surface", "pier"
    }  # fmt: skip
    cells = measure(grid)
    assert cells.folded.sum() == 0
    assert cells.of("smallest_angle").min() > 35
    assert cells.volume.sum() == pytest.approx(1.8e9 * (45 - 1.63), rel=0.01)
