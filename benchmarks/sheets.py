"""A sheet of 500 copies with 300,000 dashes: each format written, read back and compared, in processor seconds.

The whole sheet runs in a process of its own, so that the peak of its memory is its own too. Beside them a general
library writes the same polylines.
"""

from __future__ import annotations

import io
import multiprocessing
import resource
import time
from dataclasses import replace
from multiprocessing.connection import Connection

import ezdxf

from nibble_core.checks.readback import check_page
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Bundle
from nibble_core.lines.figures import figure
from nibble_core.lines.perforation import perforated
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.pages import parts_of, plotter_strokes
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import first_ticket
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints

COPIES = 500
LONG = 40_000.0  # mm of roll
GENERAL = 20_000  # polylines for the general library, scaled up


def sheet() -> tuple[Ticket, Work]:
    ticket = first_ticket(name="Many", file="0" * 64, file_name="none.png")
    star = Element("e1", content=Figure("star", 60.0, count=7))
    lines = (line_of("k1", "kiss cut", 1.0), line_of("k2", "perforate", 3.0, cut=0.34, tie=0.08))
    piece = Piece("p1", "star", COPIES, (star,), (Layer("l1", Prints(), lines),))
    laid = ticket.sheets[0]
    laid = replace(
        laid, stock=replace(laid.stock, usable_length=LONG), machine=replace(laid.machine, usable_length=LONG)
    )
    ticket = replace(ticket, artworks=(), pieces=(piece,), sheets=(laid,))
    return ticket, work_out(ticket, lambda _: b"", MemoryStore())


def measured(ending: str, answers: Connection) -> None:
    ticket, work = sheet()
    (part,) = parts_of(ticket, ticket.sheets[0], work)
    page = part.cut
    form = FORMATS[ending]
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    start = time.process_time()
    if form.sheets.unit:
        page = replace(page, stroked=plotter_strokes(part.program, ticket.sheets[0], page.height, form.sheets.unit))
    content = form.sheets.write(page)
    written = time.process_time()
    found = form.sheets.read(content)
    read = time.process_time()
    check_page(page, found, "cut file", tolerance=form.sheets.tolerance, layers=form.sheets.layers)
    done = time.process_time()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    answers.send((written - start, read - written, done - read, len(content), before // 1024, peak // 1024))


def run() -> None:
    start = time.process_time()
    ticket, work = sheet()
    drawn = next(line for line in work.layers["l1"].laid.value.lines if line.dashes)
    dashes = drawn.dashes * COPIES
    print(f"{COPIES} copies, {dashes:,} dashes, drawn in {time.process_time() - start:.1f} s of processor")
    spawn = multiprocessing.get_context("spawn")
    for ending, most in (("pdf", 3), ("svg", 5), ("dxf", 5), ("dxf-r12", 5), ("hpgl", 5)):
        answers, told = spawn.Pipe(duplex=False)
        process = spawn.Process(target=measured, args=(ending, told))
        process.start()
        told.close()
        write, read, compare, size, before, peak = answers.recv()
        process.join()
        print(
            f"  {ending}: written {write:.2f} s, read {read:.2f} s, compared {compare:.2f} s, together "
            f"{write + read + compare:.2f} s ({most} wanted); {size / 1e6:.1f} MB; {before} -> {peak} MB held"
        )
    start = time.process_time()
    write_files(ticket, work)
    print(f"  all job files of the sheet: {time.process_time() - start:.2f} s of processor")
    general(perforated(figure("star", 66, 0, count=7)[0].outer, 0.34, 0.08).bundle, dashes)


def general(dashes: Bundle, wanted: int) -> None:
    """ezdxf writing the same kind of polylines, one entity an object."""
    start = time.process_time()
    document = ezdxf.new("R2000")
    space = document.modelspace()
    made = 0
    while made < GENERAL:
        for path in dashes:
            space.add_lwpolyline(path.nodes.tolist())
        made += len(dashes)
    document.write(io.StringIO())
    seconds = (time.process_time() - start) * wanted / made
    print(f"  a general library writing as many polylines as DXF: {seconds:.1f} s (from {made:,})")
