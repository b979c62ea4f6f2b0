"""The laser half of the shop in the browser: moves played and stepped, a sheet sent to its machine, settings found."""

import json
import re
import threading
import time

import shapely
from playwright.sync_api import expect

from e2e.browser import BrowserTest
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.laser import Body
from nibble_core.simulators.laser_port import Lies, Running

STENCIL, SIGN = 5, 8
TABLE = "canvas[role=application]"


class LaserTest(BrowserTest):
    with_jobs = True
    shares_server = True

    def open(self, job: int, station: str) -> None:
        self.page.goto(f"{self.nibble.address}/jobs/{job}?station={station}")
        self.settled(self.page)

    def told(self, path: str):
        return json.loads(self.page.request.get(f"{self.nibble.address}/api{path}").text())

    def asked(self, path: str, body: object, way: str = "post"):
        token = next(one["value"] for one in self.page.context.cookies() if one["name"] == "csrftoken")
        answer = getattr(self.page.request, way)(
            f"{self.nibble.address}/api{path}", data=body,
            headers={"X-CSRFToken": token, "Referer": self.nibble.address},
        )  # fmt: skip
        self.assertTrue(answer.ok, answer.text())
        return json.loads(answer.text())

    def change(self, job: int, path: str, value: object) -> None:
        seen = self.told(f"/jobs/{job}")["revision"]["number"]
        self.asked(
            f"/jobs/{job}/changes",
            {"seen": seen, "changes": [{"path": path, "value": value, "operation": "set"}]},
        )

    def machine(self, quick: float, lies: Lies | None = None) -> Running:
        """A simulated laser, connected to the stencil's sheet."""
        running = Running(Body(), quick, lies)
        port = Port(("127.0.0.1", 0), running)
        threading.Thread(target=port.serve_forever, daemon=True).start()
        self.addCleanup(port.server_close)
        self.addCleanup(port.shutdown)
        self.open(STENCIL, "machine")
        self.connect(port.server_address[1])
        self.open(STENCIL, "machine")
        return running

    def connect(self, port: int) -> None:
        """Give the small laser's record in the library a port."""
        record = next(one for one in self.told("/library")["machines"] if one["key"] == "small-laser")
        self.asked("/library/machine/small-laser", {"value": record | {"port": port}}, "put")

    def stands_still(self, laser: Running) -> None:
        """Wait until it has burnt a little, then let its time stand, so that no slow browser comes too late."""
        until = time.monotonic() + 30
        while laser.state()["line"] < 30 and time.monotonic() < until:
            time.sleep(0.05)
        laser.quick = 0.0
        self.assertIn(laser.state()["line"], range(30, 400))

    def start(self, page) -> None:
        """Say yes to the one question before a machine starts."""
        asked = page.get_by_role("dialog", name="Start the machine")
        expect(asked).to_contain_text(re.compile("small laser.*stencil polyester"))
        asked.get_by_role("button", name="Start it").click()

    def test_nothing_starts_unasked_and_every_screen_stops_what_moves(self):
        page, laser = self.page, self.machine(1.0)
        panel = page.get_by_role("region", name="At the machine")
        panel.get_by_role("button", name="Send it").click()
        page.keyboard.press("Enter")  # “Not now” has the focus
        expect(page.get_by_role("dialog")).to_have_count(0)
        self.assertEqual((laser.laser.steps, self.told("/moving")), ([], []))
        panel.get_by_role("button", name="Send it").click()
        self.start(page)
        self.stands_still(laser)
        strip = page.get_by_role("region", name="The small laser, 600 × 400 mm is at work")
        for address in (f"/jobs/{STENCIL}?station=trace", "/library", f"/jobs/{SIGN}", "/"):
            page.goto(f"{self.nibble.address}{address}")
            expect(strip).to_contain_text("is running")
        page.get_by_role("searchbox").first.focus()
        page.keyboard.press("Control+.")
        expect(strip).to_have_count(0)
        self.assertEqual(laser.state()["doing"], "stopped")

    def test_moves_are_played_stepped_and_scrubbed(self):
        page = self.page
        self.open(STENCIL, "machine")
        page.locator(TABLE).click(position={"x": 40, "y": 80})
        page.keyboard.press("m")
        moves = page.get_by_role("group", name="Moves")
        expect(page.get_by_text("at the beginning")).to_be_visible()
        moment = moves.get_by_label("Moment of the run")
        whole = float(moment.get_attribute("max") or 0)
        moment.press("End")
        expect(page.get_by_text("all is done; 12 of 12 cut free")).to_be_visible()
        page.locator(TABLE).focus()
        page.keyboard.press(",")  # the way home
        page.keyboard.press(",")
        expect(page.get_by_text(re.compile("1[01] of 12 cut free"))).to_be_visible()
        moment.fill("0")
        expect(page.get_by_text("0 of 12 cut free")).to_be_visible()
        moves.get_by_label("Pace").select_option("300")
        page.locator(TABLE).press("Enter")
        expect(page.get_by_text("all is done; 12 of 12 cut free")).to_be_visible()
        self.assertAlmostEqual(float(moment.input_value()), whole, delta=0.5)
        drawn = page.evaluate(
            """() => [...document.querySelectorAll("canvas")].filter((one) => one.ariaHidden).map((one) =>
                one.getContext("2d").getImageData(0, 0, one.width, one.height).data.filter((v, k) => k % 4 === 3 && v)
                    .length)"""
        )
        self.assertGreater(drawn[0], 2000, "what was burnt is drawn")

    def test_a_sheet_is_sent_held_backed_up_and_done(self):
        page, laser = self.page, self.machine(1.0)
        panel = page.get_by_role("region", name="At the machine")
        expect(panel.get_by_text(re.compile("Begun now, it is done at"))).to_be_visible()
        panel.get_by_role("button", name="Send it").click()
        self.start(page)
        self.stands_still(laser)
        panel.get_by_role("button", name="Pause").click()
        expect(panel.get_by_text("Held, the beam off.")).to_be_visible()
        panel.get_by_role("button", name="Back 20 mm").click()
        laser.quick = 2000.0
        panel.get_by_role("button", name="Go on").click()
        expect(panel.get_by_text("Done.")).to_be_visible()
        told = laser.command("report")
        self.assertEqual(told["complaints"], [])
        self.assertEqual(len(told["dropped"]), 12)

    def test_a_run_that_broke_off_goes_on_at_its_last_path(self):
        page, laser = self.page, self.machine(1.0)
        panel = page.get_by_role("region", name="At the machine")
        panel.get_by_role("button", name="Send it").click()
        self.start(page)
        self.stands_still(laser)
        expect(panel.get_by_text(re.compile("line [1-9][0-9]+ of"))).to_be_visible()
        panel.get_by_role("button", name="Stop").click()
        expect(panel.get_by_text("Broken off. Stopped.")).to_be_visible()
        laser.quick = 2000.0
        panel.get_by_role("button", name="Go on at the last finished path").click()
        self.start(page)
        expect(panel.get_by_text("Done.")).to_be_visible()
        self.assertEqual(len(laser.command("report")["dropped"]), 12)

    def test_the_head_is_shown_where_it_is_on_a_sheet_that_lies_askew(self):
        lies = Lies((2.0, 1.5), 0.4)
        laser = self.machine(1.0, lies)
        self.change(STENCIL, "sheets/s1/stock/printable", True)
        self.addCleanup(self.change, STENCIL, "sheets/s1/stock/printable", False)
        self.change(STENCIL, "pieces/p1/layers/l1/prints", "the artwork")
        self.addCleanup(self.change, STENCIL, "pieces/p1/layers/l1/prints", "nothing")
        here = f"/jobs/{STENCIL}/sheets/s1"
        found = self.asked(f"{here}/camera", {})["found"]
        self.asked(f"{here}/run", {"found": found})
        self.stands_still(laser)
        until = time.monotonic() + 10
        while (run := self.told(f"{here}/run"))["done"] != laser.state()["line"] and time.monotonic() < until:
            time.sleep(0.05)
        self.assertEqual(run["done"], laser.state()["line"])  # though its buffer is full
        way = shapely.LineString([step.place(k / 32) for step in laser.laser.steps for k in range(33)])
        self.assertLess(way.distance(shapely.Point(lies.seen(run["x"], run["y"]))), 0.05)
        self.asked(f"{here}/run/command", {"what": "stop"})

    def test_nobody_at_the_port_is_told(self):
        page = self.page
        self.open(STENCIL, "machine")
        self.change(STENCIL, "sheets/s1/machine/port", 5432)  # a ticket does not choose what is written to
        self.connect(1234)
        self.open(STENCIL, "machine")
        page.get_by_role("region", name="At the machine").get_by_role("button", name="Send it").click()
        self.start(page)
        expect(page.get_by_text("No machine answers at 127.0.0.1, port 1234.")).to_be_visible()

    def test_a_cell_of_a_swatch_and_a_slot_of_a_comb_become_settings(self):
        page = self.page
        self.open(STENCIL, "machine")
        found = page.get_by_role("region", name="Find the settings on a scrap")
        found.get_by_role("button", name="A test swatch, a kerf comb").click()
        found.get_by_label("Try").select_option("through cut")
        with page.expect_download() as saved:
            found.get_by_text("The swatch as G-code").click()
        self.assertIn("swatch-through-cut.gcode", saved.value.suggested_filename)
        found.get_by_role("button", name="Take 40 % and 200").click()
        own = "sheets/s1/settings/through/how"
        expect(self.slot(page, f"{own}/power")).to_contain_text("40 %")
        expect(self.slot(page, f"{own}/speed")).to_contain_text("200")
        found.get_by_label("Thickness, mm, as measured").fill("0.5")
        found.get_by_role("button", name="A kerf of 0.25 mm").click()
        expect(self.slot(page, f"{own}/kerf")).to_contain_text("0.25 mm")
        kept = [one for one in self.told("/library")["settings"]
                if (one["machine"], one["stock"]) == ("small-laser", "stencil-polyester-300")]  # fmt: skip
        cut = next(one for one in kept[0]["settings"] if one["process"] == "through cut")
        self.assertEqual((cut["how"]["power"], cut["how"]["speed"]), (0.4, 200))

    def test_ways_to_engrave_are_laid_side_by_side_and_one_is_taken(self):
        page = self.page
        self.open(SIGN, "lines")
        page.get_by_role("button", name="ways and their minutes").first.click()
        ways = page.get_by_role("dialog", name="Ways to engrave it")
        card = ways.get_by_role("button", name="by hatching, 0.2 mm apart")
        expect(card).to_contain_text(re.compile(r"\d+\.\d minutes"))
        card.click()
        expect(page.get_by_role("button", name="way of engraving: by hatching")).to_be_visible()
        page.locator(TABLE).click(position={"x": 40, "y": 60})
        page.keyboard.press("e")
        expect(page.get_by_text("darkest is burnt twice")).to_be_visible()
