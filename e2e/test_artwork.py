"""What an operator does with a client's drawing: verdict, cleaning by hand, touch-ups, try-outs, files."""

import re

from playwright.sync_api import expect

from demo.loose_files import draw_loose_file
from e2e.browser import BrowserTest
from nibble_core.formats.svg_reader import read_svg


class ArtworkTest(BrowserTest):
    shares_server = True

    def start(self, name: str, kind: str) -> None:
        self.page.goto(self.nibble.address)
        self.drop(self.page, name, draw_loose_file(name), kind)
        self.page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(self.page)

    def at(self, x: float, y: float) -> None:
        """Move to a share of the table."""
        box = self.page.get_by_role("application").bounding_box()
        assert box
        self.page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"])

    def test_a_picture_is_judged_traced_in_colours_and_touched_up(self):
        page = self.page
        self.start("lighthouse.jpg", "image/jpeg")
        expect(page.get_by_text("5 flat colours")).to_be_visible()
        page.get_by_role("button", name="Trace colours").click()
        self.settled(page)
        self.go(page, "trace")
        shapes = page.locator("[data-region]")
        expect(shapes).to_have_count(11)
        with self.subTest("a region goes with all of its colour and comes back by undo"):
            page.get_by_role("button", name="all of this colour").click()
            self.at(0.5, 0.85)
            page.mouse.down()
            page.mouse.up()
            expect(page.get_by_text("every region of this colour")).to_be_visible()
            self.settled(page)
            page.keyboard.press("Control+z")
            expect(page.get_by_text("every region of this colour")).to_have_count(0)
            self.settled(page)
        with self.subTest("an eraser stroke is a sentence"):
            page.locator("[data-tool='rub out']").click()
            self.at(0.4, 0.84)
            page.mouse.down()
            self.at(0.6, 0.86)
            page.mouse.up()
            self.settled(page)
            expect(page.locator("[data-sentence*='/strokes/'], [data-sentence*='/touch_ups/']").first).to_be_visible()
        with self.subTest("the worst place is marked in mm and px"):
            page.get_by_role("button", name="Deviation").click()
            expect(page.get_by_text(re.compile(r"Worst [\d.]+ mm, [\d.]+ px"))).to_be_visible()

    def test_a_click_is_shown_before_it_takes_and_an_area_is_traced_alone(self):
        page = self.page
        self.start("crossed-oars.png", "image/png")
        self.go(page, "clean")
        page.locator("[data-tool=places]").click()
        self.at(0.5, 0.5)
        self.at(0.501, 0.5)
        expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(1)  # a preview is on the table
        expect(page.locator("[data-revision='1']")).to_be_visible()
        self.at(0.02, 0.02)
        self.settled(page)
        self.go(page, "trace")
        page.locator("[data-tool=area]").click()
        self.at(0.3, 0.1)
        page.mouse.down()
        self.at(0.5, 0.95)
        page.mouse.up()
        expect(page.get_by_text("down is traced.")).to_be_visible()
        self.settled(page)
        page.get_by_role("button", name="take back").click()
        expect(page.get_by_text("down is traced.")).to_have_count(0)

    def test_try_outs_are_laid_side_by_side_and_one_is_taken(self):
        page = self.page
        self.start("crossed-oars.png", "image/png")
        self.go(page, "trace")
        page.get_by_role("button", name="Lay try-outs side by side").click()
        cards = page.locator("[data-try-out]")
        expect(cards).to_have_count(6)
        expect(page.get_by_text(re.compile(r"\d+ nodes, worst"))).to_have_count(6)
        cards.nth(3).click()
        expect(page.get_by_role("dialog", name="Try-outs")).to_have_count(0)
        expect(page.locator("[data-revision='2']")).to_be_visible()
        page.get_by_role("button", name="Lay try-outs side by side").click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog", name="Try-outs")).to_have_count(0)

    def test_a_drawing_keeps_its_own_paths_and_leaves_as_files(self):
        page = self.page
        self.start("boat-sign.svg", "image/svg+xml")
        expect(page.get_by_text("10 paths of the client’s own")).to_be_visible()
        expect(page.get_by_text("Text in Pierhead Sans has no outlines")).to_be_attached()
        self.go(page, "trace")
        expect(page.get_by_role("button", name="Deviation")).to_have_count(0)
        with page.expect_download() as waiting:
            page.get_by_role("link", name="SVG").click()
        drawing = read_svg(waiting.value.path().read_bytes()).drawing
        self.assertAlmostEqual(drawing.width, 120, delta=0.01)
        self.assertIn((41, 132, 139), {shape.colour for shape in drawing.shapes})

    def test_a_node_is_dragged_and_pins_its_region(self):
        page = self.page
        self.start("boat-sign.svg", "image/svg+xml")
        self.go(page, "trace")
        page.locator("[data-tool=nodes]").click()
        self.at(0.485, 0.43)
        page.mouse.down()
        page.mouse.up()
        grip = page.locator("[data-node]").first
        expect(grip).to_be_attached()
        x, y = grip.evaluate("e => { const r = e.getBoundingClientRect(); return [r.x, r.y]; }")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 20, y - 15, steps=4)
        page.mouse.up()
        self.settled(page)
        expect(page.get_by_text("Outline set")).to_be_visible()
