"""The laser half: order of cuts against nearest neighbour and row by row, hatching against a geometry library, rings,
dithering, minutes and sizes against the simulated machine, G-code written and read back."""

from __future__ import annotations

import math
import statistics
import time
from collections.abc import Callable
from datetime import date

import cv2
import numpy as np
import shapely

from demo.jobs import demo_jobs
from nibble_core.checks.readback import check_moves
from nibble_core.formats.gcode import Dialect, read_moves, write_moves
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.geometry.arcing import arced
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.simulators.burnt import run as simulated
from nibble_core.simulators.laser import Body
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.library import MACHINES, STARTING, STOCKS
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Hatching, Line, Source
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from nibble_core.toolpaths import dithering as dither
from nibble_core.toolpaths.beam import Beam, BeamJob, moves_of
from nibble_core.toolpaths.hatching import hatched
from nibble_core.toolpaths.kerf import compensated
from nibble_core.toolpaths.motion import Drive, timed
from nibble_core.toolpaths.ordering import Items, shortest, travelled
from nibble_core.toolpaths.ordering_kernels import nearest_first
from nibble_core.toolpaths.ring_filling import ringed

PITCH = 30.0  # mm between outer shapes


def run() -> None:
    order()
    hatching()
    rings()
    dots()
    gcode()
    sweeps()
    minutes()


def order() -> None:
    """Travel of blobs with holes and islands, as ratios; the median of five seeds."""
    for count in (500, 5000):
        to_nearest, to_rows, seconds = [], [], []
        for seed in range(5):
            outlines, parent = blobs(count, seed)
            items = _items(outlines, parent)
            start = time.process_time()
            found = shortest(items)
            seconds.append(time.process_time() - start)
            at = np.argsort(found.order)
            inner = parent >= 0
            assert (at[inner] < at[parent[inner]]).all(), "an outer cut came before an inner one"
            first = items.enter
            pending = np.bincount(parent[inner], minlength=count)
            nearest = nearest_first(first, first, parent, pending, np.zeros(2))
            to_nearest.append(found.travel / travelled(nearest, first, first))
            to_rows.append(found.travel / travelled(_row_order(outlines), first, first))
        print(f"order of {count} closed paths: travel {statistics.median(to_nearest):.2f} of nearest neighbour "
              f"(worst {max(to_nearest):.2f}), {statistics.median(to_rows):.2f} of row by row "
              f"(worst {max(to_rows):.2f}), {max(seconds):.2f} s of processor, no rule broken")  # fmt: skip


def blobs(count: int, seed: int) -> tuple[list[np.ndarray], np.ndarray]:
    """Round shapes on a shaken grid, some with holes and islands in them, shuffled; each one's container, or -1."""
    g = np.random.default_rng(seed)
    outer = int(count * 0.6)
    side = math.ceil(math.sqrt(outer))
    grid = np.stack(np.meshgrid(np.arange(side), np.arange(side)), -1).reshape(-1, 2)[:outer] * PITCH + PITCH / 2
    outlines = [_blob(g, 48, g.uniform(8, 13)) + at for at in grid + g.uniform(-3, 3, grid.shape)]
    parent = [-1] * outer
    while len(outlines) < count:
        holder = int(g.integers(outer))
        turn = g.integers(4) * math.pi / 2
        middle = outlines[holder].mean(0) + 3.6 * np.array([math.cos(turn), math.sin(turn)])
        outlines.append(_blob(g, 24, 1.3) + middle)
        parent.append(holder)
        if g.random() < 0.3 and len(outlines) < count:
            outlines.append(_blob(g, 12, 0.5) + middle)
            parent.append(len(outlines) - 2)
    shuffled = g.permutation(count)
    back = np.argsort(shuffled)
    holders = np.array(parent)[shuffled]
    return [outlines[k] for k in shuffled], np.where(holders >= 0, back[holders], -1)


def _blob(g: np.random.Generator, corners: int, radius: float) -> np.ndarray:
    turn = np.linspace(0, 2 * math.pi, corners, endpoint=False)
    reach = radius * (1 + 0.12 * np.sin(3 * turn + g.uniform(0, 6)))
    return np.stack([reach * np.cos(turn), reach * np.sin(turn)], 1)


def _items(outlines: list[np.ndarray], parent: np.ndarray) -> Items:
    first = np.array([one[0] for one in outlines])
    begins = np.concatenate([[0], np.cumsum([len(one) for one in outlines])])
    return Items(first, first.copy(), np.zeros(len(outlines), bool), np.vstack(outlines), begins, parent)


