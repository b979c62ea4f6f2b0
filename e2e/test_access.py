"""Everybody can use every main view: nothing that axe knows to be wrong; a dialog holds the keyboard and gives it back;
whoever is signed out in the middle goes on after signing in."""

import json
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from e2e.browser import BrowserTest

AXE = Path(__file__).resolve().parent.parent / "web/node_modules/axe-core/axe.min.js"
RULES = {"runOnly": {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]},
         "resultTypes": ["violations"]}  # fmt: skip


def faults(page: Page) -> list[str]:
    """What axe finds wrong on the page, each with the first place."""
    page.evaluate(AXE.read_text())  # as a page of a strict policy lets no script tag in
    told = page.evaluate("(rules) => axe.run(document, rules)", RULES)
    return [f"{one['id']}: {one['help']} ({len(one['nodes'])}): {one['nodes'][0]['html'][:160]}"
            for one in told["violations"]]  # fmt: skip


class AccessTest(BrowserTest):
    with_jobs = shares_server = True

    def test_nothing_is_wrong_on_any_main_view(self):
        page = self.page
        page.goto(self.nibble.address)
        expect(page.locator("[data-job]").first).to_be_visible()
        self.assertEqual(faults(page), [])
        for job, stations in ((1, ("artwork", "clean", "trace", "lines", "sheet", "machine")), (6, ("lines", "sheet"))):
            page.goto(f"{self.nibble.address}/jobs/{job}")
            for station in stations:
                with self.subTest(f"job {job}, {station}"):
                    self.go(page, station)
                    self.settled(page)
                    self.assertEqual(faults(page), [])
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        self.assertEqual(faults(page), [])
        page.goto(f"{self.nibble.address}/jobs/1/ticket")
        expect(page.get_by_role("heading", name="The machine")).to_be_visible()
        self.assertEqual(faults(page), [])
        page.goto(f"{self.nibble.address}/library")
        for record in ("navy shirt film", "desk cutter"):
            with self.subTest(record):
                page.get_by_role("button", name=record).click()
                expect(page.get_by_role("heading", name=record)).to_be_visible()
                self.assertEqual(faults(page), [])

    def test_what_is_laid_over_the_table_holds_the_keyboard_and_gives_it_back(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/3?station=trace")
        self.settled(page)
        opener = page.get_by_role("button", name="Lay try-outs side by side")
        opener.focus()
        page.keyboard.press("Enter")
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("button", name="Back to the table")).to_be_focused()
        for _ in range(30):
            page.keyboard.press("Tab")
            self.assertTrue(page.evaluate("() => document.activeElement.closest('[role=dialog]') !== null"))
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        expect(opener).to_be_focused()

    def test_who_is_signed_out_meanwhile_signs_in_and_goes_on(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/2?station=lines")
        self.settled(page)
        cookies = page.context.cookies()
        page.context.clear_cookies(name="sessionid")
        self.slot(page, "pieces/p1/layers/l1/lines/k1/offset/distance").click()
        page.keyboard.type("2")
        expect(page.get_by_label("Password")).to_be_visible()
        page.context.add_cookies(cookies)
        page.reload()
        self.settled(page)
        expect(self.slot(page, "pieces/p1/layers/l1/lines/k1/offset/distance")).to_have_text("1.5 mm")


class SharedSheetTest(BrowserTest):
    with_jobs = True

    def test_two_layers_share_a_sheet_and_part_again(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/4?station=sheet")
        self.settled(page)
        page.get_by_role("button", name="bring oars, teal onto this sheet").click()
        expect(page.get_by_text("Lay 9 oars, navy and 9 oars, teal on", exact=False)).to_be_visible()
        self.settled(page)
        expect(page.locator("[data-station=sheet]")).to_contain_text("18 copies")
        # a nest of several kinds is looked for until its time is up, here as long as may be, or until it is stopped
        page.route("**/nest", lambda route: route.continue_(post_data=json.dumps({"seconds": 60})))
        page.get_by_role("button", name="Nest as tight as they go").click()
        page.get_by_role("button", name="Keep the best so far").click()
        expect(self.slot(page, "sheets/s1/arrangement")).to_have_text("as placed")
        self.settled(page)
        expect(page.locator("[data-station=sheet]")).to_contain_text("18 copies")
        page.get_by_role("button", name="give oars, navy a sheet of its own").click()
        expect(page.get_by_role("button", name="bring oars, navy onto this sheet")).to_be_visible()
        for _ in range(3):
            page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="bring oars, teal onto this sheet")).to_be_visible()

    def test_pairs_that_interlock_take_less_of_the_roll(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/1?station=sheet")
        self.settled(page)
        tile = page.locator("[data-station=sheet]")

        def length() -> float:
            told = re.search(r"120 copies, ([\d.]+) (mm|m)", tile.inner_text())
            self.assertIsNotNone(told, tile.inner_text())
            return float(told[1]) * (1000 if told[2] == "m" else 1)

        self.slot(page, "sheets/s1/arrangement").click()
        page.get_by_role("option", name="a grid").click()
        expect(page.locator("[data-revision='2']")).to_be_visible()
        self.settled(page)
        before = length()
        self.slot(page, "sheets/s1/arrangement").click()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(page.locator("[data-revision='3']")).to_be_visible()
        self.settled(page)
        self.assertLess(length(), 0.75 * before)
