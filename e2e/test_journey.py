"""From a client's picture to both PDFs and back to the start, as an operator does it."""

import io
import re

import pypdfium2 as pdfium
from playwright.sync_api import expect

from demo.loose_files import draw_loose_file
from e2e.browser import BrowserTest
from nibble_core.formats import pdf_reader

LINE = "pieces/p1/layers/l1/lines/k1"
THRESHOLD = "artworks/a1/trace/threshold"


class JourneyTest(BrowserTest):
    shares_server = True

    def test_picture_to_files_and_undo_to_the_start(self):
        page = self.page
        page.goto(self.nibble.address)
        expect(page.get_by_text("Drop what the client sent anywhere on this page")).to_be_visible()
        self.drop(page, "reading-room-owl.jpg", draw_loose_file("reading-room-owl.jpg"), "image/jpeg")
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        expect(page.locator("[data-station=artwork]")).to_contain_text("193 px/in")
        with self.subTest("the trace is there and its threshold follows the drag"):
            self.go(page, "trace")
            if "outer" in page.locator("[data-sentence=a1-trace]").inner_text():
                self.slot(page, "artworks/a1/trace/mode").click()
                page.get_by_role("option", name="two-tone").click()
                self.settled(page)
            regions = page.locator("[data-region]")
            expect(regions.first).to_be_attached()
            before = regions.first.get_attribute("d")
            self.drag(page, THRESHOLD, 60, let_go=False)
            expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(1)
            expect(regions.first).not_to_have_attribute("d", before)
            page.mouse.up()
            self.settled(page)
            expect(self.slot(page, THRESHOLD)).not_to_contain_text("as suggested")
        with self.subTest("the contour is set"):
            self.go(page, "lines")
            self.type_into(page, f"{LINE}/offset/distance", "3mm")
            self.settled(page)
            expect(self.slot(page, f"{LINE}/offset/distance")).to_have_text("3.0 mm")
        with self.subTest("twenty-four up"):
            self.go(page, "sheet")
            self.type_into(page, "pieces/p1/quantity", "24")
            self.settled(page)
            expect(page.locator("[data-station=sheet]")).to_contain_text("24 copies")
        with self.subTest("both PDFs fit each other"):
            self.go(page, "machine")
            page.get_by_role("button", name="Make the files").click()
            files = {}
            for purpose in ("print", "cut"):
                with page.expect_download() as waiting:
                    page.get_by_role("link", name=re.compile(rf"reading-room-owl-{purpose}-rev\d+\.pdf")).click()
                files[purpose] = waiting.value.path().read_bytes()
            printed, cut = (pdf_reader.read_page(content) for content in files.values())
            self.assertEqual((printed.width, printed.height), (cut.width, cut.height))
            self.assertEqual([len(line.placements) for line in cut.stroked], [24])
            self.assertEqual(len(printed.pictures[0].placements), 24)
            page_width = pdfium.PdfDocument(io.BytesIO(files["cut"]))[0].get_width()
            self.assertAlmostEqual(page_width / 72 * 25.4, cut.width, delta=0.001)
        with self.subTest("undo to the start, redo to the end"):
            undo = page.get_by_role("button", name=re.compile("^(Undo|Nothing to undo)"))
            redo = page.get_by_role("button", name=re.compile("^(Redo|Nothing to redo)"))
            while undo.is_enabled():
                self.press_and_wait(page, "Control+z")
            expect(undo).to_be_disabled()
            self.settled(page)
            expect(page.locator("[data-station=sheet]")).to_contain_text("1 copy")
            expect(page.get_by_text("The ticket has changed since these were made")).to_be_visible()
            self.go(page, "lines")
            expect(self.slot(page, f"{LINE}/offset/distance")).to_have_text("2.0 mm")
            while redo.is_enabled():
                self.press_and_wait(page, "Control+Shift+z")
            expect(self.slot(page, f"{LINE}/offset/distance")).to_have_text("3.0 mm")

    def press_and_wait(self, page, keys: str) -> None:
        """Undo or redo, and wait for the revision it makes."""
        number = int(page.locator("[data-revision]").get_attribute("data-revision"))
        page.keyboard.press(keys)
        expect(page.locator(f"[data-revision='{number + 1}']")).to_be_visible()

    def test_a_region_is_dropped_by_hand_and_brought_back_by_key(self):
        page = self.page
        page.goto(self.nibble.address)
        page.get_by_role("button", name="crossed-oars.png").click()
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.go(page, "trace")
        self.settled(page)
        table = page.get_by_role("application")
        table.focus()
        table.press("n")
        expect(page.get_by_text(re.compile("Click to drop it"))).to_be_visible()
        table.press("Enter")
        expect(page.get_by_text("Drop the region by hand")).to_be_visible()
        self.settled(page)
        expect(page.locator("[data-region][data-dropped=hand]")).to_have_count(1)
        page.get_by_role("button", name="take back").click()
        self.settled(page)
        expect(page.locator("[data-region][data-dropped=hand]")).to_have_count(0)

    def test_bad_files_are_answered_and_nothing_starts(self):
        page = self.page
        page.goto(self.nibble.address)
        for name, content, words in (
            ("empty.png", b"", "“empty.png” is empty."),
            ("page.png", b"<html><script>document.title='owned'</script>", "is called PNG but is a web page inside"),
            ("cut.jpg", draw_loose_file("lighthouse.jpg")[:9000], "damaged or cut short"),
        ):
            with self.subTest(name):
                self.drop(page, name, content)
                expect(page.get_by_role("alert").get_by_text(words)).to_be_visible()
                self.assertRegex(page.url, r"/$")
        self.assertNotIn("owned", page.title())


