"""Hand-off: formats with their options, proof, dry run, what was made before, and plane grids; and grids received."""

import io
import re
import zipfile

from playwright.sync_api import expect

from tests.browser.board import Board
from tests.conftest import DEMO

#: The colours of outer edges without a name, and of the first patch.
UNNAMED, FIRST_PATCH = "#a3243b", "#4f8fc0"


def test_a_grid_leaves_in_chosen_formats_is_proved_solved_on_and_listed(board: Board, tmp_path):
    page = board.page
    board.demo("Weir")
    board.go("Hand-off")
    hand = board.hand
    formats = hand.get_by_role("group", name="Formats")
    assert formats.get_by_label("CGNS", exact=True).is_checked()
    expect(formats.get_by_label("PLOT3D: Form")).to_have_count(0)
    formats.get_by_text("PLOT3D").click()
    formats.get_by_label("PLOT3D: Form").select_option("Fortran records")
    formats.get_by_label("PLOT3D: Byte order").select_option("big-endian")
    hand.get_by_role("button", name="Write the files").click()
    expect(hand).to_contain_text("files are ready")
    for file in ("weir.cgns", "weir.xyz"):
        expect(hand.get_by_role("group", name=f"Proof of {file}")).to_contain_text("hold")
    proof = hand.get_by_role("group", name="Proof of weir.cgns")
    proof.get_by_role("button", name="All").click()
    found = proof.get_by_role("list", name="What holds of weir.cgns")
    expect(found).to_contain_text("equal to the bit")
    expect(found.get_by_label("does not hold")).to_have_count(0)
    proof.get_by_role("button", name="Dry run").click()
    expect(proof).to_contain_text("A flow goes through it")
    expect(proof.get_by_role("list", name="What the dry run found")).to_contain_text("inflow -9, outflow +9")
    proof.get_by_role("button", name="Show speed").click()
    expect(page.get_by_text("times that at the inlets")).to_be_visible()
    proof.get_by_role("button", name="Show potential").click()
    expect(page.get_by_text(re.compile("^potential: "))).to_be_visible()
    proof.get_by_role("button", name="Show potential").click()
    expect(page.get_by_text("at the inlets")).to_have_count(0)
    made = hand.get_by_role("region", name="Made before")
    expect(made).to_contain_text(re.compile(r"cgns, plot3d; 144.096 cells in m"))
    with page.expect_download() as caught:
        made.get_by_role("link", name="weir.zip").click()
    caught.value.save_as(tmp_path / "weir.zip")
    with zipfile.ZipFile(tmp_path / "weir.zip") as archive:
        assert {"weir.cgns", "weir.xyz", "weir.map.json", "weir.map.csv", "report.md"} == set(
            archive.namelist()
        )
        # A big-endian record of four bytes around the number of blocks.
        assert archive.read("weir.xyz")[:12] == bytes([0, 0, 0, 4, 0, 0, 0, 12, 0, 0, 0, 4])
    page.reload()
    board.go("Hand-off")
    formats = board.hand.get_by_role("group", name="Formats")
    expect(formats.get_by_label("PLOT3D: Byte order")).to_have_value("big-endian")  # as it was done last


def test_hand_offs_are_held_against_each_other(board: Board):
    page = board.page
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1}
    walls = {"kind": "patch", "id": "w", "name": "walls", "faces": {"rest": True}}
    made = page.request.post(f"{board.address}/api/projects", data={"name": "Three times"}).json()["id"]
    place = f"{board.address}/api/projects/{made}"
    for state, cut in enumerate(([], [0.5], [0.5, 1])):
        cuts = [{"kind": "cut", "id": "c", "by": "x", "at": cut}] if cut else []
        wish = {"base": state, "steps": [frame, *cuts, walls]}
        assert page.request.put(f"{place}/recipe", data=wish).ok
        job = page.request.post(f"{place}/handoffs", data={}).json()
        while page.request.get(f"{board.address}/api/jobs/{job['id']}").json()["state"] != "done":
            page.wait_for_timeout(200)
    page.goto(board.address)
    page.get_by_text("Three times", exact=True).first.click()
    board.go("Hand-off")
    third, second, first = (board.hand.get_by_role("group", name=f"Hand-off of state {n}") for n in (3, 2, 1))
    expect(third).to_contain_text("against state 2")
    expect(third).to_contain_text("blocks 2 → 3")
    expect(second).to_contain_text("blocks 1 → 2")
    expect(first).not_to_contain_text("against")
    first.get_by_role("button", name="Compare with this").click()
    expect(third).to_contain_text("against state 1")
    expect(third).to_contain_text("blocks 1 → 3")
    first.get_by_role("button", name="Against the one before").click()
    expect(third).to_contain_text("blocks 2 → 3")


