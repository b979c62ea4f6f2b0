"""What an operator does at Lines: composing, lines as sentences, ties, the hanger, views, layers, two versions."""

import re

from playwright.sync_api import expect

from demo.loose_files import draw_loose_file
from e2e.browser import BrowserTest
from nibble_core.formats import pdf_reader

LAYER = "pieces/p1/layers/l1"


class LinesTest(BrowserTest):
    shares_server = True

    def start(self, name="crossed-oars.png", kind="image/png") -> None:
        self.page.goto(self.nibble.address)
        self.drop(self.page, name, draw_loose_file(name), kind)
        self.page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(self.page)
        self.go(self.page, "lines")
        self.settled(self.page)

    def add(self, menu: str, what: str) -> None:
        self.page.get_by_role("button", name=menu).click()
        self.page.get_by_role("button", name=what, exact=True).click()
        self.settled(self.page)

    def choose(self, path: str, option: str) -> None:
        self.slot(self.page, path).click()
        self.page.get_by_role("option", name=option).first.click()
        self.settled(self.page)

    def lines(self):
        return self.page.locator("[data-sentence*='/lines/']")

    def test_lines_are_added_copied_moved_switched_off_and_removed(self):
        page = self.page
        self.start()
        expect(self.lines()).to_have_count(1)
        self.add("+ Add a line", "Kiss cut outside")
        expect(self.lines()).to_have_count(2)
        second = self.lines().nth(1)
        second.get_by_role("button", name="up", exact=True).click()
        self.settled(page)
        expect(self.lines().nth(0)).to_contain_text("kiss cut")
        self.lines().nth(0).get_by_role("button", name="copy").click()
        self.settled(page)
        expect(page.locator("aside [data-sentence]").filter(has_text="kiss cut 1.0")).to_have_count(2)
        self.lines().nth(0).get_by_role("button", name="switch off").click()
        expect(self.lines().nth(0)).to_contain_text("Off:")
        self.settled(page)
        page.keyboard.press("Control+z")
        expect(self.lines().nth(0)).not_to_contain_text("Off:")
        self.lines().nth(0).get_by_role("button", name="remove").click()
        self.settled(page)
        expect(page.locator("aside [data-sentence]").filter(has_text="kiss cut 1.0")).to_have_count(1)

    def test_a_note_is_accepted_by_name_and_taken_back(self):
        page = self.page
        self.start()
        self.add("+ Add to the piece", "Words")
        note = page.locator("[data-note=look]").filter(has_text="falls short")
        note.get_by_role("button", name="That is fine").click()
        expect(note).to_have_count(0)
        self.settled(page)
        page.get_by_text("1 note accepted").click()
        kept = page.locator("details").filter(has_text="falls short")
        expect(kept).to_contain_text(re.compile(r"Accepted by \w+ on \d{4}-\d\d-\d\d"))
        kept.get_by_role("button", name="Take it back").click()
        expect(note).to_be_visible()
        page.keyboard.press("Control+z")
        expect(note).to_have_count(0)

    def test_a_file_dropped_on_an_open_job_asks_where_it_goes(self):
        page = self.page
        self.start()
        address = page.url
        self.drop(page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        ask = page.get_by_role("dialog", name="Dropped files")
        expect(ask).to_contain_text("where does it belong?")
        page.keyboard.press("Escape")
        expect(ask).to_have_count(0)
        self.drop(page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        ask.get_by_role("button", name=re.compile("^To the ")).click()
        expect(page.locator("[data-grip^='element']")).to_have_count(1)
        self.assertEqual(page.url, address)
        self.drop(page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        ask.get_by_role("button", name="A new job").click()
        page.wait_for_url(lambda url: re.search(r"/jobs/\d+", url) and url.split("?")[0] != address.split("?")[0])

    def test_a_gap_that_the_line_closes_off_is_opened_by_a_click(self):
        page = self.page
        ring = (
            b'<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60">'
            b'<path fill="#204060" d="M0 0H80V60H0V31H10V50H70V10H10V29H0Z"/></svg>'
        )
        page.goto(self.nibble.address)
        self.drop(page, "frame.svg", ring, "image/svg+xml")
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        self.go(page, "lines")
        self.settled(page)
        box = page.locator("section[aria-label=Table]").bounding_box()
        assert box
        middle = box["x"] + 0.45 * box["width"], box["y"] + 0.45 * box["height"]
        page.mouse.move(*middle)
        expect(page.get_by_text(re.compile("A gap that the line closes off, 36.0 mm wide"))).to_be_visible()
        page.mouse.click(*middle)
        self.settled(page)
        expect(page.locator("[data-revision='2']")).to_be_visible()
        expect(page.locator("dd").first).to_have_text("477 mm")  # 293 round the outside, 184 round the gap

    def test_words_are_joined_and_what_falls_short_is_mended(self):
        page = self.page
        self.start()
        self.add("+ Add to the piece", "Words")
        note = page.locator("[data-note=look]").filter(has_text="falls short")
        expect(note).to_be_visible()
        note.get_by_role("button", name="Show it").click()
        expect(page.locator("[data-shown-place]")).to_have_count(1)
        note.get_by_role("button", name="Let it lie apart").click()
        self.settled(page)
        expect(note).to_have_count(0)
        self.type_into(page, page.locator("[data-path$='/content/words']").get_attribute("data-path") or "", "CREW")
        self.settled(page)
        expect(page.locator("aside")).to_contain_text("CREW")
        grip = page.locator("[data-grip^='element']")
        grip.focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("[data-revision='5']")).to_be_visible()

    def test_a_hanger_and_ties_are_moved_by_hand(self):
        page = self.page
        self.start()
        self.choose("pieces/p1/hanger/kind", "a loop")
        expect(page.get_by_text("It hangs level")).to_be_visible()
        box = page.locator("[data-grip=hanger]").bounding_box()
        assert box
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + 60, box["y"] + 12, steps=4)
        page.mouse.up()
        self.settled(page)
        askew = page.locator("[data-note=look]").filter(has_text="askew")
        expect(askew).to_be_visible()
        askew.get_by_role("button", name="Hang it level").click()
        self.settled(page)
        expect(page.get_by_text("It hangs level")).to_be_visible()
        self.lines().first.get_by_role("button", name="more").click()
        self.type_into(page, f"{LAYER}/lines/k1/process/ties", "3")
        self.settled(page)
        expect(page.locator("[data-grip^='tie']")).to_have_count(3)
        page.locator("[data-grip^='tie']").first.focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text("A tie set by hand.")).to_have_count(3)

    def test_views_say_what_the_lines_will_do(self):
        page = self.page
        self.start()
        table = page.get_by_role("application")
        table.focus()
        for letter, words in (
            ("f", "No part is lost"), 
            ("w", "; the thinnest neck"), ("h", "Solid stays, hatched goes."), ("c", "white border is meant"),
        ):  # fmt: skip
            with self.subTest(letter):
                page.keyboard.press(letter)
                expect(page.get_by_text(re.compile(words))).to_be_visible()
        self.type_into(page, f"{LAYER}/lines/k1/offset/distance", "0")
        self.settled(page)
        note = page.locator("[data-note=look]").filter(has_text="white slivers")
        expect(note).to_be_visible()
        note.get_by_role("button", name=re.compile("Bleed")).click()
        self.settled(page)
        expect(page.get_by_text("No white shows")).to_be_visible()

    def test_two_versions_are_compared_and_layers_split(self):
        page = self.page
        self.start()
        page.get_by_role("button", name="Again").click()
        self.settled(page)
        expect(page.locator("[data-piece]")).to_have_count(2)
        expect(page.locator("h1")).to_contain_text("oars 2")
        page.get_by_role("button", name="Compare").click()
        expect(page.locator("[data-compared]")).to_have_count(2)
        expect(page.get_by_text("weakest neck")).to_have_count(2)
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Remove", exact=True).click()
        self.settled(page)
        expect(page.locator("[data-piece]")).to_have_count(1)

    def test_a_layer_of_its_own_gets_the_regions_clicked(self):
        page = self.page
        self.start()
        here = "[data-sentence*='/layers/']:not([data-sentence*='/lines/']):not([data-sentence*='/regions/'])"
        added = page.locator(here).last
        page.get_by_role("button", name="+ Add a layer").click()
        self.settled(page)
        expect(added).to_contain_text("holds chosen regions (none yet)")
        expect(page.get_by_text("Click its colours or regions on the table")).to_be_visible()
        table = page.get_by_role("application").bounding_box()
        assert table
        for count in ("(1)", "(none yet)"):  # a click chooses the region, a second lets it go
            page.mouse.click(table["x"] + table["width"] / 2, table["y"] + table["height"] / 2)
            self.settled(page)
            expect(added).to_contain_text(f"holds chosen regions {count}")

    def test_a_size_changed_late_offers_to_scale_the_distances(self):
        page = self.page
        self.start()
        self.go(page, "artwork")
        self.type_into(page, "artworks/a1/width", "200")
        self.settled(page)
        page.get_by_role("button", name="Scale them to 200 %").click()
        self.settled(page)
        self.go(page, "lines")
        expect(self.slot(page, f"{LAYER}/lines/k1/offset/distance")).to_have_text("4.0 mm")

    def test_two_pieces_lie_on_sheets_of_their_own_and_a_line_nobody_can_make_blocks(self):
        page = self.page
        self.start()
        page.get_by_role("button", name="Again").click()
        self.settled(page)
        self.go(page, "sheet")
        for number in (1, 2):
            expect(page.locator("aside [data-sentence]").filter(has_text=f"Sheet {number}, ")).to_have_count(1)
            expect(page.get_by_role("group", name="Figures").get_by_text(f"sheet {number}, ")).to_be_visible()
        self.go(page, "lines")
        self.add("+ Add a line", "Engrave the shapes")
        expect(page.locator("[data-station=machine]")).to_have_attribute("data-state", "blocked")
        self.go(page, "machine")
        expect(page.get_by_text("cannot engrave")).to_be_visible()
        expect(page.get_by_text("small laser")).to_be_visible()


