"""What an operator waits for: processor time of single presses on pictures of everyday sizes, cold where a day begins
so, else on the warm store that the press finds."""

from __future__ import annotations

import hashlib
import io
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date

import numpy as np
from PIL import Image

from demo.degrade import as_png
from demo.drawings import oars
from demo.jobs import demo_jobs
from demo.photo import harbour_cat
from nibble_core.graphics import hex_colour
from nibble_core.pipeline.files import make_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sizing import sized_to
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import STARTING, Change, Ticket, apply, first_ticket
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Lettering
from nibble_core.ticket.steps import SplitByColour

WIDEST = 20_000.0  # mm


class Bench:
    """A job on a store of its own."""

    def __init__(self, content: bytes, ticket: Ticket) -> None:
        self.content, self.ticket, self.store = content, ticket, MemoryStore()

    def work(self, ticket: Ticket | None = None, upto: str = "machine") -> Work:
        return work_out(ticket or self.ticket, lambda _: self.content, self.store, upto=upto)

    def shown(self, ticket: Ticket | None = None) -> Work:
        """Worked out and judged, as the bench shows it."""
        ticket = ticket or self.ticket
        work = self.work(ticket)
        stations(ticket, work)
        return work


def started(content: bytes, name: str, width: float, mode: str) -> Bench:
    sha = hashlib.sha256(content).hexdigest()
    return Bench(content, first_ticket(name="Wait", file=sha, file_name=name, width=width, mode=mode))


def phone_photo(width: int, height: int) -> bytes:
    """Soft light, fur and grain, as a phone saves it."""
    rng = np.random.default_rng(9)
    small = Image.open(io.BytesIO(harbour_cat())).convert("RGB")
    pixels = np.asarray(small.resize((width, height), Image.Resampling.BICUBIC), np.float32)
    pixels += rng.normal(0, 4, (height, width, 1)).astype(np.float32)
    stream = io.BytesIO()
    Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8)).save(stream, "JPEG", quality=90)
    return stream.getvalue()


def told(words: str, wanted: float, act: Callable[[], object]) -> None:
    start, clock = time.process_time(), time.perf_counter()
    act()
    spent, waited = time.process_time() - start, time.perf_counter() - clock
    print(f"{words}: {spent:.1f} s of processor, {waited:.1f} s ({wanted:g} wanted)", flush=True)


def run() -> None:
    drawing = as_png(oars(3000, "#ffffff"))
    sticker = started(drawing, "badge.png", 80.0, "colours")
    told("a picture of 3000 px becomes a printed sticker", 4.0, sticker.shown)
    told("its files", 8.5, lambda: make_files(sticker.ticket, sticker.work()))
    cold = started(drawing, "badge.png", 80.0, "colours")
    told("the same files from nothing", 8.5, lambda: make_files(cold.ticket, cold.work()))
    inks = tuple(hex_colour(one.colour) for one in sticker.work().artworks["a1"].trace.value.kept)
    split(sticker, tuple(dict.fromkeys(inks)))
    bars()
    photo(phone_photo(4000, 3000))
    area(as_png(oars(1870, "#ffffff")))
    banner()


def split(bench: Bench, inks: tuple[str, ...]) -> None:
    changes = SplitByColour("p1", inks).changes(bench.ticket)
    made = apply(bench.ticket, changes)
    told(f"split into layers by its {len(inks)} colours", 8.0, lambda: bench.shown(made))
    told("and back", 8.0, bench.shown)


def bars() -> None:
    """Eight counters of a stencil fall out: each is held by bars."""
    words = Element("e1", content=Lettering("ABDOPQR8", "sans", cap_height=60.0))
    job = started(as_png(oars(300, "#ffffff")), "badge.png", 80.0, "two-tone")
    piece = replace(job.ticket.pieces[0], elements=(words,))
    layer = replace(piece.layers[0], lines=(line_of("k1", "through cut", 0.0),))
    sheet = replace(job.ticket.sheets[0], stock=STARTING.stock("birch-3mm"), machine=STARTING.machine("small-laser"))
    job.ticket = replace(job.ticket, pieces=(replace(piece, layers=(layer,)),), sheets=(sheet,))
    work = job.work()
    notes = next(one for one in stations(job.ticket, work) if one.key == "lines").notes
    mends = [(mend.label, mend.changes) for note in notes for mend in note.mends if "bar" in mend.label.lower()]
    if not mends:
        print(f"no bars are offered: {[(n.text, [m.label for m in n.mends]) for n in notes]}")
        return
    told(f"letters joined: “{mends[0][0]}”", 3.5, lambda: job.shown(apply(job.ticket, mends[0][1])))


def photo(content: bytes) -> None:
    """A phone's photo of 12 megapixels."""
    job = started(content, "photo.jpg", 200.0, "outer")
    told("a photo of 12 megapixels is started", 9.0, job.shown)
    subject = apply(job.ticket, [Change("artworks/a1/clean/background", "subject")])
    told("its subject alone", 4.5, lambda: job.shown(subject))
    stroke = {"kind": "subject", "width": 8.0, "points": [0.3, 0.55, 0.5, 0.6, 0.62, 0.5]}
    more = apply(subject, [Change("artworks/a1/clean/strokes", {"id": "s1", **stroke}, "add")])
    told("a stroke of what belongs to it", 3.5, lambda: job.shown(more))
    toned = apply(job.ticket, [Change("artworks/a1/clean/tones", "bands"), Change("artworks/a1/trace/mode", "colours")])
    told("flat tones", 3.5, lambda: job.shown(toned))
    told("its size by the finished piece", 14.5, lambda: sized_to(
        subject, "a1", "piece", "wide", 150.0, lambda ticket: job.work(ticket, "lines"), lambda _: content
    ))  # fmt: skip


def area(content: bytes) -> None:
    job = started(content, "badge.png", 200.0, "colours")
    told("a drawing of 3.5 megapixels in colours", 9.0, job.shown)
    box = {"id": "b1", "x": 0.2, "y": 0.2, "x2": 0.7, "y2": 0.75}
    boxed = apply(job.ticket, [Change("artworks/a1/trace/areas", box, "add")])
    told("an area of it alone", 5.0, lambda: job.shown(boxed))


def banner() -> None:
    made = next(one for one in demo_jobs(date(2026, 1, 1)) if "banner" in one.ticket.name.lower())
    job = Bench(made.content, made.ticket)
    told("a banner of 3.6 m", 9.0, job.shown)
    wide = apply(made.ticket, [Change("artworks/a1/width", WIDEST)])
    told("its drawing made 20 m wide", 30.0, lambda: job.shown(wide))
