"""The pictures of docs/screenshots/: every main view of the demo shop at 1280 x 800, taken anew."""

from __future__ import annotations

import pypdfium2
from PIL import Image
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
            page.goto(f"{nibble.address}/?key={nibble.key}")
            take(page, nibble.address)
    finally:
        nibble.stop()


def take(page: Page, address: str) -> None:
    def keep(name: str) -> None:
        page.wait_for_timeout(600)
        page.screenshot(path=FOLDER / f"{name}.png")

    def choose(path: str, option: str) -> None:
        page.locator(f"[data-path='{path}']").click()
        page.get_by_role("option", name=option).click()
        page.wait_for_timeout(1000)  # until the change is on its way
        settled(page)

    page.goto(address)
    expect(page.locator("[data-job]")).to_have_count(15)
    page.wait_for_load_state("networkidle")
    keep("board")
    jobs = {
        name: page.locator("[data-job]").filter(has_text=words).get_attribute("data-job")
        for name, words in (
            ("kite", "Kite Week stickers"),
            ("roll", "on the roll"),
            ("honey", "Jar labels"),
            ("oars", "crossed oars"),
            ("fob", "Key fobs"),
            ("stencil", "stencil"),
            ("offcut", "Offcut"),
            ("cups", "Steel cups"),
            ("sign", "Carved name board"),
        )
    }
    for name, job, station in (
        ("lines", "kite", "lines"), ("rehearsal", "roll", "sheet"), ("on-the-thing", "cups", "sheet"),
        ("lines-drop-out", "stencil", "lines"), ("lines-weeding", "kite", "lines"), ("sheet", "offcut", "sheet"),
        ("machine", "honey", "machine"), ("moves", "fob", "machine"),
        ("trace-colours", "oars", "trace"), ("carved", "sign", "machine"),
    ):  # fmt: skip
        page.goto(f"{address}/jobs/{jobs[job]}?station={station}")
        settled(page)
        if name == "lines-drop-out":
            page.get_by_role("button", name="Drop-out").click()
        if name == "lines-weeding":
            page.get_by_role("button", name="Weeding").click()
        if name == "on-the-thing":
            page.get_by_role("button", name="On the thing").click()
        if name == "sheet":
            page.get_by_role("application").focus()
            page.keyboard.press("n")
        if name == "rehearsal":
            page.get_by_role("button", name="Rehearse it").click()
            expect(page.get_by_text("copies came off")).to_be_visible()
            page.get_by_role("button", name="Rehearse 200 times").click()
            expect(page.get_by_text("in one rehearsal of two")).to_be_visible(timeout=120_000)
            page.get_by_role("dialog", name="Rehearsal").evaluate("(one) => one.scrollTo(0, 330)")
        if name == "machine":
            page.get_by_role("button", name="Make the files").click()
            expect(page.get_by_role("link", name="manifest.json")).to_be_visible()
        if name == "moves":
            page.get_by_role("button", name="Moves", exact=True).click()
            page.get_by_label("Moment of the run").fill("1375")
            page.wait_for_timeout(600)
        if name == "carved":
            page.get_by_role("button", name="Carved", exact=True).click()
            page.get_by_role("button", name="Section across the middle").click()
            page.wait_for_timeout(2000)
        keep(name)

    page.goto(f"{address}/library")
    page.get_by_role("button", name="wide cutter with camera").click()
    expect(page.get_by_role("heading", name="Settings in one stock")).to_be_visible()
    keep("library")
    paper = page.request.get(f"{address}/api/jobs/{jobs['oars']}/papers/ticket").body()
    sheet = pypdfium2.PdfDocument(paper)[0].render(scale=1.3).to_pil()
    sheet.convert("P", palette=Image.Palette.ADAPTIVE, colors=64).save(FOLDER / "paper-ticket.png", optimize=True)

    def start(name: str, station: str = "") -> None:
        page.goto(address)
        page.get_by_role("button", name=name).click()
        page.wait_for_url("**/jobs/*")
        settled(page)
        if station:
            page.keyboard.press(station)
            settled(page)

    start("lighthouse.jpg")
    keep("artwork")
    page.get_by_role("button", name="Trace colours").click()
    page.wait_for_timeout(1000)
    settled(page)
    page.keyboard.press("3")
    settled(page)
    page.get_by_role("button", name="Deviation").click()
    expect(page.get_by_text("Measuring")).to_have_count(0)
    keep("trace-deviation")
    start("boat-sign.svg")
    page.keyboard.press("3")
    settled(page)
    page.locator("[data-tool=nodes]").click()
    page.mouse.click(470, 420)
    keep("trace-nodes")
    start("harbour-cat.jpg", "2")
    choose("artworks/a1/clean/background", "subject")
    keep("clean-subject")
    start("reading-room-owl.jpg", "3")
    page.get_by_role("button", name="Lay try-outs").click()
    expect(page.get_by_text("nodes, worst")).to_have_count(9, timeout=120_000)
    keep("trace-try-outs")
    page.keyboard.press("Escape")
    choose("artworks/a1/trace/mode", "centre-lines")
    keep("trace-centre-lines")


def settled(page: Page) -> None:
    expect(page.locator("[data-station]").first).to_be_visible(timeout=30_000)
    expect(page.locator("section[aria-label=Table][data-settling]")).to_have_count(0, timeout=30_000)
    expect(page.locator("[data-station][data-state=working]")).to_have_count(0, timeout=30_000)


if __name__ == "__main__":
    main()