class KeyboardTest(BrowserTest):
    with_jobs = True

    def test_a_job_is_found_opened_and_changed_by_keyboard_alone(self):
        page = self.page
        page.goto(self.nibble.address)
        expect(page.locator("[data-job]")).to_have_count(15)
        page.keyboard.press("/")
        page.keyboard.type("kite week stickers")
        expect(page.locator("[data-job]")).to_have_count(1)
        for _ in range(8):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.textContent") == "Kite Week stickers":
                break
        page.keyboard.press("Enter")
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        page.keyboard.press("4")
        distance = self.slot(page, f"{LINE}/offset/distance")
        distance.focus()
        for _ in range(3):
            page.keyboard.press("ArrowUp")
        expect(distance).to_have_text("0.3 mm")
        expect(page.locator("[data-revision='2']")).to_be_visible()  # three presses, one change
        distance.press("Enter")
        self.slot(page, f"{LINE}/offset/distance").fill("900")
        expect(page.get_by_text("It can be from -20.0 mm to 200.0 mm.")).to_be_visible()
        page.keyboard.press("Escape")
        expect(distance).to_have_text("0.3 mm")
        self.slot(page, f"{LINE}/offset/corners").focus()
        for key in ("Enter", "ArrowDown", "Enter"):
            page.keyboard.press(key)
        expect(self.slot(page, f"{LINE}/offset/corners")).to_have_text("mitred")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_contain_text("hold for the loupe")
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)

    def test_inches_are_shown_and_understood(self):
        page = self.page
        page.goto(f"{self.nibble.address}/jobs/1?station=sheet")
        self.settled(page)
        page.get_by_role("button", name="Lengths in mm; turn to inches").click()
        self.type_into(page, "sheets/s1/spacing", '1/8"')
        expect(self.slot(page, "sheets/s1/spacing")).to_have_text("0.125 in")
        page.get_by_role("button", name="Lengths in in; turn to mm").click()
        expect(self.slot(page, "sheets/s1/spacing")).to_have_text("3.175 mm")

    def test_every_control_can_be_reached_and_named(self):
        page = self.page
        for path in ("/", "/jobs/1?station=lines", "/jobs/2?station=machine"):
            page.goto(f"{self.nibble.address}{path}")
            page.wait_for_selector("[data-job], [data-station][data-state=fine]")
            nameless = page.evaluate(
                """() => [...document.querySelectorAll('button, a, input, [role]')].filter((e) => e.checkVisibility()
                    && !(e.getAttribute('aria-label') || e.textContent.trim() || e.closest('label') || e.ariaLabel
                    || e.matches('[role=alert], [role=status], [role=group], [role=progressbar]')))
                    .map((e) => e.outerHTML)"""
            )
            self.assertEqual(nameless, [])
            small = page.evaluate(
                """() => [...document.querySelectorAll('button')].filter((e) => e.checkVisibility()
                    && (e.offsetHeight < 24 || e.offsetWidth < 12)).map((e) => e.outerHTML)"""
            )
            self.assertEqual(small, [])
