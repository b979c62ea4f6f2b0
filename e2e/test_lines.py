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
        return self.page.locator("[data-sentence^='k']")

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
        self.type_into(page, page.locator("[data-path$='/lettering/words']").get_attribute("data-path") or "", "CREW")
        self.settled(page)
        expect(page.locator("aside")).to_contain_text("CREW")
        grip = page.locator("[data-grip^='element']")
        grip.focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("header")).to_contain_text("change 5")

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
        self.type_into(page, f"{LAYER}/lines/k1/ties", "3")
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
        self.type_into(page, f"{LAYER}/lines/k1/distance", "0")
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
        expect(page.locator("h1")).to_contain_text("again")
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
        added = page.locator("[data-sentence$='-layer']").last
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
        expect(self.slot(page, f"{LAYER}/lines/k1/distance")).to_have_text("4.0 mm")

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
            ("Kite Week", "kiss cut"), ("Key fobs", "It hangs level"),
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
