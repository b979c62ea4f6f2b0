"""What an operator does at Sheet and in the shop's library: nesting, copies by hand, records and settings."""

import json
import re
import zipfile

from PIL import ImageCms
from playwright.sync_api import expect

from demo.loose_files import draw_loose_file
from e2e.browser import BrowserTest


class SheetTest(BrowserTest):
    shares_server = True

    def start(self, quantity: int = 6) -> int:
        self.page.goto(self.nibble.address)
        self.drop(self.page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        self.page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(self.page)
        self.go(self.page, "sheet")
        self.settled(self.page)
        self.type_into(self.page, "pieces/p1/quantity", str(quantity))
        self.settled(self.page)
        return int(self.page.url.split("/jobs/")[1].split("?")[0])

    def ticket(self, job: int) -> dict:
        return json.loads(self.page.request.get(f"{self.nibble.address}/api/jobs/{job}").text())["ticket"]

    def test_a_sheet_is_rehearsed_and_what_would_spoil_it_is_mended(self):
        page = self.page
        job = self.start()
        page.get_by_role("button", name="Rehearse it").click()
        dialog = page.get_by_role("dialog", name="Rehearsal")
        expect(dialog).to_contain_text("All 4 marks were found")
        expect(dialog).to_contain_text("6 copies came off")
        pictures = dialog.locator("li img")
        expect(pictures).to_have_count(6)
        self.assertTrue(pictures.first.evaluate("(one) => one.decode().then(() => one.naturalWidth > 50)"))
        small = pictures.first.bounding_box()
        pictures.first.click()
        page.wait_for_timeout(200)
        self.assertGreater(pictures.first.bounding_box()["height"], 2 * small["height"])
        whole = dialog.get_by_role("img", name="The sheet as it came off")
        expect(whole.locator("[data-copy]")).to_have_count(6)
        whole.locator("[data-copy='5']").click()
        expect(dialog.get_by_label("Look at copy")).to_have_value("5")
        dialog.get_by_label("Look at copy").fill("2")
        expect(dialog.get_by_role("img", name=re.compile("copy 2, as it came off"))).to_be_visible()
        dialog.get_by_role("button", name="Rehearse 200 times").click()
        expect(dialog.get_by_role("region", name="Rehearsed many times")).to_contain_text("1,200 copies in 200")
        dialog.get_by_role("button", name="Feed it the wrong way round").click()
        wrong = dialog.get_by_role("region", name="Fed the wrong way round")
        expect(wrong.locator("li", has_text="turned round:").first).to_contain_text("every copy is spoilt")
        wrong.get_by_role("button", name=re.compile("direction mark")).click()
        expect(dialog).to_contain_text("All 5 marks were found", timeout=20_000)  # rehearsed as it now is
        self.assertEqual(self.ticket(job)["sheets"][0]["mark_key"], "a direction mark")
        dialog.get_by_role("button", name="Feed it the wrong way round").click()
        expect(wrong.locator("li")).to_have_count(5)
        expect(wrong).not_to_contain_text("spoilt")
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        self.go(page, "machine")
        page.get_by_role("button", name="a rehearsal on the screen").click()
        expect(page.get_by_role("dialog", name="Rehearsal")).to_contain_text("copies came off")
        page.keyboard.press("v")  # as made
        expect(page.get_by_role("dialog", name="Rehearsal")).to_have_count(0)
        page.keyboard.press("v")  # as it came off
        expect(page.get_by_role("dialog", name="Rehearsal")).to_contain_text("6 × through cut")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Measure it with a test sheet").click()
        with page.expect_download() as download:
            page.get_by_text("The test sheet", exact=True).click()
        self.assertTrue(zipfile.is_zipfile(download.value.path()))
        for name, value in zip(("upper left", "lower right"), ("0.9", "-0.1"), strict=True):
            page.get_by_label(f"{name}, across").fill(value)
            page.get_by_label(f"{name}, down").fill("0,1")
        page.get_by_role("button", name="Put it into the machine’s record").click()
        expect(page.get_by_text("A vernier reads from")).to_be_visible()
        page.get_by_label("upper left, across").fill("0.2")
        page.get_by_label("ruler across").fill("160.8 mm")
        page.get_by_role("button", name="Put it into the machine’s record").click()
        expect(page.get_by_text("has what was measured")).to_be_visible()
        library = json.loads(page.request.get(f"{self.nibble.address}/api/library").text())
        record = next(one["head"] for one in library["machines"] if one["key"] == "wide-camera-cutter")
        self.assertEqual(record["camera_error"], 0.13)  # the root of the mean square
        self.settled(page)
        self.assertEqual(self.ticket(job)["sheets"][0]["machine"]["head"]["camera_error"], 0.13)
        self.assertEqual((record["stretch_across"], record["stretch_along"]), (0.5, 0.0))
        self.go(page, "sheet")
        page.get_by_role("button", name="Print it ready for the stretch").click()
        self.settled(page)
        self.assertEqual(self.ticket(job)["sheets"][0]["print_size"], "ready for the stretch")
        expect(page.get_by_role("complementary", name="Ticket")).to_contain_text("99.50 % wide and 100.00 % long")

    def test_copies_are_nested_moved_turned_locked_thrown_off_and_taken_back(self):
        page = self.page
        job = self.start()
        page.get_by_role("button", name="Nest as tight as they go").click()
        expect(self.slot(page, "sheets/s1/arrangement")).to_have_text("as placed")
        self.settled(page)
        sheet = self.ticket(job)["sheets"][0]
        self.assertEqual((len(sheet["placed"]), {one["by"] for one in sheet["placed"]}), (6, {"nest"}))
        canvas = page.get_by_role("application")
        canvas.focus()
        page.keyboard.press("n")
        hand = page.get_by_role("group", name="Copies in hand")
        expect(hand).to_contain_text("One copy in hand")
        page.keyboard.press("k")
        expect(hand.get_by_role("button", name="Unlock")).to_be_visible()
        expect(page.locator("header")).to_contain_text("Saved")
        self.assertEqual(sum(one["locked"] for one in self.ticket(job)["sheets"][0]["placed"]), 1)
        page.keyboard.press("Delete")  # a locked one stays
        expect(page.locator("[data-station=sheet]")).to_contain_text("6 copies")
        page.keyboard.press("n")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        said = page.locator("[data-revision]").get_attribute("data-revision")
        expect(page.locator(f"[data-revision='{said}']")).to_have_count(0)  # presses in quick succession are one change
        page.keyboard.press("Shift+ArrowDown")  # begins where that one ended, settled or not
        page.wait_for_timeout(1000)
        self.settled(page)
        moved = self.ticket(job)["sheets"][0]["placed"]
        down = [round(b["y"] - a["y"], 3) for a, b in zip(sheet["placed"], moved, strict=True)]
        self.assertEqual(sorted(down)[-2:], [0, 30])
        self.type_into(page, "hand/x", "77")
        self.type_into(page, "hand/turn", "30")
        self.settled(page)
        expect(self.slot(page, "hand/x")).to_have_text("77.0 mm")
        expect(self.slot(page, "hand/turn")).to_have_text("30°")
        page.get_by_role("application").focus()
        page.keyboard.press("Delete")
        expect(page.locator("[data-station=sheet]")).to_contain_text("5 copies")
        self.settled(page)
        page.get_by_role("button", name="one more where there is room").click()
        expect(page.locator("[data-station=sheet]")).to_contain_text("6 copies")
        self.settled(page)
        page.keyboard.press("Control+z")
        expect(page.locator("[data-station=sheet]")).to_contain_text("5 copies")

    def test_a_copy_is_dragged_and_one_that_lies_on_another_blocks_the_files(self):
        page = self.page
        job = self.start()
        before = page.request.get(f"{self.nibble.address}/api/jobs/{job}/work").json()["sheets"]["s1"]
        layer = before["placements"][0]["layer"]
        canvas = page.get_by_role("application")
        canvas.focus()
        page.keyboard.press("n")
        ghost = page.locator(f"[data-copy='s1:{layer}:0']")
        expect(ghost).to_be_visible()
        box = ghost.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + box["width"] * 0.6, y, steps=6)
        expect(page.locator("[data-copy][data-near]")).to_have_count(1)
        expect(page.get_by_role("group", name="Copies in hand")).to_contain_text("on another")
        page.mouse.up()
        expect(self.slot(page, "sheets/s1/arrangement")).to_have_text("as placed")
        self.settled(page)
        expect(page.locator("[data-note=blocked]")).to_contain_text("lie on each other")
        page.keyboard.press("Control+z")
        self.settled(page)
        expect(self.slot(page, "sheets/s1/arrangement")).to_have_text("a grid")
        expect(page.locator("[data-note=blocked]")).to_have_count(0)

    def test_a_second_side_lies_behind_the_first_and_follows_it(self):
        page = self.page
        job = self.start()
        page.get_by_role("button", name="give it a second side").click()
        self.settled(page)
        panel = page.get_by_role("complementary")
        expect(panel).to_contain_text("Sheet 2 is the second side of sheet 1")
        self.type_into(page, "pieces/p1/quantity", "4")
        self.settled(page)
        first, second = page.request.get(f"{self.nibble.address}/api/jobs/{job}/work").json()["sheets"].values()
        self.assertEqual((first["copies"], second["copies"]), (4, 4))
        self.assertEqual(
            sorted([round(first["width"] - x, 3), y] for x, y in first["marks"]), sorted(second["marks"])
        )  # fmt: skip
        self.slot(page, f"sheets/{self.ticket(job)['sheets'][1]['id']}/turned").click()
        page.get_by_role("option", name="head to foot").click()
        self.settled(page)
        page.get_by_role("button", name="take the second side away").click()
        self.settled(page)
        expect(panel).not_to_contain_text("second side of")
        self.assertEqual([len(piece["layers"]) for piece in self.ticket(job)["pieces"]], [1])

    def test_what_is_made_is_taken_off_its_roll_and_stands_on_a_screen_by_the_machine(self):
        page = self.page
        self.start(30)
        self.slot(page, "sheets/s1/stock").click()
        page.get_by_role("option", name="matt white vinyl").click()
        self.settled(page)
        self.go(page, "machine")
        with page.expect_download() as waiting:
            page.get_by_role("link", name="A quote, for the client").click()
        self.assertRegex(waiting.value.suggested_filename, r"^crossed-oars-quote-\d+-rev\d+\.pdf$")
        page.get_by_role("button", name="Take it off the stock").click()
        cut = page.get_by_role("region", name="When it is cut")
        expect(cut).to_contain_text(re.compile(r"[\d.]+ m are off the roll; 2[\d.]+ m are left\."))
        page.reload()
        self.settled(page)
        expect(cut.get_by_role("button")).to_have_count(0)
        page.get_by_role("link", name="the ticket on a screen at the machine").click()
        expect(page.get_by_role("heading", name="Afterwards")).to_be_visible()
        expect(page.get_by_role("region", name="The sheet")).to_contain_text("Lay 30 on matt white vinyl")
        expect(page.get_by_role("button")).to_have_count(0)


