"""Carved signs in the browser: the board in relief, its section, what is made so far, depths and cutters changed."""

import json
import re
import threading

from playwright.sync_api import expect

from e2e.browser import BrowserTest
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.router import Cutter, Stage
from nibble_core.simulators.router_port import Running

NAME_BOARD, OARS, ROUTER = 12, 13, "board router"


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
        made = page.get_by_role("slider", name="Made so far")
        made.press("End")
        page.get_by_role("button", name="Play", exact=True).click()  # from the beginning, cut by cut
        expect(made).to_have_attribute("aria-valuetext", re.compile("^[4-9] per cent|^[1-4][0-9] per cent"))
        page.get_by_role("button", name="Pause", exact=True).click()
        held = made.input_value()
        page.wait_for_timeout(600)
        self.assertEqual(made.input_value(), held)

    def test_a_clamp_is_drawn_moved_typed_and_taken_away(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/{NAME_BOARD}?station=machine")
        self.settled(page)
        page.get_by_role("button", name="Clamp", exact=True).click()
        table = page.get_by_role("application").bounding_box()
        assert table is not None
        x, y = table["x"] + 0.25 * table["width"], table["y"] + 0.4 * table["height"]
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y + 40, steps=6)
        page.mouse.up()
        expect(page.locator("[data-clamp]")).to_have_count(1)
        expect(page.locator("[data-station='machine']")).to_contain_text("blocked")  # its rim is cleared there
        across = page.get_by_role("spinbutton", name="place across")
        was = float(across.get_attribute("aria-valuenow") or "0")
        grip = page.get_by_role("button", name="Move clamp 1")
        grip.focus()
        page.keyboard.press("Shift+ArrowRight")
        expect(across).to_have_attribute("aria-valuenow", str(round(was + 5, 1)))
        down = page.get_by_role("spinbutton", name="place down").get_attribute("data-path") or ""
        self.type_into(page, down, "320")
        expect(page.locator("[data-station='machine']")).not_to_contain_text("blocked")  # in the waste
        grip.focus()
        page.keyboard.press("Delete")
        expect(page.locator("[data-clamp]")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(page.locator("[data-clamp]")).to_have_count(1)
        grip.focus()
        page.keyboard.press("Delete")  # other tests share this board
        expect(page.locator("[data-clamp]")).to_have_count(0)

    def router(self) -> Running:
        """A simulated router, connected to the record in the library."""
        api = f"{self.nibble.address}/api/library"
        record = next(
            one for one in json.loads(self.page.request.get(api).text())["machines"] if one["key"] == "board-router"
        )
        rack = {
            number: Cutter(
                one["kind"], one["diameter"], one["angle"], one["tip"], feed=one["feed"], plunge=one["plunge"]
            )
            for number, one in enumerate(record["head"]["cutters"], 1)
        }
        running = Running(Stage(690.0, 290.0, 18.0), rack, 2000.0, 0.5)
        port = Port(("127.0.0.1", 0), running)
        threading.Thread(target=port.serve_forever, daemon=True).start()
        self.addCleanup(port.server_close)
        self.addCleanup(port.shutdown)
        answer = self.page.request.put(
            f"{api}/machine/board-router", data={"value": record | {"port": port.server_address[1]}},
            headers=self.changing(),
        )  # fmt: skip
        self.assertTrue(answer.ok, answer.text())
        return running

    def test_a_board_is_sent_to_its_router_and_comes_out_whole(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/{OARS}?station=machine")
        self.settled(page)
        router = self.router()
        page.reload()
        panel = page.get_by_role("region", name="At the machine")
        panel.get_by_role("button", name="Send it").click()
        asked = page.get_by_role("dialog", name="Start the machine")
        expect(asked).to_contain_text(re.compile("board router.*oak board"))
        asked.get_by_role("button", name="Start it").click()
        expect(panel.get_by_text("Done.")).to_be_visible(timeout=90_000)
        told = router.command("report")
        self.assertEqual((told["complaints"], told["loose"]), ([], []))  # its tabs hold it
        self.assertAlmostEqual(told["deepest_mm"], 18.3, delta=0.05)

    def test_a_groove_gets_a_plug_that_is_one_step_and_undone(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/{NAME_BOARD}?station=lines")
        self.settled(page)
        groove = page.locator("[data-sentence='pieces/p1/layers/l1/lines/k2']")
        groove.get_by_role("button", name="make its plug").click()
        rail = page.get_by_role("button", name=re.compile("^name board plug"))
        expect(rail).to_be_visible()
        self.settled(page)
        rail.click()
        sentence = page.locator("[data-sentence$='/lines/k1']")
        expect(sentence).to_contain_text("all round them up to through cut")
        expect(sentence.get_by_role("button", name="make its plug")).to_have_count(0)
        self.go(page, "sheet")
        expect(page.get_by_text("it is turned over, or seen from behind")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(rail).to_have_count(0)

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
