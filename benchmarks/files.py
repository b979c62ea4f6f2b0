"""Job files: marks by an independent reader, the fringe of a cleaned picture, five hundred copies."""

from __future__ import annotations

import hashlib
import io
import time

import numpy as np
import pikepdf
import pypdfium2 as pdfium

from nibble_core.artwork.background import take_background_away
from nibble_core.formats.pixels import write_png
from nibble_core.geometry import Path
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import first_ticket


def run() -> None:
    ink = covered([Path.circle(200.3, 199.6, 150.4).flattened(0.005)], 400, 400)[..., None]
    fringe(ink)
    picture = Raster(np.dstack([np.rint(255 - ink[..., 0] * [[225]]), *[np.rint(255 - 215 * ink[..., 0])] * 2,
                                np.full((400, 400), 255)]).astype(np.uint8))  # fmt: skip
    content = write_png(picture)
    ticket = first_ticket(
        name="Many", file=hashlib.sha256(content).hexdigest(), file_name="a.png", width=40, quantity=500
    )
    start = time.perf_counter()
    files = {f.name: f.content for f in write_files(ticket, work_out(ticket, lambda _: content, MemoryStore()))}
    taken = time.perf_counter() - start
    marks = [mark_centres(files[f"many-{kind}.pdf"]) for kind in ("print", "cut")]
    print(f"marks in print and cut file, read by pypdfium2: {np.abs(marks[0] - marks[1]).max():.6f} mm apart at most")
    with pikepdf.open(io.BytesIO(files["many-print.pdf"])) as document:
        streams = [o for o in document.objects if isinstance(o, pikepdf.Stream) and o.get("/Subtype") == "/Image"]
    stored = sum("/SMask" in stream for stream in streams)
    sizes = ", ".join(f"{kind} file {len(files[f'many-{kind}.pdf']) / 1e3:.0f} kB" for kind in ("print", "cut"))
    print(f"500 copies: {stored} picture stored, {sizes}, all files made and read back in {taken:.1f} s")


def fringe(ink: np.ndarray) -> None:
    worst = 0.0
    for fore, back in (
        ((200, 40, 30), (255, 255, 255)),
        ((240, 230, 40), (20, 40, 90)),
        ((20, 20, 20), (255, 255, 255)),
    ):
        mixed = np.rint(ink * np.array(fore) + (1 - ink) * np.array(back)).astype(np.uint8)
        raster = Raster(np.dstack([mixed, np.full(ink.shape[:2], 255, np.uint8)]))
        cleaned = take_background_away(raster, way="flood").raster
        alpha = cleaned.alpha[..., None] / 255
        for paper in ((0, 0, 0), (255, 255, 255), (0, 160, 90)):
            shown = cleaned.pixels[..., :3] * alpha + np.array(paper) * (1 - alpha)
            worst = max(worst, float(np.abs(shown - (ink * np.array(fore) + (1 - ink) * np.array(paper))).max()))
    print(f"fringe of a cleaned picture on any paper: {worst:.2f} grey levels at most")


def mark_centres(content: bytes) -> np.ndarray:
    page = pdfium.PdfDocument(content)[0]
    boxes = [thing.get_bounds() for thing in page.get_objects(max_depth=4) if thing.type == 2]
    side = 6 / 25.4 * 72
    return np.array([((a + c) / 2, (b + d) / 2) for a, b, c, d in boxes if abs(c - a - side) < 0.1]) / 72 * 25.4
