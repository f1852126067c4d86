"""Takes the pictures of docs/screenshots anew, from the demo data: `make screenshots`."""

import io
import json
import re
import sys
import tempfile
import zipfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2]))

from playwright.sync_api import expect, sync_playwright

from tests.browser.board import Board
from tests.browser.conftest import CHROMIUM, FLAGS
from tests.browser.test_shape import DEMO, bring_in
from tests.serving import served

TARGET = Path(__file__).parents[2] / "docs" / "screenshots"


def take(board: Board, name: str) -> None:
    board.page.mouse.move(640, 30)
    board.page.wait_for_load_state("networkidle")
    board.page.wait_for_timeout(900)
    board.page.screenshot(path=TARGET / f"{name}.png")


def take_all(board: Board) -> None:
    page = board.page
    board.demo("Intake pier, Saltmere")
    board.go("Blocks")
    ring = board.steps.nth(6)
    ring.get_by_role("button", name="35 cm").click()
    board.field("Thickness").fill("50 cm")
    expect(board.effect).to_contain_text("→")
    take(board, "blocks")
    page.keyboard.press("Escape")
    spacing(board)
    smooth(board)
    board.go("Check")
    page.get_by_role("button", name="volume ratio").click()
    board.hand.get_by_label("Add a section").select_option("z")
    expect(board.hand.get_by_role("group", name="Plane at z")).to_contain_text("cells")
    board.page.wait_for_timeout(500)  # until it is drawn
    board.page.mouse.click(570, 400)
    expect(board.hand.get_by_role("group", name="Cell in hand")).to_be_visible()
    take(board, "check")
    compared(board)
    handing_off(board)
    page.get_by_role("button", name="Plodek").click()
    page.get_by_role("button", name="Duplicate").click()
    take(board, "shelf")
    shape(board)
    mending(board)
    blocks_in_space(board)
    pump_stage(board)
    fin(board)


def compared(board: Board) -> None:
    """The smoothed grid beside the filled one with a section through both, and the report."""
    page = board.page
    page.keyboard.press("Escape")
    page.get_by_role("button", name="scaled Jacobian").click()
    group = board.hand.get_by_role("group", name="Compare")
    group.get_by_label("Compare with").select_option("filled")
    expect(group).to_contain_text("better")
    group.scroll_into_view_if_needed()
    page.get_by_role("button", name="Fit", exact=True).click()
    group.get_by_text("nodes apart").scroll_into_view_if_needed()
    take(board, "compare")
    group.get_by_label("Compare with").select_option("nothing")
    report = board.hand.get_by_role("group", name="Report")
    report.get_by_label("Note of the report").fill("First grid for the shoreline study.")
    with page.expect_download() as found:
        report.get_by_role("button", name="HTML").click()
    with tempfile.TemporaryDirectory() as folder:
        found.value.save_as(Path(folder) / "report.html")
        assert page.context.browser is not None
        sheet = page.context.browser.new_page(viewport={"width": 900, "height": 1250})
        sheet.goto(f"file://{folder}/report.html")
        sheet.screenshot(path=TARGET / "report.png")
        sheet.close()


def spacing(board: Board) -> None:
    """The pier's wall layer with the help for its height, and a layer with a table that is drawn."""
    page = board.page
    board.go("Spacing")
    layer = board.steps.filter(has_text="Wall layer")
    layer.get_by_role("button", name="6 mm").click()
    board.field("Layers").fill("10")
    expect(board.effect).to_contain_text("→")
    take(board, "spacing")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Cells", exact=True).click()
    page.get_by_role("button", name="Edges: plain").click()
    page.get_by_role("button", name="Layer", exact=True).click()
    page.get_by_label("Tier of the layer").select_option("T4")
    page.get_by_label("Take tier T7 in hand").click()
    page.keyboard.press("s")
    board.field("Law").select_option("table")
    drawing = page.locator("svg", has=page.get_by_text("Sizes along the edge, drawn"))
    frame = drawing.bounding_box()
    assert frame is not None
    page.mouse.click(frame["x"] + 0.5 * frame["width"], frame["y"] + 0.75 * frame["height"])
    expect(board.effect).to_contain_text("cells")
    take(board, "layer")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Outside", exact=True).click()
    page.get_by_role("button", name="Edges: size").click()
    page.get_by_role("button", name="Edges: growth").click()


