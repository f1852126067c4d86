"""The board as a user handles it: stages, verbs, forms, and picking in the view."""

import io
import re

from PIL import Image
from playwright.sync_api import Locator, Page, expect

#: The channel of the demo: width and height of what the view fits.
EXTENT = (9.0, 5.0)


class Board:
    def __init__(self, page: Page, address: str) -> None:
        self.page, self.address = page, address

    def new(self, name: str) -> None:
        self.page.goto(self.address)
        self.page.get_by_label("Name of the new project").fill(name)
        self.page.keyboard.press("Enter")
        self.page.get_by_text("An empty project", exact=True).wait_for()

    def channel(self, name: str, cuts: dict[str, str]) -> None:
        """Make a project with a channel of 9 by 5, cut at values along axes, in the Blocks stage."""
        self.new(name)
        self.page.keyboard.press("Alt+2")
        self.page.keyboard.press("f")
        self.field("Width (x)").fill("9")
        self.field("Height (y)").fill("5")
        self.keep()
        for axis, values in cuts.items():
            self.page.keyboard.press("c")
            self.field("At").select_option(axis)
            self.field("Values").fill(values)
            self.keep()

    def box(self, name: str, width: str, height: str, depth: str) -> None:
        """Make a project with a block in space, in the Blocks stage."""
        self.new(name)
        self.page.keyboard.press("Alt+2")
        self.page.keyboard.press("f")
        self.field("Shape").select_option("box")
        self.field("Width (x)").fill(width)
        self.field("Height (y)").fill(height)
        self.field("Depth (z), or length of the cylinder").fill(depth)
        self.keep()

    def demo(self, name: str) -> None:
        self.page.goto(self.address)
        self.page.get_by_label("Name of the new project").fill(name)
        self.page.get_by_role("button", name="Start from the demo").click()
        expect(self.stop("Check")).to_contain_text("gate passed")

    def drag(self, handle: Locator, up: float) -> None:
        """Drag a handle up by pixels, once it stands still: what is new on the screen may still move."""
        handle.hover()
        box = handle.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.down()
        self.page.mouse.move(x, y - up, steps=4)
        self.page.mouse.up()

    def stop(self, stage: str) -> Locator:
        return self.page.get_by_role("navigation").get_by_role("button", name=stage)

    def go(self, stage: str) -> None:
        self.stop(stage).click()

    @property
    def steps(self) -> Locator:
        return self.page.locator("[data-step]")

    @property
    def hand(self) -> Locator:
        return self.page.get_by_role("complementary", name="In hand")

    @property
    def effect(self) -> Locator:
        return self.page.get_by_label("If you keep this")

    def field(self, label: str) -> Locator:
        return self.hand.get_by_label(label, exact=True)

    def keep(self) -> None:
        """Keep the draft by Enter and wait until the recipe holds one step more, or the change."""
        count = self.steps.count()
        new = self.hand.get_by_role("button", name=re.compile("Keep step")).count() > 0
        self.page.keyboard.press("Enter")
        expect(self.hand.get_by_role("button", name=re.compile("Keep (step|change)"))).to_have_count(0)
        expect(self.steps).to_have_count(count + new)
        self.settled()

    def settled(self) -> None:
        """Wait until the model of what was kept is on the screen."""
        self.page.evaluate("calm = 0")
        self.page.wait_for_function(
            """() => {
                const busy = document.querySelector("main").ariaBusy === "true";
                calm = busy ? 0 : calm || performance.now();
                return calm && performance.now() - calm > 200;
            }"""
        )  # asked at each frame: the view draws what has come before it can be picked

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Give the pixel of a place, while the view shows the whole channel from above."""
        box = self.page.locator("canvas").bounding_box()
        assert box is not None
        zoom = 0.84 * min(box["width"] / EXTENT[0], (box["height"] - 90) / EXTENT[1])
        return (
            box["x"] + box["width"] / 2 + zoom * (x - EXTENT[0] / 2),
            box["y"] + box["height"] / 2 - zoom * (y - EXTENT[1] / 2),
        )

    def colour(self, x: float, y: float) -> str:
        """Give the colour of the pixel of a place."""
        at_x, at_y = self.place(x, y)
        clip = {"x": round(at_x), "y": round(at_y), "width": 1, "height": 1}
        picture = Image.open(io.BytesIO(self.page.screenshot(clip=clip))).convert("RGB")
        return "#{:02x}{:02x}{:02x}".format(*picture.getpixel((0, 0)))

    def click(self, x: float, y: float, **options: object) -> None:
        self.page.mouse.click(*self.place(x, y), **options)  # type: ignore[arg-type]

    def pick(self, canvas: Locator, x: float, y: float, extent: tuple[float, float, float, float]) -> None:
        """Click a place, while the view shows all of an extent (low x, low y, high x, high y) from above."""
        box = canvas.bounding_box()
        assert box is not None
        low_x, low_y, high_x, high_y = extent
        zoom = 0.84 * min(box["width"] / (high_x - low_x), (box["height"] - 90) / (high_y - low_y))
        self.page.mouse.click(
            box["x"] + box["width"] / 2 + zoom * (x - 0.5 * (low_x + high_x)),
            box["y"] + box["height"] / 2 - zoom * (y - 0.5 * (low_y + high_y)),
        )
