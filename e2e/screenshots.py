"""The pictures of docs/screenshots/: every main view of the demo shop at 1280 x 800, taken anew."""

from __future__ import annotations

from playwright.sync_api import Page, expect, sync_playwright

from e2e.browser import chromium
from e2e.server import ROOT, RunningNibble

FOLDER = ROOT / "docs" / "screenshots"


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    nibble = RunningNibble(with_jobs=True)
    try:
        with sync_playwright() as playwright:
            page = chromium(playwright).new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(30_000)
            take(page, nibble.address)
    finally:
        nibble.stop()


def take(page: Page, address: str) -> None:
    def keep(name: str) -> None:
        page.wait_for_timeout(600)
        page.screenshot(path=FOLDER / f"{name}.png")

    page.goto(address)
    expect(page.locator("[data-job]")).to_have_count(5)
    page.wait_for_load_state("networkidle")
    keep("board")
    kite = page.locator("[data-job]").filter(has_text="Kite Week").get_attribute("data-job")
    honey = page.locator("[data-job]").filter(has_text="Jar labels").get_attribute("data-job")
    for name, job, station in (
        ("artwork", kite, "artwork"), ("clean", kite, "clean"), ("lines", kite, "lines"), ("sheet", honey, "sheet"),
        ("machine", honey, "machine"),
    ):  # fmt: skip
        page.goto(f"{address}/jobs/{job}?station={station}")
        settled(page)
        if name == "machine":
            page.get_by_role("button", name="Make the files").click()
            expect(page.get_by_role("link", name="manifest.json")).to_be_visible()
        keep(name)
    page.goto(address)
    page.get_by_role("button", name="reading-room-owl.jpg").click()
    page.wait_for_url("**/jobs/*")
    settled(page)
    page.keyboard.press("3")
    settled(page)
    page.get_by_role("button", name="Over the artwork").click()
    page.get_by_role("application").focus()
    page.mouse.move(381, 330)
    page.mouse.move(382, 331)
    page.keyboard.down("l")
    keep("trace-loupe")
    page.keyboard.up("l")
    page.keyboard.press("?")
    keep("keys")


def settled(page: Page) -> None:
    expect(page.locator("[data-station]").first).to_be_visible(timeout=30_000)
    expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(0, timeout=30_000)
    expect(page.locator("[data-station][data-state=working]")).to_have_count(0, timeout=30_000)


if __name__ == "__main__":
    main()