def _row_order(outlines: list[np.ndarray]) -> np.ndarray:
    """Row by row and from left to right by their middles, whatever lies in what."""
    middles = np.array([one.mean(0) for one in outlines])
    return np.lexsort((middles[:, 0], np.floor(middles[:, 1] / PITCH)))


def logo() -> shapely.Polygon:
    """A wavy mark of 200 x 200 mm with four holes, 20,000 vertices."""
    turn = np.linspace(0, 2 * math.pi, 12_000, endpoint=False)
    reach = 80 + 12 * np.sin(5 * turn) + 6 * np.sin(13 * turn + 1) + 2 * np.sin(41 * turn)
    outer = np.stack([100 + reach * np.cos(turn), 100 + reach * np.sin(turn)], 1)
    holes = [
        np.stack([100 + x + r * np.cos(turn[::6]), 100 + y + r * np.sin(turn[::6])], 1)
        for x, y, r in ((-30, 0, 20), (30, 10, 18), (0, -45, 9), (0, 40, 12))
    ]
    return shapely.Polygon(outer, holes)


def hatching() -> None:
    area = logo()
    hatched(area, 1.0)
    own = statistics.median(_seconds(lambda: hatched(area, 0.1)) for _ in range(7))
    made = hatched(area, 0.1)
    y = (np.arange(2000) + 0.5) * 0.1
    lines = np.stack([np.stack([y * 0 - 1, y], 1), np.stack([y * 0 + 201, y], 1)], 1)
    every = shapely.multilinestrings(shapely.linestrings(lines))
    library = statistics.median(_seconds(lambda: shapely.intersection(every, area)) for _ in range(7))
    apart = abs(shapely.length(shapely.intersection(every, area)) - made.length)
    print(f"hatching 200 x 200 mm at 0.1 mm: {library / own:.0f} times faster than one multiline intersection "
          f"(shapely), {own * 1000:.1f} ms; length differs by {apart / made.length:.0e}")  # fmt: skip


def rings() -> None:
    area = logo()
    start = time.process_time()
    made = ringed(area, 0.1)
    taken = time.process_time() - start
    places = np.random.default_rng(1).uniform(0, 200, (60_000, 2))
    places = places[shapely.contains_xy(area, places[:, 0], places[:, 1])]
    tree = shapely.STRtree([shapely.linearrings(path.nodes) for path in made])
    _, far = tree.query_nearest(shapely.points(places), return_distance=True, all_matches=False)
    print(f"rings of the same at 0.1 mm: {taken:.2f} s of processor, {len(made)} rings, no place further than "
          f"{far.max():.3f} mm from one")  # fmt: skip


def dots() -> None:
    """24 megapixels, and the mean tone of blocks of 8 x 8 on a ramp of noise."""
    g = np.random.default_rng(2)
    ramp = np.linspace(20, 235, 6000)[None] + g.normal(0, 4, (4000, 6000))
    tones = np.clip(cv2.GaussianBlur(ramp, (0, 0), 3), 0, 255).astype(np.uint8)
    ways: dict[str, Callable[[np.ndarray], np.ndarray]] = {
        "error diffusion": dither.diffused, "ordered": dither.ordered,
        "halftone": lambda some: dither.halftone(some, screen=8, angle=0),
        "grey by power": lambda some: dither.in_levels(some) / dither.GREY_LEVELS,
    }  # fmt: skip
    for name, way in ways.items():
        way(tones[:16])
        taken = min(_seconds(lambda way=way: way(tones)) for _ in range(3))
        burnt = way(tones).astype(np.float32).reshape(500, 8, 750, 8).mean((1, 3))
        wanted = tones.reshape(500, 8, 750, 8).mean((1, 3)) / 255
        off = np.abs(burnt - wanted)
        print(f"24 megapixels, {name}: {taken:.2f} s of processor; tone of 8 x 8 blocks off by "
              f"{100 * off.mean():.1f} % in the mean, {100 * np.percentile(off, 95):.1f} % at the 95th "
              "percentile")  # fmt: skip


