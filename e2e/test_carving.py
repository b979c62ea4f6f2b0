"""Carved signs in the browser: the board in relief, its section, what is made so far, depths and cutters changed."""

import re

from playwright.sync_api import expect

from e2e.browser import BrowserTest

NAME_BOARD, ROUTER = 12, "board router"


class CarvingTest(BrowserTest):
    with_jobs = True
    shares_server = True

    def carved(self) -> None:
        self.page.goto(f"{self.nibble.address}/jobs/{NAME_BOARD}?station=machine")
        self.settled(self.page)
        self.page.get_by_role("group", name="Views").get_by_role("button", name="Carved").click()

    def board(self) -> list[int]:
        """Grey levels of the view's middle, without its bars."""
        self.page.wait_for_timeout(150)
        levels: list[int] = self.page.evaluate(
            """() => { const c = document.querySelector('canvas[aria-label^="The carved board;"]');
                const d = c.getContext('2d').getImageData(0, c.height / 4, c.width, c.height / 3).data;
                const levels = []; for (let i = 1; i < d.length; i += 4) levels.push(d[i]); return levels; }"""
        )
        return levels

    def test_the_board_is_seen_in_relief_lit_from_all_sides_and_made_move_by_move(self):
        page = self.page
        self.carved()
        expect(
            page.get_by_role("img", name=re.compile(r"^The carved board; its deepest place lies .* mm"))
        ).to_be_visible()
        # the notes beside it, longer than the window, do not make the page longer
        self.assertEqual(page.evaluate("document.documentElement.scrollHeight - innerHeight"), 0)
        whole = self.board()
        self.assertGreater(len(set(whole)), 20)  # walls in many shades, not a flat picture
        light = page.get_by_role("slider", name="Light from")
        light.focus()
        for _ in range(18):
            page.keyboard.press("ArrowRight")
        self.assertNotEqual(self.board(), whole)
        with page.expect_response(lambda answer: "share=0&" in answer.url or answer.url.endswith("share=0")):
            page.get_by_role("slider", name="Made so far").press("Home")
        for _ in range(40):  # until it is drawn
            shades = len(set(self.board()))
            if shades <= 3:
                break
        self.assertLessEqual(shades, 3)  # wood that nothing has touched, and the table
        page.get_by_role("slider", name="Made so far").press("End")

    def test_a_shallower_groove_is_told_by_the_figures_and_undone(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/{NAME_BOARD}?station=lines")
        self.settled(page)
        slot = page.locator("[data-path$='/process/deepest']").first
        before = slot.inner_text()
        slot.click()
        page.keyboard.type("2.5")
        page.keyboard.press("Enter")
        self.settled(page)
        self.assertIn("2.5", slot.inner_text())
        page.keyboard.press("Control+z")
        self.settled(page)
        self.assertEqual(slot.inner_text(), before)

    def test_a_cutter_of_the_rack_is_changed_and_a_wrong_one_refused(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name=re.compile(ROUTER)).click()
        angle = page.get_by_label("Angle of the point")
        expect(angle).to_have_value("60")
        angle.fill("0")
        self.assertEqual(angle.evaluate("field => field.validationMessage"), "It can be 5 to 170.")
        expect(page.get_by_role("button", name="Keep these values")).to_be_disabled()
        angle.fill("90")
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("button", name="Keep these values")).to_be_disabled()
        page.reload()
        page.get_by_role("button", name=re.compile(ROUTER)).click()
        expect(page.get_by_label("Angle of the point")).to_have_value("90")