def shape(board: Board) -> None:
    """The draft cone from CAD, a section of it drafted, a distance measured."""
    page = board.page
    board.new("Draft cone, from CAD")
    bring_in(board, DEMO / "draft-cone.step", "cone")
    board.keep()
    page.get_by_label("Of what").fill("cone.inlet; cone.outlet")
    page.get_by_role("button", name="Measure", exact=True).click()
    expect(page.get_by_role("region", name="Measured")).to_contain_text("1.5 m")
    page.get_by_label("What to measure").select_option("area")
    page.get_by_label("Of what").fill("cone.east; cone.inlet")
    page.get_by_role("button", name="Measure", exact=True).click()
    board.hand.get_by_role("button", name="cone.east face").click()
    page.keyboard.press("Shift+X")
    board.field("Name").fill("half-way")
    board.field("Plane through").fill("0, 0, 0.75")
    expect(board.effect).to_contain_text("half-way")
    take(board, "shape")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")


def mending(board: Board) -> None:
    """The gapped cone with its free edges."""
    board.new("Draft cone with gaps")
    bring_in(board, DEMO / "draft-cone-gaps.igs", "cone")
    board.field("Edges as curves too").select_option("no")
    board.keep()
    board.hand.get_by_role("tab", name="Mend").click()
    expect(board.hand).to_contain_text("largest gap")
    take(board, "mending")


def blocks_in_space(board: Board) -> None:
    """The venturi in space, its plan, a ghost of a butterfly, and advice on a pole."""
    page = board.page
    made = page.request.post(f"{board.address}/api/projects", data={"name": "Dosing venturi"}).json()
    steps = json.loads((DEMO / "dosing-venturi.json").read_text())["steps"]
    page.request.put(f"{board.address}/api/projects/{made['id']}/recipe", data={"base": 0, "steps": steps})
    page.goto(board.address)
    page.get_by_text("Dosing venturi", exact=True).first.click()
    expect(board.stop("Check")).to_contain_text("gate passed")
    board.go("Blocks")
    page.wait_for_timeout(1500)
    take(board, "blocks-in-space")
    page.get_by_role("button", name="Plan", exact=True).click()
    page.get_by_role("button", name="Block B1", exact=True).click()
    page.wait_for_timeout(1500)
    take(board, "plan")
    page.get_by_role("button", name="Plan", exact=True).click()
    board.new("Tube")
    page.keyboard.press("Alt+2")
    page.keyboard.press("f")
    board.field("Width (x)").fill("2")
    board.field("Height (y)").fill("1")
    board.keep()
    page.keyboard.press("v")
    board.keep()
    expect(board.hand).to_contain_text("butterfly core replaces it")
    page.keyboard.press("u")
    board.hand.get_by_label("Blocks by rule").select_option(label="all")
    expect(board.effect).to_contain_text("4 → 5")
    page.wait_for_timeout(1500)
    take(board, "ghost")
    page.keyboard.press("Escape")
    received(board)


