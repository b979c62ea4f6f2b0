"""The board: empty and full, search, due dates, duplicate, archive, pasted pictures, sign-in's absence."""

import re

from playwright.sync_api import expect

from demo.loose_files import draw_loose_file
from e2e.browser import BrowserTest


class EmptyBoardTest(BrowserTest):
    def test_the_empty_board_does_the_first_step(self):
        page = self.page
        page.goto(self.nibble.address)
        expect(page.get_by_text("Drop what the client sent anywhere on this page")).to_be_visible()
        expect(page.get_by_role("button", name="reading-room-owl.jpg")).to_be_visible()
        page.get_by_role("button", name="lighthouse.jpg").click()
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        page.get_by_role("link", name="Back to the board").click()
        expect(page.get_by_role("link", name="Lighthouse")).to_have_count(1)
        expect(page.locator("[data-job] svg image").first).to_be_attached()

    def test_a_pasted_picture_starts_a_job(self):
        page = self.page
        page.goto(self.nibble.address)
        expect(page.get_by_role("heading", name="Start a job")).to_be_visible()
        page.evaluate(
            """(bytes) => {
                const transfer = new DataTransfer();
                transfer.items.add(new File([new Uint8Array(bytes)], "image.png", {type: "image/png"}));
                window.dispatchEvent(new ClipboardEvent("paste", {clipboardData: transfer}));
            }""",
            list(draw_loose_file("crossed-oars.png")),
        )
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        expect(page.locator("[data-station=artwork]")).to_contain_text("61 px/in")
        expect(page.get_by_text("will look like bricks")).to_be_visible()
        page.goto(self.nibble.address)
        expect(page.get_by_role("link", name="Image")).to_have_count(1)


class SeveralFilesTest(BrowserTest):
    def test_several_files_become_a_job_each_and_bad_ones_are_told(self):
        page = self.page
        page.goto(self.nibble.address)
        files = [
            {"name": "oars.png", "mimeType": "image/png", "buffer": draw_loose_file("crossed-oars.png")},
            {"name": "broken.png", "mimeType": "image/png", "buffer": b"nothing"},
            {"name": "sign.svg", "mimeType": "image/svg+xml", "buffer": draw_loose_file("boat-sign.svg")},
        ]
        page.set_input_files("input[type=file]", files)
        page.get_by_role("button", name="3 jobs").click()
        expect(page.get_by_text("2 of 3 files have become jobs.")).to_be_visible()
        expect(page.get_by_text("“broken.png”:")).to_be_visible()
        expect(page.locator("[data-job]")).to_have_count(2)
        page.set_input_files("input[type=file]", files)
        page.get_by_role("button", name="One job of 3 pieces").click()
        expect(page.locator("[data-piece]")).to_have_count(2)
        expect(page.locator("header").get_by_text("2 wanted")).to_be_visible()


