"""The table in headless Chromium with 500 copies and 300,000 dashes on it: frames, pointer moves, the first picture.

A frame is from one animation callback to the next while the wheel turns or the hand pans; a pointer move is the time
its handler and the drawing that follows take. Without a graphics card, so that the figures are a lower bound.
"""

from __future__ import annotations

import statistics
import time

from playwright.sync_api import Page, sync_playwright

from e2e.browser import chromium
from e2e.server import RunningNibble

CHANGES = [
    {"path": "pieces/p1/quantity", "value": 500},
    {"path": "sheets/s1/stock/usable_length", "value": 40_000},
    {"path": "sheets/s1/machine/usable_length", "value": 40_000},
    {"path": "pieces/p1/layers/l1/lines/k2/process", "value": "perforate"},
    {"path": "pieces/p1/layers/l1/lines/k2/process/cut", "value": 0.38},
    {"path": "pieces/p1/layers/l1/lines/k2/process/tie", "value": 0.1},
]
TIMED = """() => {
    window.callbacks = [];
    const ask = window.requestAnimationFrame.bind(window);
    window.requestAnimationFrame = (act) => ask((at) => {
        const start = performance.now();
        act(at);
        window.callbacks.push(performance.now() - start);
    });
}"""
ACTED = """async ([kind, count]) => {
    const canvas = document.querySelector("section[aria-label=Table] canvas");
    const box = canvas.getBoundingClientRect();
    const at = (k) => ({bubbles: true, cancelable: true, pointerId: 1, isPrimary: true, pointerType: "mouse",
                        clientX: box.left + 300 + 3 * (k % 40), clientY: box.top + 250 + k % 30});
    const frames = [], handled = [];
    if (kind === "pan") canvas.dispatchEvent(new PointerEvent("pointerdown", {...at(0), button: 1}));
    let before = performance.now();
    for (let k = 0; k < count; k++) {
        const start = performance.now();
        window.callbacks.length = 0;
        if (kind === "zoom") canvas.dispatchEvent(new WheelEvent("wheel", {...at(0), deltaY: k % 40 < 20 ? -60 : 60}));
        else canvas.dispatchEvent(new PointerEvent("pointermove", at(k)));
        const handler = performance.now() - start;
        await new Promise((done) => requestAnimationFrame(() => done()));
        const now = performance.now();
        frames.push(now - before);
        handled.push(handler + window.callbacks.reduce((a, b) => a + b, 0));
        before = now;
    }
    if (kind === "pan") canvas.dispatchEvent(new PointerEvent("pointerup", {...at(0), button: 1}));
    return [frames.slice(3), handled.slice(3)];
}"""


def run() -> None:
    nibble = RunningNibble(with_jobs=True)
    try:
        with sync_playwright() as playwright:
            browser = chromium(playwright)
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.goto(f"{nibble.address}/?key={nibble.key}")
            changed = page.evaluate(
                """async (changes) => (await fetch("/api/jobs/1/changes", {method: "POST", body: JSON.stringify(
                    {seen: 1, changes}), headers: {"Content-Type": "application/json",
                    "X-CSRFToken": /csrftoken=([^;]+)/.exec(document.cookie)[1]}})).status""",
                CHANGES,
            )
            assert changed == 200, changed
            dashes = _warm(page)
            page.add_init_script(f"({TIMED})()")
            shown = _first_picture(page, nibble.address)
            print(f"sheet of {dashes:,} dashes: first picture {1000 * shown:.0f} ms after its data (1000 wanted)")
            for kind, wanted in (("zoom", 33), ("pan", 33), ("move", 5)):
                frames, handled = page.evaluate(ACTED, [kind, 120])
                told = handled if kind == "move" else frames
                median, most = statistics.median(told), sorted(told)[int(0.95 * len(told))]
                worst = f"95 % under {most:.1f} ms, worst {max(told):.1f} ms"
                print(f"  {kind}: median {median:.1f} ms, {worst} ({wanted} wanted)")
            browser.close()
    finally:
        nibble.stop()


def _warm(page: Page) -> int:
    """Have the work made, so that only the screen is measured; the number of dashes on the sheet."""
    work = page.evaluate("async () => (await fetch('/api/jobs/1/work')).json()")
    copies = sum(sheet["copies"] for sheet in work["sheets"].values())
    return copies * sum(line["dashes"] for line in work["layers"]["l1"]["lines"])


def _first_picture(page: Page, address: str) -> float:
    """Seconds from the answer that holds the work to the table showing it."""
    arrived: list[float] = []
    page.on("requestfinished", lambda one: arrived.append(time.monotonic()) if one.url.endswith("/work") else None)
    page.goto(f"{address}/jobs/1?station=sheet")
    page.wait_for_selector("section[aria-label=Table]:not([data-settling])")
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    return time.monotonic() - arrived[-1]