def received(board: Board) -> None:
    """A received grid just taken up: what was met, and the advice to take its pole out."""
    page = board.page
    made = page.request.post(f"{board.address}/api/projects", data={"name": "Dewatering bend"}).json()
    place = f"{board.address}/api/projects/{made['id']}"
    data = (DEMO / "dewatering-bend.xyz").read_bytes()
    job = page.request.post(f"{place}/geometry?name=dewatering-bend.xyz", data=data).json()
    while page.request.get(f"{board.address}/api/jobs/{job['id']}").json()["state"] != "done":
        page.wait_for_timeout(200)
    steps = json.loads((DEMO / "dewatering-bend.json").read_text())["steps"][:2]
    page.request.put(f"{place}/recipe", data={"base": 0, "steps": steps})
    page.goto(board.address)
    page.get_by_text("Dewatering bend", exact=True).first.click()
    board.go("Blocks")
    expect(board.hand).to_contain_text("butterfly core replaces it")
    page.wait_for_timeout(1500)
    take(board, "received")
    page.keyboard.press("Escape")


def pump_stage(board: Board) -> None:
    """One passage of the axial pump stage: its blocks, a layer of cells round the vane, its patches."""
    page = board.page
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as file:
        for name in ("axial-stage.json", "stage-vane.csv", "stage-pitch.csv"):
            file.write(DEMO / name, name)
    page.goto(board.address)
    sent = {"name": "axial-stage.zip", "mimeType": "application/zip", "buffer": packed.getvalue()}
    page.get_by_label("Recipe file").set_input_files(sent)
    expect(board.stop("Check")).to_contain_text("gate passed")
    board.go("Blocks")
    page.get_by_role("button", name="See through").click()
    page.mouse.move(640, 330)
    page.mouse.wheel(0, -400)
    take(board, "stage-blocks")
    page.get_by_role("button", name="See through").click()
    board.go("Spacing")
    page.get_by_label("Take tier T2 in hand").click()
    page.get_by_role("button", name="Layer", exact=True).click()
    page.get_by_role("button", name="+y").click()
    page.wait_for_timeout(3000)
    take(board, "stage-spacing")


def handing_off(board: Board) -> None:
    """What holds of a file that was handed off, and the flow of a dry run on it."""
    hand, page = board.hand, board.page
    board.go("Hand-off")
    page.get_by_role("button", name="Outside", exact=True).click()
    hand.get_by_role("button", name="Write the files").click()
    expect(hand).to_contain_text("files are ready")
    proof = hand.get_by_role("group", name=re.compile("^Proof of"))
    proof.get_by_role("button", name="All").click()
    hand.get_by_text("files are ready").scroll_into_view_if_needed()
    take(board, "hand-off")
    proof.get_by_role("button", name="Less").click()
    proof.get_by_role("button", name="Dry run").click()
    expect(proof).to_contain_text("A flow goes through it")
    proof.get_by_role("button", name="Show speed").click()
    expect(page.get_by_text("times that at the inlets")).to_be_visible()
    page.wait_for_timeout(1000)
    take(board, "dry-run")
    proof.get_by_role("button", name="Show speed").click()


def smooth(board: Board) -> None:
    """The pier's smoothing taken up again: what its sides do, in words and in the view."""
    board.go("Smooth")
    board.steps.filter(has_text="Smooth").get_by_role("button", name="1500").click()
    expect(board.hand.get_by_role("region", name="What sides will do")).to_contain_text("first heights")
    take(board, "smooth")
    board.page.keyboard.press("Escape")


def fin(board: Board) -> None:
    """The outfall fin, smoothed: the cells about it, and what the run reached."""
    page = board.page
    page.goto(board.address)
    page.get_by_label("Recipe file").set_input_files(DEMO / "outfall-fin.json")
    expect(board.stop("Check")).to_contain_text("gate passed")
    board.go("Smooth")
    expect(page.get_by_role("table", name="Filled and smoothed")).not_to_contain_text("…")
    board.settled()
    page.mouse.move(637, 333)
    for _ in range(50):  # a notch of the wheel is a step closer
        page.mouse.wheel(0, -100)
    page.mouse.move(700, 700)
    page.wait_for_timeout(2000)
    take(board, "fin")


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, served(Path(data)) as server, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        try:
            take_all(Board(browser.new_page(viewport={"width": 1280, "height": 800}), server.address))
        finally:
            browser.close()


if __name__ == "__main__":
    main()