class FullBoardTest(BrowserTest):
    with_jobs = True

    def test_find_duplicate_archive_and_put_back(self):
        page = self.page
        page.goto(self.nibble.address)
        cards = page.locator("[data-job]")
        expect(cards).to_have_count(15)
        expect(page.get_by_role("region", name="Due this week")).to_contain_text("3 jobs")
        page.get_by_role("button", name="Duplicate Kite Week stickers").click()
        expect(cards).to_have_count(16)
        expect(page.get_by_role("region", name="No date")).to_contain_text("Kite Week stickers, again")
        page.get_by_role("button", name="Archive Kite Week stickers, again").click()
        expect(cards).to_have_count(15)
        page.get_by_role("searchbox").fill("harbour")
        expect(cards).to_have_count(2)
        page.get_by_role("searchbox").fill("nobody at all")
        expect(page.get_by_text("No job has “nobody at all”")).to_be_visible()
        for sought in ("bread", "birch", "110x"):
            page.get_by_role("searchbox").fill(sought)
            expect(cards).not_to_have_count(0)
            expect(cards).not_to_have_count(15)
        page.get_by_role("searchbox").fill("")
        page.get_by_role("button", name="by what they wait for").click()
        expect(page.get_by_role("region", name="To be looked at: Artwork")).to_contain_text("Little Owl Library")
        page.reload()
        expect(page.get_by_role("region", name="To print")).to_be_visible()
        page.get_by_role("button", name="by day").click()
        page.get_by_role("button", name="Archive", exact=True).click()
        expect(cards).to_have_count(1)
        page.get_by_role("button", name="Put back Kite Week stickers, again").click()
        expect(page.get_by_text("Nothing is archived.")).to_be_visible()
        page.get_by_role("button", name="Back to the board").click()
        expect(cards).to_have_count(16)
        # what others of the shop start is seen without a press
        address = f"{self.nibble.address}/api/jobs/2/duplicate"
        self.assertTrue(page.request.post(address, headers=self.changing()).ok)
        expect(cards).to_have_count(17, timeout=25_000)

    def test_name_client_and_due_date_are_set_in_the_sentence(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/2?station=artwork")
        self.settled(page)
        self.type_into(page, "name", "Autumn labels")
        expect(page.locator("header")).to_contain_text("Autumn labels")
        self.type_into(page, "due", "2031-03-14")
        expect(page.locator("header")).to_contain_text("Fri 14 Mar")
        self.slot(page, "client").click()
        self.slot(page, "client").fill("Somebody else")
        self.slot(page, "client").press("Escape")
        expect(self.slot(page, "client")).to_have_text("Harbour Hive Honey")


class TableTest(BrowserTest):
    with_jobs = shares_server = True

    def test_views_zoom_loupe_and_cursor(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/1?station=trace")
        self.settled(page)
        table = page.get_by_role("application")
        table.focus()
        zoom = page.locator("button[title^='Fit all']")
        fitted = zoom.inner_text()
        pixels = lambda: page.locator("canvas").screenshot()  # noqa: E731
        made = pixels()
        for key, name in (("o", "Outlines"), ("p", "Over the artwork"), ("a", "As made")):
            table.press(key)
            expect(page.get_by_role("button", name=name, exact=True)).to_have_attribute("aria-pressed", "true")
        table.press("o")
        page.wait_for_timeout(200)
        self.assertNotEqual(pixels(), made)
        for _ in range(3):
            table.press("+")
        expect(zoom).not_to_have_text(fitted)
        table.press("0")
        expect(zoom).to_have_text(fitted)
        box = table.bounding_box()
        page.mouse.move(box["x"] + 300, box["y"] + 200)
        plain = pixels()
        page.keyboard.down("l")
        page.wait_for_timeout(200)
        self.assertNotEqual(pixels(), plain)
        page.keyboard.up("l")
        table.press("ArrowRight")
        expect(page.locator("path[data-cursor]")).to_be_attached()
        page.mouse.wheel(0, -400)
        expect(zoom).not_to_have_text(fitted)

    def test_a_blocked_station_is_said_and_mended_by_undo(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/2?station=lines")
        self.settled(page)
        self.type_into(page, "pieces/p1/layers/l1/lines/k1/offset/distance", "-20")
        expect(self.slot(page, "pieces/p1/layers/l1/lines/k1/offset/distance")).to_have_text("-20.0 mm")
        self.go(page, "artwork")
        self.type_into(page, "artworks/a1/width", "30")
        expect(page.locator("[data-station=lines]")).to_have_attribute("data-state", "blocked")
        expect(page.locator("[data-station=sheet]")).to_contain_text("waits for Lines")
        self.go(page, "machine")
        expect(page.get_by_role("button", name="Make the files")).to_be_disabled()
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        expect(page.locator("[data-station=lines]")).to_have_attribute("data-state", "fine")

    def test_a_choice_previews_by_arrow_and_escape_restores(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/1?station=lines")
        self.settled(page)
        corners = self.slot(page, "pieces/p1/layers/l1/lines/k2/offset/corners")
        corners.focus()
        page.keyboard.press("Enter")
        page.keyboard.press("ArrowDown")
        expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(1)
        page.keyboard.press("Escape")
        self.settled(page)
        expect(corners).to_have_text("round")
        expect(page.locator("[data-revision='1']")).to_be_visible()
