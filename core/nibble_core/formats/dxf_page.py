"""DXF in millimetres, of sheets and of outlines: every copy of every line on the layer of its ink, as a polyline of
lines and arcs or, where it is curved more freely, as one spline; or as polylines throughout.

The frame of the file is a general library's; the entities of a sheet, often hundreds of thousands, are written and
read as arrays of tags.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator
from itertools import groupby, pairwise

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import UnreadableFile
from nibble_core.formats.dxf import in_mm, index_of, number_of, with_extents
from nibble_core.geometry import ARC, CUBIC, Affine, Box, Bundle, Path
from nibble_core.geometry.arcing import SINGLE_ARC, arced, of_bulges, single_arcs
from nibble_core.geometry.segments import Counts
from nibble_core.geometry.splines import controls_of, knots_of, path_of
from nibble_core.graphics import Drawing, Filled, Ink, Page, Shape, Stroked, hex_colour

TOLERANCE = 2 * SINGLE_ARC
"""mm: cubics that are as good as arcs lie this near as such, both ways."""
POLYLINES = 0.008
"""mm: cubics lie this near as arcs, where there is nothing else."""

MARKS = "Marks"
_DECIMALS = 5
_SPLINE = b"  0\nSPLINE\n"
_ENTITY = re.compile(rb"  0\n(?:LWPOLYLINE|SPLINE)\n")
_PART = 4_000_000  # bytes of tags looked at together


def write_page(page: Page) -> bytes:
    """Marks and lines of a page; pictures are never part of it. y upward from the sheet's lower edge."""
    return _written(page, lambda paths: single_arcs(paths).with_short_arcs())


def write_polylines(page: Page) -> bytes:
    """The same without splines, for software that knows none."""
    return _written(page, arced)


def write_drawing(drawing: Drawing) -> bytes:
    """Outlines on a layer a colour, or where they lie; every ring closed, open strokes open. They begin at 0, 0."""
    return write_page(outline_page(drawing))


def write_drawing_polylines(drawing: Drawing) -> bytes:
    """The same without splines."""
    return write_polylines(outline_page(drawing))


def outline_page(drawing: Drawing) -> Page:
    """The outlines of a drawing as lines of a page that is as large as they are."""
    box = Box.around([shape.bounds() for shape in drawing.shapes])
    to_corner = Affine.translation(-box.left, -box.top)
    stroked = []
    for (layer, colour), some in groupby(drawing.shapes, lambda one: (one.layer or one.spot, one.colour)):
        paths = [path for one in some for path in (one.region.rings if isinstance(one, Shape) else (one.path,))]
        ink = Ink(layer or hex_colour(colour), (0.0, 0.0, 0.0, 1.0), colour)
        stroked.append(Stroked(Bundle.of(paths).mapped(to_corner), ink, layer))
    return Page(box.width, box.height, (), tuple(stroked))


def _written(page: Page, formed: Callable[[Bundle], Bundle]) -> bytes:
    document = in_mm(page.width, page.height)
    for name, ink in ((MARKS, None), *((layer_name(one.ink), one.ink) for one in page.stroked)):
        if name not in document.layers and (ink is not None or page.filled):
            colour = ink.screen if ink else (0, 0, 0)
            document.layers.add(name, color=index_of(colour), true_color=number_of(colour))
    owner = document.modelspace().layout_key
    upward = Affine(d=-1.0, f=page.height)
    out = io.StringIO()
    handle = 0x1000
    runs: list[tuple[Bundle, str, tuple[Affine, ...]]] = [(filled.paths, MARKS, (Affine(),)) for filled in page.filled]
    runs += [(one.paths, layer_name(one.ink), one.placements) for one in page.stroked]
    boxes: list[Box] = []
    for paths, layer, placements in runs:
        definition = formed(paths)
        for place in placements:
            put = definition.mapped(place).mapped(upward)
            out.write(_entities(put, layer, owner, handle))
            handle += len(definition)
            boxes += [put.bounds()] if len(put) else []
    if boxes:
        with_extents(document, Box.around(boxes))
    document.entitydb.handles.reset(f"{handle:X}")
    frame = io.StringIO()
    document.write(frame)
    whole = re.sub(r"(  2\nENTITIES\n)", lambda found: found[0] + out.getvalue(), frame.getvalue(), count=1)
    return whole.encode("cp1252", "replace")


