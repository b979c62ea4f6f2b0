"""The shop's machines in the browser: what can be set follows from their kind, and settings from their head."""

from playwright.sync_api import expect

from e2e.browser import BrowserTest


class LibraryTest(BrowserTest):
    def test_a_machine_shows_what_its_kind_can_vary_and_has_settings_as_its_head_makes_them(self):
        page = self.page
        page.goto(f"{self.nibble.address}/library")
        page.get_by_role("button", name="Add a machine").click()
        page.get_by_label("Name", exact=True).fill("gantry table")
        kind, settings = page.get_by_label("Kind of machine"), page.get_by_role("region", name="Settings")
        expect(page.get_by_label("Blade offset, mm")).to_be_visible()
        expect(page.get_by_label("Width of the beam, mm")).to_have_count(0)
        kind.select_option("a torch or jet")
        expect(page.get_by_label("Blade offset, mm")).to_have_count(0)
        expect(page.get_by_label("Error of its camera, mm")).to_have_count(0)
        page.get_by_label("Acceleration, mm/s²").fill("1700")
        page.get_by_role("checkbox", name="through cut").check()
        page.get_by_label("Width of the beam, mm").fill("0")
        page.get_by_role("button", name="Add it").click()
        told = page.get_by_label("Width of the beam, mm").evaluate("field => field.validationMessage")
        self.assertEqual(told, "It can be 0.01 to 20.")
        expect(page.get_by_role("heading", name="A new machine")).to_be_visible()
        page.get_by_label("Width of the beam, mm").fill("1.4")
        page.get_by_role("button", name="Add it").click()
        expect(page.get_by_role("heading", name="gantry table")).to_be_visible()

        settings.get_by_role("button", name="+ through cut").click()
        settings.get_by_label("Power", exact=False).fill("0.8")
        settings.get_by_label("Kerf, mm").fill("1.3")
        with page.expect_response("**/api/library/settings/**"):
            settings.get_by_role("button", name="Keep these settings").click()
        (kept,) = [one["settings"] for one in self.told()["settings"] if one["machine"] == "gantry-table"]
        self.assertEqual([(one["how"]["power"], one["how"]["kerf"]) for one in kept], [(0.8, 1.3)])

        kind.select_option("a router")  # what both kinds have stays
        expect(page.get_by_label("Acceleration, mm/s²")).to_have_value("1700")
        page.get_by_role("button", name="Add a cutter").click()
        with page.expect_response("**/api/library/machine/gantry-table"):
            page.get_by_role("button", name="Keep these values").click()
        expect(settings.get_by_text("Feeds are those of its cutters")).to_be_visible()
        (machine,) = [one for one in self.told()["machines"] if one["key"] == "gantry-table"]
        self.assertEqual((machine["head"]["kind"], machine["head"]["acceleration"]), ("a router", 1700))
        self.assertEqual([one["diameter"] for one in machine["head"]["cutters"]], [6.0])
        self.assertNotIn("beam", machine["head"])
        settings.get_by_role("button", name="+ through cut").click()
        expect(settings.get_by_label("Kerf, mm")).to_have_count(0)
        with page.expect_response("**/api/library/settings/**"):
            settings.get_by_role("button", name="Keep these settings").click()
        (kept,) = [one["settings"] for one in self.told()["settings"] if one["machine"] == "gantry-table"]
        self.assertEqual([(one["process"], one["how"]) for one in kept], [("through cut", {"kind": "by cutter"})])

    def told(self):
        return self.page.request.get(f"{self.nibble.address}/api/library").json()
