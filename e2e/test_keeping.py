"""Nothing acknowledged is lost, and nobody overwrites anybody silently."""

import json
import urllib.request
from http.cookiejar import CookieJar

from playwright.sync_api import expect

from e2e.browser import BrowserTest

DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"


class PowerCutTest(BrowserTest):
    with_jobs = True

    def post(self, path: str, body: object) -> dict:
        """A change by a plain client, acknowledged when this returns."""
        jar = CookieJar()
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))
        opener.open(f"{self.nibble.address}/?key={self.nibble.key}")
        token = next(cookie.value for cookie in jar if cookie.name == "csrftoken")
        request = urllib.request.Request(
            f"{self.nibble.address}{path}", json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": token or "", "Referer": self.nibble.address},
        )  # fmt: skip
        with opener.open(request) as answer:
            return json.loads(answer.read())

    def test_an_acknowledged_change_survives_kill_9(self):
        for value in (3.1, 3.2):
            seen = 1 + round((value - 3.1) * 10)
            kept = self.post("/api/jobs/4/changes", {"seen": seen, "changes": [{"path": DISTANCE, "value": value}]})
            self.nibble.kill()
            self.nibble.start()
            self.page.goto(f"{self.nibble.address}/jobs/4?station=lines")
            expect(self.slot(self.page, DISTANCE)).to_have_text(f"{value} mm")
            expect(self.page.locator(f"[data-revision='{kept['revision']['number']}']")).to_be_visible()
        self.settled(self.page)
        self.page.keyboard.press("Control+z")  # undo reaches back over every restart
        expect(self.slot(self.page, DISTANCE)).to_have_text("3.1 mm")


class TwoWindowsTest(BrowserTest):
    with_jobs = True

    def test_what_one_does_the_other_sees(self):
        one, other = self.page, self.window()
        for page in (one, other):
            page.goto(f"{self.nibble.address}/jobs/2?station=lines")
            self.settled(page)
        self.type_into(one, DISTANCE, "2.7")
        expect(self.slot(other, DISTANCE)).to_have_text("2.7 mm")
        expect(other.locator("[data-revision='2']")).to_be_visible()
        other.keyboard.press("Control+z")
        expect(self.slot(one, DISTANCE)).to_have_text("1.5 mm")

    def test_two_windows_never_overwrite_silently(self):
        one, other = self.page, self.window()
        for page in (one, other):
            page.route("**/events", lambda route: route.abort())  # as on a network that loses them
            page.goto(f"{self.nibble.address}/jobs/1?station=lines")
            self.settled(page)
        self.type_into(one, DISTANCE, "4")
        expect(one.locator("[data-revision='2']")).to_be_visible()
        self.settled(one)  # work that gives way to the other's change would tell of it
        # the other window has not seen that: another value is merged, the same one refused in words
        self.type_into(other, "pieces/p1/layers/l1/lines/k2/offset/distance", "9")
        expect(other.locator("[data-revision='3']")).to_be_visible()
        expect(self.slot(other, DISTANCE)).to_have_text("4.0 mm")
        self.type_into(one, "pieces/p1/layers/l1/lines/k2/offset/distance", "7")
        expect(one.get_by_role("alert")).to_contain_text("has meanwhile: through cut: distance to 9.0 mm")
        expect(one.get_by_role("alert")).to_contain_text("You wanted: through cut: distance to 7.0 mm")
        expect(self.slot(one, "pieces/p1/layers/l1/lines/k2/offset/distance")).to_have_text("9.0 mm")
