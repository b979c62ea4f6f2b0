"""The zoo: forty shapes at twenty distances, whose contours must be sound, and the whole chain at 3000 px."""

from __future__ import annotations

import hashlib
import time

import numpy as np
import shapely
from tests import zoo

from nibble_core.checks.readback import check_page
from nibble_core.errors import FileDisagrees, NothingToCut
from nibble_core.formats import pdf, pdf_reader, svg
from nibble_core.formats.pixels import write_png
from nibble_core.geometry import Bundle, Region
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import BLACK, Page, Raster, Stroked
from nibble_core.lines.contour import contour, contour_area, outer_shape_of
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.trace import traced_raster
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from nibble_core.ticket.artwork import Trace

DISTANCES = (-1.5, -1, -0.5, -0.3, -0.1, 0, 0.1, 0.3, 0.5, 0.8, 1, 1.5, 2, 2.5, 3, 3.175, 3.5, 5, 8, 12)
JOINT, OFF = 1e-9, 0.02  # mm


def run() -> None:
    contours()
    both_ways()
    chain()


def contours() -> None:
    faults, made, started = [], 0, time.process_time()
    for name in zoo.NAMES:
        for distance in DISTANCES:
            base = outer_shape_of(zoo.shape(name), close_gaps=1.5)
            try:
                regions = contour(base, distance)
            except NothingToCut:
                continue
            made += 1
            why = _fault(base, regions, distance)
            if why:
                faults.append(f"{name} at {distance:g} mm: {why}")
    print(f"contours of the zoo, written as PDF and SVG and read back: {len(faults)} of {made} at fault, "
          f"{time.process_time() - started:.0f} s of processor")  # fmt: skip
    print(*(f"  {fault}" for fault in faults), sep="\n", end="\n" if faults else "")


def _fault(base: shapely.MultiPolygon, regions: list[Region], distance: float) -> str:
    rings = [ring for region in regions for ring in region.rings]
    gap = max(float(np.hypot(*(np.roll(ring.rows[:, :2], -1, 0) - ring.rows[:, 6:]).T).max()) for ring in rings)
    if gap > JOINT:
        return f"segments {gap:.3g} mm apart"
    whole = shapely.MultiPolygon([region.polygon(0.0005) for region in regions])
    if not whole.is_valid:
        return shapely.is_valid_reason(whole)
    drawn, ideal = _edges(whole), _edges(contour_area(base, distance).area)
    off = max(float(distances_to_lines(np.vstack(one), other).max()) for one, other in ((drawn, ideal), (ideal, drawn)))
    if off > OFF:
        return f"{off:.3f} mm off"
    _, _, right, bottom = whole.bounds
    page = Page(right + 1, bottom + 1, stroked=(Stroked(Bundle.of(rings), BLACK, "through cut"),))
    try:
        check_page(page, pdf_reader.read_page(pdf.write_page(page)), "cut file")
        check_page(page, svg.read_page(svg.write_page(page)), "cut file as SVG")
    except FileDisagrees as error:
        return error.message
    return ""


def _edges(area: shapely.MultiPolygon) -> list[np.ndarray]:
    return [np.asarray(ring.coords) for part in polygons(area) for ring in (part.exterior, *part.interiors)]


def both_ways() -> None:
    """Ink left out and added by a two-tone trace, px."""
    left, added = [], []
    for width in (400, 1000, 2200):
        for name in zoo.NAMES:
            _, found = traced_raster(zoo.picture(zoo.shape(name), width), Trace(), 100.0)
            assert found.two_way is not None
            left.append((found.two_way.left_out, f"{name} at {width} px"))
            added.append((found.two_way.added, f"{name} at {width} px"))
    told = sum(off > 3 for off, _ in left)
    print(f"two-tone traces at 400, 1000 and 2200 px: ink left out beyond 3 px in {told} of {len(left)}, most "
          f"{max(left)[0]:.1f} px ({max(left)[1]}); added most {max(added)[0]:.1f} px ({max(added)[1]})")  # fmt: skip


def chain() -> None:
    """From bytes to files, processor time, with the compiled loops loaded."""
    _seconds("warm", zoo.picture(zoo.shape("lamp"), 600))
    pictures = {name: (lambda name=name: zoo.picture(zoo.shape(name), 3000)) for name in zoo.NAMES}
    pictures |= {"noise": lambda: zoo.noise_picture(3000), "brushed scan": lambda: zoo.brushed_picture(3000),
                 "5,000 specks": lambda: zoo.specks_picture(3000)}  # fmt: skip
    taken = sorted(((_seconds(name, draw()), name) for name, draw in pictures.items()), reverse=True)
    median = float(np.median([seconds for seconds, _ in taken]))
    worst = ", ".join(f"{name} {seconds:.1f}" for seconds, name in taken[:5])
    print(f"whole chain at 3000 px, s of processor: median {median:.1f}; worst {worst}")


def _seconds(name: str, raster: Raster) -> float:
    content = write_png(raster)
    ticket = first_ticket(name=name, file=hashlib.sha256(content).hexdigest(), file_name="a.png", width=100)
    here = "pieces/p1/layers/l1/lines"
    inner = {"id": "k2", "process": "kiss cut", "source": "the shapes", "distance": 0.0, "close_gaps": 0.0,
             "holes": "kept", "smallest_hole": 0.0, "crossings": "may cross"}  # fmt: skip
    ticket = apply(ticket, [Change(here, inner, "add")])
    started = time.process_time()
    work = work_out(ticket, lambda _: content, MemoryStore())
    stations(ticket, work)
    if not work.problems:
        write_files(ticket, work)
    return time.process_time() - started