def read_page(content: bytes) -> Page:
    """Size, marks and lines of what was written here; consecutive lines of a layer are one bundle.

    Raises UnreadableFile when the bytes are not such a file.
    """
    start = content.find(b"  2\nENTITIES\n")
    end = content.find(b"  0\nENDSEC\n", start)
    size = re.search(rb"\$LIMMAX\s+10\s+(\S+)\s+20\s+(\S+)", content[: max(start, 0)])
    if start < 0 or end < 0 or not size or not re.search(rb"\$INSUNITS\s+70\s+4\s", content[:start]):
        raise UnreadableFile("This is not a DXF in millimetres.", "Make the files again.")
    width, height = float(size[1]), float(size[2])
    found: list[tuple[str, list[Bundle]]] = []
    try:
        for part in _parts(content, start + len(b"  2\nENTITIES\n"), end):
            for layer, paths in _lines(part):
                if not found or found[-1][0] != layer:
                    found.append((layer, []))
                found[-1][1].append(paths)
    except (ValueError, IndexError) as error:
        raise UnreadableFile("The lines of this DXF cannot be read.", "Make the files again.") from error
    downward = Affine(d=-1.0, f=height)
    read = [(layer, Bundle.joined(some).mapped(downward)) for layer, some in found]
    filled = tuple(Filled(paths) for layer, paths in read if layer == MARKS)
    black = (0.0, 0.0, 0.0, 1.0)
    return Page(width, height, filled, tuple(Stroked(p, Ink(name, black), "") for name, p in read if name != MARKS))


def layer_name(ink: Ink) -> str:
    """The layer that lines of an ink lie on."""
    return re.sub(r"[^\w .#-]", "_", ink.name)[:60]


def _entities(paths: Bundle, layer: str, owner: str, handle: int) -> str:
    """One entity a path, in their order: a SPLINE where it has cubics, an LWPOLYLINE elsewhere."""
    free = np.zeros(len(paths), bool)
    free[np.searchsorted(paths.offsets, np.nonzero(paths.kinds == CUBIC)[0], side="right") - 1] = True
    changes = np.nonzero(np.diff(free))[0] + 1
    made = []
    for low, high in pairwise([0, *changes.tolist(), len(paths)]):
        some = paths.part(low, high)
        if high > low and free[low]:
            made += [_spline(path, layer, owner, handle + low + k) for k, path in enumerate(some)]
        elif high > low:
            made.append(_polylines(some, layer, owner, handle + low))
    return "".join(made)


def _spline(path: Path, layer: str, owner: str, handle: int) -> str:
    controls = np.round(controls_of(path), _DECIMALS) + 0.0
    knots = knots_of(controls)
    flags = 8 + int(path.closed)  # flat, closed
    told = [
        f"  0\nSPLINE\n  5\n{handle:X}\n330\n{owner}\n100\nAcDbEntity\n  8\n{layer}\n100\nAcDbSpline\n"
        f"210\n0\n220\n0\n230\n1\n 70\n{flags}\n 71\n3\n 72\n{len(knots)}\n 73\n{len(controls)}\n 74\n0\n",
        *(f" 40\n{knot:g}\n" for knot in knots.tolist()),
        *(f" 10\n{x!r}\n 20\n{y!r}\n 30\n0\n" for x, y in controls.tolist()),
    ]
    return "".join(told)


def _polylines(paths: Bundle, layer: str, owner: str, handle: int) -> str:
    """One LWPOLYLINE a path."""
    kinds, rows, offsets, closed = paths.kinds, paths.rows, paths.offsets, paths.closed
    vertex, bent = "10\n%r\n20\n%r\n", "10\n%r\n20\n%r\n42\n%r\n"
    said = np.array([vertex, bent], object)[(kinds == ARC).astype(np.int64)]
    counts = np.diff(offsets) + ~closed
    heads = [
        f"  0\nLWPOLYLINE\n  5\n{handle + i:X}\n330\n{owner}\n100\nAcDbEntity\n  8\n{layer}\n100\nAcDbPolyline\n"
        f" 90\n{count}\n 70\n{flag}\n"
        for i, (count, flag) in enumerate(zip(counts.tolist(), closed.astype(int).tolist(), strict=True))
    ]
    said[offsets[:-1]] = np.array(heads, object) + said[offsets[:-1]]
    last = offsets[1:] - 1
    said[last[~closed]] += vertex
    taken = np.where(kinds == ARC, 3, 2)
    extra = np.zeros(len(rows), np.int64)
    extra[last[~closed]] = 2
    ends_at = np.cumsum(taken + extra)
    at = ends_at - taken - extra
    numbers = np.empty(int(ends_at[-1]) if len(ends_at) else 0)
    numbers[at], numbers[at + 1] = rows[:, 0], rows[:, 1]
    arcs = kinds == ARC
    numbers[at[arcs] + 2] = np.tan(rows[arcs, 4] / 4)
    numbers[ends_at[last[~closed]] - 2] = rows[last[~closed], 6]
    numbers[ends_at[last[~closed]] - 1] = rows[last[~closed], 7]
    places = np.full(len(numbers), _DECIMALS)
    places[at[arcs] + 2] = 9
    numbers = np.where(places == 9, np.round(numbers, 9), np.round(numbers, _DECIMALS)) + 0.0
    return "".join(said.tolist()) % tuple(numbers.tolist())


