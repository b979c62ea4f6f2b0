"""Headless Chromium from Debian's packages, driven by Playwright; any error on a page fails the test."""

from __future__ import annotations

import atexit
import os
import shutil
import unittest
from functools import cache
from typing import ClassVar

from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from e2e.server import RunningNibble

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--disable-quic",
]  # fmt: skip
PATIENCE = 30_000


def chromium(playwright: Playwright) -> Browser:
    where = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    return playwright.chromium.launch(executable_path=where, args=FLAGS)


@cache
def the_browser() -> Browser:
    """One for the whole run; a test opens a window of its own."""
    playwright = sync_playwright().start()
    browser = chromium(playwright)
    atexit.register(playwright.stop)
    atexit.register(browser.close)  # comes first
    return browser


@cache
def the_server(with_jobs: bool) -> RunningNibble:
    """One for all that do not care what others leave on the board."""
    nibble = RunningNibble(with_jobs=with_jobs)
    atexit.register(nibble.stop)
    return nibble


class BrowserTest(unittest.TestCase):
    """A server for the class, or one it shares; one fresh window a test."""

    with_jobs = False
    shares_server = False
    nibble: ClassVar[RunningNibble]

    @classmethod
    def setUpClass(cls) -> None:
        if cls.shares_server:
            cls.nibble = the_server(cls.with_jobs)
        else:
            cls.nibble = RunningNibble(with_jobs=cls.with_jobs)
            cls.addClassCleanup(cls.nibble.stop)
        cls.browser = the_browser()
        expect.set_options(timeout=PATIENCE)

    def setUp(self) -> None:
        self.problems: list[str] = []
        self.page = self.window()

    def tearDown(self) -> None:
        self.assertEqual(self.problems, [])

    def window(self) -> Page:
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.addCleanup(context.close)
        context.request.get(f"{self.nibble.address}/?key={self.nibble.key}")
        page = context.new_page()
        page.set_default_timeout(PATIENCE)
        page.on("pageerror", lambda error: self.problems.append(str(error)))
        return page

    def changing(self) -> dict[str, str]:
        """Headers of a request that changes something, by the test's own window."""
        token = next(one["value"] for one in self.page.context.cookies() if one["name"] == "csrftoken")
        return {"X-CSRFToken": token, "Referer": self.nibble.address}

    def drop(self, page: Page, name: str, content: bytes, kind: str = "image/png") -> None:
        """Drop a file anywhere on the page, as from a file manager, once the page is there to take it."""
        expect(page.get_by_role("heading").first).to_be_visible()
        handle = page.evaluate_handle(
            """([bytes, name, kind]) => {
                const transfer = new DataTransfer();
                transfer.items.add(new File([new Uint8Array(bytes)], name, {type: kind}));
                return transfer;
            }""",
            [list(content), name, kind],
        )
        page.dispatch_event("body", "dragover", {"dataTransfer": handle})
        page.dispatch_event("body", "drop", {"dataTransfer": handle})

    def settled(self, page: Page) -> None:
        """Wait until the final work of the newest revision is on the table."""
        expect(page.get_by_text("Saving…")).to_have_count(0)  # else it is the work of the revision before
        expect(page.locator("[data-station]")).to_have_count(6)
        expect(page.locator("section[aria-label=Table]")).to_have_count(1)
        expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(0)
        expect(page.locator("[data-station][data-state=working]")).to_have_count(0)

    def go(self, page: Page, station: str) -> None:
        page.click(f"[data-station={station}]")
        expect(page.locator(f"[data-station={station}]")).to_have_attribute("aria-current", "step")

    def slot(self, page: Page, path: str):
        return page.locator(f"[data-path='{path}']")

    def drag(self, page: Page, path: str, by: int, *, let_go: bool = True) -> None:
        box = self.slot(page, path).bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        for step in range(1, 9):
            page.mouse.move(x + by * step / 8, y)
        if let_go:
            page.mouse.up()

    def type_into(self, page: Page, path: str, text: str) -> None:
        self.slot(page, path).click()
        self.slot(page, path).fill(text)
        self.slot(page, path).press("Enter")