class DemoPiecesTest(BrowserTest):
    with_jobs = shares_server = True

    def test_every_demo_piece_is_drawn_and_the_sheet_of_labels_makes_its_files(self):
        page = self.page
        for words, said in (
            ("Kite Week stickers", "kiss cut"), ("Key fobs", "It hangs level"),
            ("stencil", "bridges of 1.6 mm hold every island"),
            ("crossed oars", "three triangles"), ("Jar labels", "no tie at a corner"),
        ):  # fmt: skip
            page.goto(self.nibble.address)
            job = page.locator("[data-job]").filter(has_text=words).get_attribute("data-job")
            page.goto(f"{self.nibble.address}/jobs/{job}?station=lines")
            self.settled(page)
            with self.subTest(words):
                expect(page.locator("aside")).to_contain_text(said)
                expect(page.locator("[data-station=lines]")).not_to_have_attribute("data-state", "blocked")
        self.go(page, "machine")
        page.get_by_role("button", name="Make the files").click()
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile(r"cut-rev\d+.pdf")).click()
        cut = pdf_reader.read_page(open(download.value.path(), "rb").read())  # noqa: SIM115
        self.assertEqual({line.layer for line in cut.stroked}, {"kiss cut", "perforate"})
        dashes = next(line for line in cut.stroked if line.layer == "perforate")
        self.assertEqual(len(dashes.paths), 228)