def _parts(content: bytes, start: int, end: int) -> Iterator[bytes]:
    """Whole entities, some megabytes at a time."""
    while start < end:
        found = _ENTITY.search(content, start + _PART, end) if start + _PART < end else None
        stop = end if found is None else found.start()
        yield content[start:stop]
        start = stop


def _lines(part: bytes) -> Iterator[tuple[str, Bundle]]:
    """Whole entities by layer, as they follow each other."""
    begins = [found.start() for found in _ENTITY.finditer(part)]
    splines = [begin for begin in begins if part.startswith(_SPLINE, begin)]
    if not splines:
        yield from _read_polylines(part)
        return
    ends = dict(zip(begins, [*begins[1:], len(part)], strict=True))
    at = 0
    for begin in splines:
        if begin > at:
            yield from _read_polylines(part[at:begin])
        at = ends[begin]
        yield _read_spline(part[begin:at])
    if at < len(part):
        yield from _read_polylines(part[at:])


def _read_spline(entity: bytes) -> tuple[str, Bundle]:
    tags = entity.split(b"\n")[:-1]
    told: dict[int, list[bytes]] = {}
    for code, value in zip(tags[0::2], tags[1::2], strict=True):
        told.setdefault(int(code), []).append(value)
    controls = np.column_stack([np.array(told[code], float) for code in (10, 20)])
    if not np.array_equal(np.array(told[40], float), knots_of(controls)):
        raise ValueError("knots are missing")
    return told[8][0].decode("cp1252"), Bundle.of([path_of(controls, closed=bool(int(told[70][0]) & 1))])


def _read_polylines(part: bytes) -> Iterator[tuple[str, Bundle]]:
    """Polylines by layer, as they follow each other."""
    letters = np.frombuffer(part, np.uint8)
    breaks = np.nonzero(letters == 10)[0]
    begins = np.concatenate([[0], breaks[:-1] + 1])
    codes = np.fromstring(_stretches(letters, begins[0::2], breaks[0::2]), sep=" ").astype(np.int64)
    if len(codes) * 2 != len(breaks):
        raise ValueError("tags do not pair")
    value_begins, value_ends = begins[1::2], breaks[1::2]

    def numbers(code: int) -> NDArray[np.float64]:
        some = codes == code
        return np.fromstring(_stretches(letters, value_begins[some], value_ends[some]), sep=" ")

    entities = np.nonzero(codes == 0)[0]
    xs = np.nonzero(codes == 10)[0]
    points = np.column_stack([numbers(10), numbers(20)])
    bulge = np.zeros(len(points))
    bent = np.nonzero(codes == 42)[0]
    bulge[np.searchsorted(xs, bent) - 1] = numbers(42)
    closed = (numbers(70).astype(np.int64) & 1).astype(bool)
    counts = numbers(90).astype(np.int64)
    own = np.bincount(np.searchsorted(entities, xs, side="right") - 1, minlength=len(entities))
    if len(counts) != len(entities) or (own != counts).any() or len(closed) != len(counts):
        raise ValueError("vertices are missing")
    layers = [
        part[a:b] for a, b in zip(*(some[codes == 8].tolist() for some in (value_begins, value_ends)), strict=True)
    ]
    ends = np.cumsum(counts)
    firsts = ends - counts
    following = np.roll(points, -1, 0)
    following[ends - 1] = points[firsts]
    kinds, rows = of_bulges(points, following, bulge)
    kept = np.ones(len(points), bool)
    kept[ends[~closed] - 1] = False
    offsets = np.concatenate([[0], np.cumsum(counts - ~closed)])
    whole = Bundle(kinds[kept], rows[kept], offsets, closed)
    changes = [i for i in range(1, len(layers)) if layers[i] != layers[i - 1]]
    for low, high in zip([0, *changes], [*changes, len(layers)], strict=True):
        if high > low:
            yield layers[low].decode("cp1252").strip(), whole.part(low, high)


def _stretches(letters: NDArray[np.uint8], begins: Counts, ends: Counts) -> bytes:
    """The bytes of some stretches, a space after each."""
    lengths = ends - begins + 1
    at = np.repeat(begins - np.concatenate([[0], np.cumsum(lengths)[:-1]]), lengths) + np.arange(lengths.sum())
    taken = letters[at]
    taken[np.cumsum(lengths) - 1] = 32
    return bytes(taken)