def gcode() -> None:
    circles = Bundle.of([Path.circle(5 + 8 * (k % 72), 5 + 8 * (k // 72), 3.5) for k in range(72 * 122)])
    arcs = arced(circles)
    strokes = hatched(shapely.box(1, 1, 599, 399), 0.1)
    pieces = np.linspace(0, 1, 77)
    rows = np.repeat(strokes.rows, 76, 0)
    share = np.tile(np.stack([pieces[:-1], pieces[:-1] + 0.6 / 77], 1), (len(strokes), 1))
    ends = rows[:, None, [0, 1]] * (1 - share[:, :, None]) + rows[:, None, [6, 7]] * share[:, :, None]
    rows = np.zeros((len(rows), 8))
    rows[:, :2], rows[:, 6:] = ends[:, 0], ends[:, 1]
    n = len(rows)
    dashes = Bundle(np.zeros(n, np.uint8), rows, np.arange(n + 1), np.zeros(n, bool))
    for name, paths, scan in (("arcs", arcs, 0.0), ("hatch strokes", dashes, 5.0)):
        count = len(paths)
        job = BeamJob(600, 1000, paths, np.zeros(count, int), np.zeros(count, int), np.ones(count),
                      (Beam("engrave", 0.5, 200.0, overscan=scan),))  # fmt: skip
        start = time.process_time()
        moves = moves_of(job, (0.0, 1000.0))
        when = timed(moves, Drive())
        planned = time.process_time() - start
        own = moves.mapped(Affine(d=-1.0, f=1000.0))
        start = time.process_time()
        content = write_moves(own, Dialect())
        written = time.process_time() - start
        start = time.process_time()
        check_moves(own, read_moves(content, Dialect()), "file", scale=1000, tolerance=0.01)
        read = time.process_time() - start
        print(f"{paths.segments} {name}: moves and minutes {planned:.2f} s, G-code written {written:.2f} s, "
              f"read back and compared {read:.2f} s of processor; {len(content) / 1e6:.1f} MB, "
              f"{when.seconds / 60:.0f} min")  # fmt: skip


def sweeps() -> None:
    """Hatched copies beside each other, in rows that run on over all of them, against one by one."""
    for count, side, gap in ((10, 25.0, 0.25), (10, 40.0, 0.1), (24, 20.0, 0.15)):
        line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(fill=Hatching(interval=gap)))
        piece = Piece("p1", "plate", count, (Element("e1", content=Figure("rectangle", side, side)),),
                      (Layer("l1", Prints(), (line,)),))  # fmt: skip
        machine, stock = MACHINES["small-laser"], STOCKS["birch-3mm"]
        own = STARTING.settings_of("small-laser", "birch-3mm")
        sheet = Sheet("s1", (Held("h1", "l1"),), stock, machine, settings=own, spacing=4.0)
        ticket = Ticket(name="plates", pieces=(piece,), sheets=(sheet,))
        work = work_out(ticket, lambda _: b"", MemoryStore())
        made = work.sheets["s1"].beam_run.value
        program = next(file.content for file in write_files(ticket, work) if file.name.endswith(".gcode"))
        body = Body(
            machine.usable_width, machine.usable_length, 0, 0, machine.acceleration, machine.fastest, machine.jump
        )
        clock = simulated(program, body)[1].seconds / 60
        print(f"{count} plates of {side:g} mm at {gap:g} mm: {made.minutes:.2f} min in rows, "
              f"{made.minutes + made.saved:.2f} one by one, {clock:.2f} by the machine's clock")  # fmt: skip


def minutes() -> None:
    """Every demo job through the simulated machine; a square with a hole at its true size."""
    worst = 0.0
    for demo in demo_jobs(date(2026, 11, 28)):
        sheets = [one for one in demo.ticket.sheets if isinstance(one.machine.head, BeamHead)]
        if not sheets:
            continue
        work = work_out(demo.ticket, lambda _, demo=demo: demo.content, MemoryStore())
        programs = [file.content for file in write_files(demo.ticket, work) if file.name.endswith(".gcode")]
        for sheet, program in zip(sheets, programs, strict=True):
            machine = sheet.machine
            body = Body(
                machine.usable_width, machine.usable_length, 0, 0, machine.acceleration, machine.fastest, machine.jump
            )
            told = simulated(program, body)[1]
            plan = work.sheets[sheet.id].beam_run.value.minutes
            worst = max(worst, abs(told.seconds / 60 / plan - 1))
            print(f"{demo.ticket.name}: {plan:.2f} min planned, {told.seconds / 60:.2f} by the machine's clock, "
                  f"{len(told.dropped)} parts dropped, {len(told.complaints)} complaints")  # fmt: skip
    print(f"minutes of all demo jobs within {100 * worst:.1f} % of the machine's clock")
    off = 0.0
    for kerf in (0.1, 0.16, 0.5, 1.2):
        square = Path.polygon([(0, 0), (50, 0), (50, 50), (0, 50)])
        made = compensated([square, Path.circle(25, 25, 10).reversed()], kerf)
        outer, hole = (one.path.bounds() for one in made)
        off = max(off, abs(outer.width - kerf - 50), abs(hole.width + kerf - 20))
    print(f"a square of 50 mm with a hole of 20 mm, kerfs of 0.1 to 1.2 mm: sides off by {off:.4f} mm at most")


def _seconds(act: Callable[[], object]) -> float:
    start = time.process_time()
    act()
    return time.process_time() - start