class LibraryTest(BrowserTest):
    shares_server = True

    def test_a_stock_is_added_changed_and_offered_to_the_jobs_that_have_it(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name="Add a stock").click()
        page.get_by_label("Name").fill("gold leaf film")
        page.get_by_role("button", name="Add it").click()
        expect(page.get_by_role("heading", name="gold leaf film")).to_be_visible()
        page.get_by_label("Usable width").fill("5000")
        page.get_by_label("Usable width").press("Tab")
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("alert").first).to_contain_text("More is usable than the stock is wide")
        page.get_by_label("Usable width").fill("18in")
        page.get_by_label("Usable width").press("Tab")
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("button", name="gold leaf film")).to_contain_text("457.2 mm usable")
        screen = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        chooser = page.get_by_label("Colour profile file")
        chooser.set_input_files({"name": "mine.icc", "mimeType": "application/octet-stream", "buffer": b"none"})
        expect(page.get_by_role("alert").last).to_contain_text("This is no colour profile that can be read.")
        chooser.set_input_files({"name": "mine.icc", "mimeType": "application/octet-stream", "buffer": screen})
        expect(page.get_by_role("region", name="Colour profile")).to_contain_text("sRGB built-in")
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("button", name="Keep these values")).to_be_disabled()
        page.goto(self.nibble.address)
        self.drop(page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        self.go(page, "sheet")
        self.slot(page, "sheets/s1/stock").click()
        page.get_by_role("option", name="gold leaf film").click()
        self.settled(page)
        job = page.url
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name="gold leaf film").click()
        page.get_by_label("Price a square metre").fill("90")
        page.get_by_label("Price a square metre").press("Tab")
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("button", name="Keep these values")).to_be_disabled()
        page.goto(job)
        self.settled(page)
        note = page.locator("[data-note=told]").filter(has_text="has changed since")
        note.get_by_role("button", name="Take the newer record").click()
        expect(note).to_have_count(0)
        expect(page.get_by_role("group", name="Figures")).to_contain_text("cost of the material")

    def test_settings_of_a_machine_in_a_stock_come_with_both_into_a_job(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name="desk cutter").click()
        page.get_by_label("Stock", exact=True).select_option(label="black window film, 610 mm roll")
        page.get_by_role("button", name="+ through cut").click()
        page.get_by_label("force of through cut").fill("123")
        page.get_by_label("force of through cut").press("Tab")
        page.get_by_role("button", name="Keep these settings").click()
        expect(page.get_by_role("button", name="Keep these settings")).to_be_disabled()
        page.goto(self.nibble.address)
        self.drop(page, "crossed-oars.png", draw_loose_file("crossed-oars.png"))
        page.wait_for_url(re.compile(r"/jobs/\d+"))
        self.settled(page)
        self.go(page, "sheet")
        self.slot(page, "sheets/s1/stock").click()
        page.get_by_role("option", name="black window film").click()
        self.settled(page)
        self.go(page, "machine")
        self.slot(page, "sheets/s1/machine").click()
        page.get_by_role("option", name="desk cutter").click()
        expect(page.locator("aside")).to_contain_text("force 123 g")
