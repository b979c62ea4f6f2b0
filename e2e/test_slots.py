"""A value that is typed takes the place of the one that stood there, whatever way into its slot and however long."""

from playwright.sync_api import expect

from e2e.browser import BrowserTest

STENCIL = 5
QUANTITY, SPACING, NAME = "pieces/p1/quantity", "sheets/s1/spacing", "name"
WAYS = ("click", "keys", "Enter", "F2", "tap")


class SlotsTest(BrowserTest):
    with_jobs = True
    shares_server = True

    def enter(self, path: str, way: str, words: str) -> None:
        expect(self.page.locator("header")).to_contain_text("Saved")
        slot = self.slot(self.page, path)
        if way == "click":
            slot.click()
        elif way == "tap":
            slot.dispatch_event("click")
        else:
            slot.focus()
            if way != "keys":
                self.page.keyboard.press(way)
        self.page.keyboard.type(words)
        self.page.keyboard.press("Enter")

    def test_what_is_typed_replaces_the_value_by_every_way_and_at_every_length(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/{STENCIL}?station=sheet")
        self.settled(page)
        lengths = {"2": "2.0 mm", "12": "12.0 mm", "102.5": "102.5 mm", "3": "3.0 mm"}
        for way in WAYS:
            for words, shown in lengths.items():
                self.enter(SPACING, way, words)
                expect(self.slot(page, SPACING)).to_have_text(shown)
        for way in ("click", "keys"):
            for words in ("2", "20", "12345", "4"):
                self.enter(QUANTITY, way, words)
                expect(self.slot(page, QUANTITY)).to_have_text(
                    f"{int(words):,}".replace(",", " ") if len(words) > 4 else words
                )
        page.goto(f"{self.nibble.address}/jobs/{STENCIL}?station=artwork")
        self.settled(page)
        for way in ("click", "F2"):
            for words in ("S", "Ear", "Wheat-ear stencil"):
                self.enter(NAME, way, words)
                expect(self.slot(page, NAME)).to_have_text(words)