def test_a_plane_grid_leaves_as_one(board: Board):
    board.channel("Plane weir", {"x": "1"})
    board.go("Hand-off")
    hand, south = board.hand, (4.7, 0.0)  # beside the name
    board.settled()
    assert board.colour(*south) == UNNAMED
    board.page.keyboard.press("u")
    board.field("Name").fill("slot")
    hand.get_by_label("Sides by rule").select_option(label="side y-")
    board.field("Centre").fill("5, 0")
    board.field("Radius").fill("50 cm")
    expect(board.effect).to_contain_text("blocks 2 → 4")
    board.keep()
    assert board.colour(*south) == FIRST_PATCH
    hand.get_by_role("button", name="Name all the rest").click()
    board.field("Name").fill("banks")
    board.keep()
    assert UNNAMED not in (board.colour(x, y) for x, y in ((3, 0), (7, 0), (0, 2), (9, 2), (4, 5)))
    formats = hand.get_by_role("group", name="Formats")
    expect(formats.get_by_label("XDMF")).to_be_disabled()
    expect(formats.get_by_label("PLOT3D")).to_be_enabled()
    hand.get_by_role("button", name="Write the files").click()
    expect(hand.get_by_role("group", name="Proof of plane-weir.cgns")).to_contain_text("hold")
    hand.get_by_role("button", name="Dry run").click()
    expect(hand.get_by_role("list", name="What the dry run found")).to_contain_text("solved on one cell deep")


def test_a_received_grid_with_a_pole_is_cured_and_its_patches_are_named(board: Board):
    page, hand = board.page, board.hand
    board.new("Received bend")
    page.keyboard.press("Alt+2")
    page.keyboard.press("j")
    hand.get_by_label("Grid file from disk").set_input_files(DEMO / "draft-cone.step")
    expect(hand).to_contain_text("take a grid, and where it consists of several files a ZIP file of them")
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.write(DEMO / "dewatering-bend.xyz", "grids/bend.xyz")
    sent = {"name": "bend.zip", "mimeType": "application/zip", "buffer": packed.getvalue()}
    hand.get_by_label("Grid file from disk").set_input_files(sent)
    expect(hand).to_contain_text("9 600 cells, 2 blocks")
    hand.get_by_role("button", name="in mm").click()
    board.field("Close gaps up to").fill("0.1 mm")
    expect(board.effect).to_contain_text("left-handed, and turned round: block1")
    board.keep()
    expect(board.stop("Blocks")).to_contain_text("8 blocks")
    page.get_by_label("Recipe").get_by_text("left-handed").get_by_role("button", name="Show me").click()
    expect(hand).to_contain_text("4 blocks")
    page.keyboard.press("Escape")
    expect(board.stop("Check")).to_contain_text("below gate")
    hand.get_by_role("button", name="Take it").click()
    expect(board.stop("Blocks")).to_contain_text("10 blocks")
    expect(board.stop("Check")).to_contain_text("gate passed")
    board.go("Hand-off")
    hand.get_by_role("button", name="Name by angle").click()
    board.keep()
    expect(board.stop("Hand-off")).to_contain_text("3 patches, all named")
    hand.get_by_role("button", name="Show part-2 alone").click()
    expect(hand.get_by_role("button", name="Show part-2 alone")).to_have_attribute("aria-pressed", "true")
    hand.get_by_title("Change its name or type").first.click()
    board.field("New name").fill("inlet")
    board.field("Type").select_option("inlet")
    board.keep()
    expect(hand.get_by_title("Change its name or type").first).to_contain_text("inlet")
    expect(board.stop("Hand-off")).to_contain_text("3 patches, all named")
