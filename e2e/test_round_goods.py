"""Work on round things in the browser: put on a cup, turned by the keyboard, its turns corrected, walls measured."""

import re

from playwright.sync_api import expect

from e2e.browser import BrowserTest

OWL, CUPS = 3, 10


class RoundGoodsTest(BrowserTest):
    with_jobs = True
    shares_server = True

    def open(self, job: int, station: str) -> None:
        self.page.goto(f"{self.nibble.address}/jobs/{job}?station={station}")
        self.settled(self.page)

    def pick(self, path: str, option: str) -> None:
        self.slot(self.page, path).click()
        self.page.get_by_role("option", name=re.compile(f"^{re.escape(option)}")).click()
        self.settled(self.page)

    def test_a_drawing_is_put_on_a_cup_looked_at_and_taken_back(self):
        page = self.page
        self.open(OWL, "lines")
        page.locator("[data-sentence='p1-made']").get_by_role("button", name="more").click()
        self.pick("pieces/p1/goods", "a round thing")
        expect(page.locator("[data-sentence='p1-goods']")).to_contain_text("It goes on a round thing")
        self.go(page, "sheet")
        # a window owl of 240 mm is larger than a cup: said, with what fits
        expect(page.get_by_text(re.compile("times round|above the rim|below the foot")).first).to_be_visible()
        self.go(page, "lines")
        page.keyboard.press("Control+z")
        self.settled(page)
        expect(page.locator("[data-sentence='p1-goods']")).to_have_count(0)
        if not self.slot(page, "pieces/p1/goods").is_visible():
            page.locator("[data-sentence='p1-made']").get_by_role("button", name="more").click()
        self.pick("pieces/p1/goods", "a window")
        expect(page.locator("[data-sentence='p1-thing']")).to_contain_text("below eye height")
        expect(page.get_by_role("group", name="Views").get_by_role("button", name="On the thing")).to_be_visible()

    def test_a_cup_turns_under_the_keyboard(self):
        page = self.page
        self.open(CUPS, "sheet")
        page.get_by_role("group", name="Views").get_by_role("button", name="On the thing").click()
        cup = page.get_by_role("slider", name=re.compile("^coated steel cup.*turned"))
        expect(cup).to_have_attribute("aria-valuenow", "90")
        before = self.pixels()
        cup.focus()
        for _ in range(18):
            page.keyboard.press("ArrowRight")
        expect(cup).to_have_attribute("aria-valuenow", "180")
        self.assertNotEqual(self.pixels(), before)  # its side without work
        page.get_by_role("button", name="Side 2").click()
        expect(cup).to_have_attribute("aria-valuenow", "270")
        self.assertEqual(self.pixels(), before)

    def pixels(self) -> int:
        """How many light ones the thing shows: what was engraved on dark steel."""
        self.page.wait_for_timeout(100)
        light: int = self.page.evaluate(
            """() => { const c = document.querySelector('canvas[role=slider]');
                const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let n = 0;
                for (let k = 0; k < d.length; k += 4) n += d[k] > 200 && d[k + 3] === 255;
                return n; }"""
        )
        return light

    def test_what_a_test_turn_tells_corrects_every_turn(self):
        page = self.page
        self.open(CUPS, "machine")
        with page.expect_download() as got:
            page.get_by_role("link", name="The test turn").click()
        self.assertIn(b"test turn", got.value.path().read_bytes())
        page.get_by_label("The second line is off by, mm").fill("3.6")
        page.get_by_role("button", name="Correct every turn").click()
        expect(page.get_by_text(re.compile(r"made 10\d\.\d\d % long now"))).to_be_visible()
        self.settled(page)
        expect(self.slot(page, "sheets/s1/machine/head/turner/correction")).not_to_have_text("100 %")
        page.get_by_label("The second line is off by, mm").fill("200")
        page.get_by_role("button", name="Correct every turn").click()
        expect(page.get_by_role("alert").filter(has_text="more than rollers slip")).to_be_visible()

    def test_measures_of_a_thing_that_contradict_each_other_are_told_as_they_are_typed(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name=re.compile("^glass tumbler")).click()
        expect(page.get_by_role("img", name=re.compile("74.0 mm across at the rim"))).to_be_visible()
        page.get_by_label(re.compile("^Girth at the rim")).fill("250")
        expect(page.get_by_text("A girth of 250 mm at the rim is 79.6 mm across, not 74 mm.")).to_be_visible()
        page.get_by_label(re.compile("^Diameter at the rim")).fill("")
        expect(page.get_by_role("img", name=re.compile("79.6 mm across at the rim"))).to_be_visible()
        page.get_by_label("Shape of the wall").select_option("tapered")
        expect(page.get_by_text("Nobody has measured the foot.")).to_be_visible()
        page.get_by_role("button", name="Keep these values").click()
        expect(page.get_by_role("alert").filter(has_text="Nobody has measured the foot")).to_be_visible()

    def test_a_profile_is_drawn_by_hand(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name=re.compile("^glass tumbler")).click()
        page.get_by_label("Shape of the wall").select_option("a profile")
        handles = page.get_by_role("slider", name=re.compile("^Diameter"))
        expect(handles).to_have_count(3)  # the rim, the middle and the foot as they were measured
        middle = handles.nth(1)
        before = float(middle.get_attribute("aria-valuenow"))
        box = middle.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 20, y - 10, steps=5)
        page.mouse.up()
        dragged = float(middle.get_attribute("aria-valuenow"))
        self.assertGreater(dragged, before + 5)
        middle.focus()
        page.keyboard.press("ArrowRight")
        expect(middle).to_have_attribute("aria-valuenow", f"{dragged + 0.5:g}")
        expect(
            page.get_by_role("group", name="Diameters, from the rim down, 2").get_by_label("Diameter")
        ).to_have_value(f"{dragged + 0.5:g}")
        rim = handles.nth(0).bounding_box()
        page.mouse.click(rim["x"] + rim["width"] / 2 + 3, rim["y"] + rim["height"] / 2 + 22)  # on the wall below it
        expect(handles).to_have_count(4)
        page.keyboard.press("Tab")
        handles.nth(1).focus()
        page.keyboard.press("Delete")
        expect(handles).to_have_count(3)
