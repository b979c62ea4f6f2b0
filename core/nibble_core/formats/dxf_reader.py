"""A client's DXF to shapes in mm: every flat entity, blocks, bulges; loose segments joined into loops."""

from __future__ import annotations

import io
import logging
import math
import re
import struct
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from nibble_core.errors import FileTooLarge, NothingToTrace, UnreadableFile
from nibble_core.formats.client_drawing import ClientDrawing, Lettering
from nibble_core.geometry import ARC, CUBIC, LINE, Path
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.points import Affine
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.segments import longest_cubic
from nibble_core.graphics import HAIRLINE, Colour, Drawing, Drawn, Shape, Stroke
from nibble_core.graphics.filling import filled_regions

JOIN = 0.02
"""mm: ends of loose segments nearer than this are one place."""

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8, "pt": 25.4 / 72}
_INSUNITS = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
_RARE_UNITS = {
    3: ("miles", 1_609_344.0), 7: ("kilometres", 1e6), 8: ("microinches", 25.4e-6),
    9: ("thousandths of an inch", 0.0254),
    10: ("yards", 914.4), 11: ("ångströms", 1e-7), 12: ("nanometres", 1e-6), 13: ("micrometres", 1e-3),
    14: ("decimetres", 100.0), 15: ("decametres", 1e4), 16: ("hectometres", 1e5), 17: ("gigametres", 1e12),
    21: ("survey feet", 1200e3 / 3937), 22: ("survey inches", 100e3 / 3937), 23: ("survey yards", 3600e3 / 3937),
}  # fmt: skip
"""Other values of $INSUNITS, and the millimetres of each."""
_TEXTS = {"TEXT", "MTEXT", "ATTRIB", "ATTDEF"}
_SOLID_BODIES = {"3DSOLID", "BODY", "REGION", "SURFACE", "MESH", "3DFACE", "POLYFACE", "EXTRUDEDSURFACE", "HELIX"}
_SILENT = {"POINT", "VIEWPORT", "IMAGE", "WIPEOUT", "OLE2FRAME", "RAY", "XLINE", "ACAD_PROXY_ENTITY", "LIGHT", "TABLE"}
MOST_ENTITIES = 400_000
MOST_PATTERN_LINES = 20_000  # of one hatched area; one of more is taken as solid
BINARY = b" Binary DXF"
"""What stands in the first line of a binary file, behind its maker's name."""
DECIMAL_COMMA = re.compile(
    rb"(?m)^([ \t]*(?:[1-5]\d|1[1-4]\d|2[1-3]\d|46\d|10[1-5]\d)[ \t]*\r?\n[ \t]*-?\d*),(\d+(?:[eE][-+]?\d+)?[ \t]*\r?)$"
)
"""A number with a comma behind a group code whose values are numbers with a fraction."""
NOTHING = 1e-9  # mm
SEAM = 1e-4  # mm by which the parts of a tapered line overlap
BY_BLOCK, BY_LAYER = 0, 256  # colour indices


def read_dxf(content: bytes, name: str = "", *, unit: str | None = None) -> ClientDrawing:
    """All that a DXF draws flat, in mm, y turned down, its box at the origin.

    ``unit``: what a number means where the file does not say; mm if that is not given either, and ``has_unit`` is
    False then. Raises UnreadableFile and NothingToTrace.
    """
    called = f"“{name}”" if name else "This DXF"
    document, auditor_notes = _document(content, called)
    code = int(document.header.get("$INSUNITS", 0) or 0)
    rare = _RARE_UNITS.get(code)
    stated = "mm" if rare else _INSUNITS.get(code)
    walk = _Walk(called, rare[1] if rare else UNITS[stated or unit or "mm"])
    if rare:
        walk.notes.append(f"Its numbers are {rare[0]}, and are read so.")
    walk.run(document)
    if not walk.strokes and not walk.shapes:
        raise NothingToTrace(*walk.nothing())
    joined, count = join_ends([one for one in walk.strokes if not one.width], JOIN)
    drawn: list[Drawn] = [*walk.shapes, *(one for one in walk.strokes if one.width), *joined]
    boxes = [shape.bounds() for shape in drawn]
    left, top = min(b.left for b in boxes), min(b.top for b in boxes)
    right, bottom = max(b.right for b in boxes), max(b.bottom for b in boxes)
    if not all(math.isfinite(v) and abs(v) < 1e8 for v in (left, top, right, bottom)):
        raise UnreadableFile(f"{called} has coordinates beyond any drawing.", "Ask for it saved again in mm.")
    moved = tuple(shape.mapped(Affine.translation(-left, -top)) for shape in drawn)
    lettering = tuple(replace(one, at=(one.at[0] - left, one.at[1] - top)) for one in walk.lettering if one.at)
    notes = [*auditor_notes, *walk.notes]
    if count:
        notes.append(f"{count} loose segments were joined where their ends lie within {JOIN} mm.")
    return ClientDrawing(
        Drawing(max(right - left, 1e-6), max(bottom - top, 1e-6), moved), "DXF", has_unit=stated is not None,
        unit=stated or unit or "mm", notes=tuple(notes), lettering=lettering,
        leftovers={"hidden": walk.hidden} if walk.hidden else {},
    )  # fmt: skip


def _document(content: bytes, called: str) -> tuple[Any, list[str]]:
    from ezdxf import recover
    from ezdxf.document import Drawing as Document
    from ezdxf.lldxf.const import DXFError
    from ezdxf.lldxf.tagger import binary_tags_loader

    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # what it repairs is counted below, in our own words
    if len(content) > 200_000_000:
        raise FileTooLarge(f"{called} is over 200 MB.", "Ask for a simpler drawing.")
    notes: list[str] = []
    try:
        if content[7:18] == BINARY:
            return Document.load(binary_tags_loader(content)), notes
        content, commas = DECIMAL_COMMA.subn(rb"\1.\2", content)
        if commas:
            notes.append("Its numbers are written with decimal commas, and are read so.")
        document, auditor = recover.read(io.BytesIO(content))
    except (DXFError, OSError, ValueError, KeyError, IndexError, TypeError, AttributeError, struct.error) as error:
        raise UnreadableFile(
            f"{called} starts like a DXF but cannot be read: it is damaged or cut short.", "Save or send it again."
        ) from error
    if auditor.errors:
        notes.append(f"{len(auditor.errors)} damaged entries are left out.")
    return document, notes


def _unfolded(document: Any, entities: Iterable[Any], known: dict[str, float]) -> float:
    """How many entities there are when all blocks are unfolded; infinitely many if a block holds itself. ``known``: the
    same of blocks by name."""
    total = 0.0
    for entity in entities:
        total += 1
        if entity.dxftype() == "INSERT":
            name = str(entity.dxf.name).lower()
            if name not in known:
                known[name] = math.inf  # until it is known
                block = document.blocks.get(name)
                known[name] = _unfolded(document, block, known) if block is not None else 0.0
            total += entity.mcount * known[name]
    return total


@dataclass(frozen=True)
class _Outside:
    """What entities take from where they are: the layer and colour of the block reference they belong to."""

    layer: str
    colour: Colour


class _Walk:
    def __init__(self, called: str, scale: float) -> None:
        self.called, self.scale = called, scale
        self.strokes: list[Stroke] = []
        self.shapes: list[Shape] = []
        self.notes: list[str] = []
        self.lettering: list[Lettering] = []
        self.passed: Counter[str] = Counter()
        self.told: Counter[str] = Counter()
        self.hidden = 0

    def run(self, document: Any) -> None:
        self.frozen = {layer.dxf.name.lower() for layer in document.layers if layer.is_frozen()}
        self.off = self.frozen | {layer.dxf.name.lower() for layer in document.layers if layer.is_off()}
        self.colours = {layer.dxf.name.lower(): layer.color for layer in document.layers}
        if _unfolded(document, document.modelspace(), {}) > MOST_ENTITIES:
            raise FileTooLarge(
                f"{self.called} unfolds into more than {MOST_ENTITIES:,} entities.", "Ask for a simpler one."
            )
        self.walk(document.modelspace(), _Outside("0", (0, 0, 0)))
        self.notes += [f"{what} ({count} of them)." for what, count in self.told.items()]
        on_paper = sum(
            entity.dxftype() not in _SILENT for layout in document.layouts if not layout.is_modelspace
            for entity in layout
        )  # fmt: skip
        if on_paper:
            self.notes.append(f"{on_paper} entries of its layout sheets (frames, title blocks) are left out.")
        if self.passed:
            kinds = ", ".join(sorted(self.passed))
            self.notes.append(f"{sum(self.passed.values())} entries that are not flat lines are left out ({kinds}).")

    def nothing(self) -> tuple[str, str]:
        if any(kind in _SOLID_BODIES for kind in self.passed):
            return (
                f"{self.called} holds solid bodies only, and nothing flat that could be cut.",
                "Ask for a flat view of the part, saved as DXF.",
            )
        if self.lettering:
            return f"{self.called} holds only text, without outlines.", "Ask for the text turned into outlines."
        if self.hidden:
            return f"{self.called} draws nothing on the layers that are switched on.", "Ask for its layers switched on."
        return f"{self.called} draws nothing.", "Check that it is the right file."

    def walk(self, entities: Iterable[Any], outside: _Outside) -> None:
        """Takes entities and what blocks and dimensions among them unfold into. What lies on layer 0 of a block is on
        the layer of the block's reference, and takes its colour from there."""
        from ezdxf.protocols import SupportsVirtualEntities, virtual_entities

        for entity in entities:
            layer = str(entity.dxf.get("layer", "0"))
            layer = outside.layer if layer == "0" else layer
            # a block whose reference is switched off, not frozen, still shows what is on other layers
            hidden = self.frozen if entity.dxftype() == "INSERT" else self.off
            if layer.lower() in hidden or entity.dxf.get("invisible", 0):
                self.hidden += 1
                continue
            colour = self._colour(entity, layer, outside.colour)
            if entity.dxftype() == "INSERT" and self._is_missing(entity):
                continue
            if entity.dxftype() == "INSERT" and entity.mcount > 1:
                self.walk(entity.multi_insert(), outside)
            elif isinstance(entity, SupportsVirtualEntities):
                inner = _Outside(layer, colour)
                self.walk(getattr(entity, "attribs", ()), inner)
                self.walk(virtual_entities(entity), inner)
            else:
                self.take(entity, "" if layer == "0" else layer, colour)

    def _is_missing(self, entity: Any) -> bool:
        """Whether a reference is to a drawing, or a block, that is not in the file."""
        block = entity.block()
        if block is not None and not block.block.is_xref:
            return False
        path = str(block.block.dxf.get("xref_path", "") if block is not None else "") or str(entity.dxf.name)
        name = re.split(r"[/\\]", path)[-1][:60]
        self.told[f"The reference to “{name}” is left out: ask for it, or for the drawings bound into one"] += 1
        return True

    def take(self, entity: Any, layer: str, colour: Colour) -> None:
        kind = entity.dxftype()
        if kind in _TEXTS:
            words = entity.plain_text() if hasattr(entity, "plain_text") else str(entity.dxf.get("text", ""))
            if words.strip():
                self.lettering.append(self._lettering(entity, " ".join(words.split())[:200]))
            return
        if kind in _SILENT:
            return
        if kind in ("SOLID", "TRACE", "HATCH", "MPOLYGON"):
            if kind == "HATCH" and self._pattern(entity, colour, layer):
                return
            self._filled(entity, kind, colour, layer)
            return
        width = self._width(entity, kind)
        if width is None:
            self._tapered(entity, colour, layer)
            return
        if kind == "LINE" and self._stands(entity):
            self.told["Lines that stand upright are left out: seen from above they are points"] += 1
            return
        for path in self._paths(entity, kind):
            # a circle without radius, or a line without length, draws nothing and would widen the page
            if (
                np.isfinite(path.rows).all()
                and max(np.ptp(path.rows[:, [0, 6]]), np.ptp(path.rows[:, [1, 7]])) > NOTHING
            ):
                self.strokes.append(Stroke(path, width or HAIRLINE, colour, layer))

    def _stands(self, entity: Any) -> bool:
        """Whether a line goes straight up or down."""
        a, b = entity.dxf.start, entity.dxf.end
        return bool(math.hypot(b.x - a.x, b.y - a.y) <= NOTHING < abs(b.z - a.z))

    def _width(self, entity: Any, kind: str) -> float | None:
        """Of a polyline, mm; 0 for a bare line, None where it changes along the way."""
        if kind == "LWPOLYLINE":
            own = [(start, end) for _, _, start, end, _ in entity.get_points("xyseb")]
            usual = float(entity.dxf.get("const_width", 0.0) or 0.0)
        elif kind == "POLYLINE" and entity.is_2d_polyline:
            usual = float(entity.dxf.get("default_start_width", 0.0) or 0.0)
            own = [(v.dxf.get("start_width", usual), v.dxf.get("end_width", usual)) for v in entity.vertices]
        else:
            return 0.0
        widths = {float(value or 0.0) or usual for pair in own for value in pair} or {usual}
        if len(widths) > 1 or not all(0 <= width < 1e6 for width in widths):
            return None
        return widths.pop() * self.scale

    def _tapered(self, entity: Any, colour: Colour, layer: str) -> None:
        """A polyline of changing width, as what it covers."""
        from ezdxf.render.trace import TraceBuilder

        try:
            faces = [[self._place(v.x, v.y) for v in face] for face in TraceBuilder.from_polyline(entity).faces()]
        except (ValueError, TypeError, ZeroDivisionError, ArithmeticError):
            self.passed[entity.dxftype()] += 1
            return
        areas = [shapely.make_valid(shapely.Polygon(face)) for face in faces if np.isfinite(face).all()]
        whole = shapely.union_all([area.buffer(SEAM, join_style="mitre") for area in areas])
        self.shapes += [Shape(refit_polygon(part), colour, layer) for part in polygons(whole)]

    def _pattern(self, entity: Any, colour: Colour, layer: str) -> bool:
        """The lines of a hatch pattern; False where it is solid, or has no end of them."""
        from itertools import islice

        from ezdxf.lldxf.const import DXFError
        from ezdxf.render.hatching import hatch_entity

        if entity.dxf.get("solid_fill", 1):
            return False
        if entity.pattern is None or not entity.pattern.lines:
            self.told["Hatched areas do not say their pattern, and are taken as solid"] += 1
            return False
        try:
            lines = list(islice(hatch_entity(entity), MOST_PATTERN_LINES + 1))
        except (ValueError, TypeError, DXFError, ZeroDivisionError, ArithmeticError):
            lines = []
        if not lines or len(lines) > MOST_PATTERN_LINES:
            self.told["Hatched areas have no lines that can be drawn one by one, and are taken as solid"] += 1
            return False
        self.told["Hatched areas are taken as the lines of their pattern"] += 1
        for start, end in lines:
            path = Path.polygon([self._place(start.x, start.y), self._place(end.x, end.y)], closed=False)
            if np.isfinite(path.rows).all():
                self.strokes.append(Stroke(path, HAIRLINE, colour, layer))
        return True

    def _colour(self, entity: Any, layer: str, outside: Colour) -> Colour:
        """An entity's own colour, its layer's, or that of the block reference it is in."""
        from ezdxf import colors

        true = entity.dxf.get("true_color")
        if true is not None:
            red, green, blue = colors.int2rgb(true)
            return red, green, blue
        index = abs(int(entity.dxf.get("color", 256)))
        if index == BY_BLOCK:
            return outside
        if index == BY_LAYER:
            index = abs(int(self.colours.get(layer.lower(), 7)))
        if index == 7 or not 1 <= index <= 255:
            return (0, 0, 0)
        red, green, blue = colors.aci2rgb(index)
        return red, green, blue

    def _lettering(self, entity: Any, words: str) -> Lettering:
        """Text with the place of its baseline."""
        turn = -float(entity.dxf.get("rotation", 0.0) or 0.0)
        if entity.dxftype() == "MTEXT":
            at, height = entity.dxf.insert, float(entity.dxf.get("char_height", 2.5))
            row, column = divmod(int(entity.dxf.get("attachment_point", 1)) - 1, 3)
            share, below = 0.5 * column, height * (1.0, 0.5, 0.0)[min(max(row, 0), 2)]
        else:
            align, at, _ = entity.get_placement()
            height, below = float(entity.dxf.get("height", 2.5)), 0.0
            share = {"CENTER": 0.5, "MIDDLE": 0.5, "RIGHT": 1.0}.get(align.name.rsplit("_", 1)[-1], 0.0)
        x, y = self._place(at.x, at.y - below)
        return Lettering(words, str(entity.dxf.get("style", "Standard")), (x, y), height * self.scale, share, turn)

    def _place(self, x: float, y: float) -> tuple[float, float]:
        return x * self.scale, -y * self.scale

    def _paths(self, entity: Any, kind: str) -> list[Path]:
        """Lines and arcs as they are where the entity lies flat, everything else through cubics."""
        flat = abs(entity.dxf.get("extrusion", (0, 0, 1))[2] - 1) < 1e-9 if entity.dxf.hasattr("extrusion") else True
        if kind == "LINE":
            a, b = entity.dxf.start, entity.dxf.end
            return [Path.polygon([self._place(a.x, a.y), self._place(b.x, b.y)], closed=False)]
        if kind == "CIRCLE" and flat:
            return [Path.circle(*self._place(entity.dxf.center.x, entity.dxf.center.y), entity.dxf.radius * self.scale)]
        if kind == "ARC" and flat:
            return [self._arc(entity)]
        if kind == "LWPOLYLINE" and flat:
            return self._bulged([(x, y, b) for x, y, b in entity.get_points("xyb")], bool(entity.closed))
        if kind == "POLYLINE" and flat and entity.is_2d_polyline and not entity.dxf.get("flags", 0) & 6:
            points = [(v.dxf.location.x, v.dxf.location.y, v.dxf.get("bulge", 0.0)) for v in entity.vertices]
            return self._bulged(points, bool(entity.is_closed))
        return self._general(entity, kind)

    def _arc(self, entity: Any) -> Path:
        centre, radius = entity.dxf.center, entity.dxf.radius
        first, last = math.radians(entity.dxf.start_angle), math.radians(entity.dxf.end_angle)
        sweep = (last - first) % (2 * math.pi) or 2 * math.pi
        ends = [self._place(centre.x + radius * math.cos(a), centre.y + radius * math.sin(a)) for a in (first, last)]
        row = [*ends[0], *self._place(centre.x, centre.y), -sweep, 0, *ends[1]]  # y is turned over, so the turn is too
        return Path(np.array([ARC], np.uint8), np.array([row]), closed=False)

    def _bulged(self, points: list[tuple[float, float, float]], closed: bool) -> list[Path]:
        """A polyline whose bulge is the tangent of a quarter of each arc's sweep."""
        if len(points) < 2:
            return []
        kinds, rows = [], []
        pairs = list(zip(points, points[1:] + points[:1], strict=True))
        for (x0, y0, bulge), (x1, y1, _) in pairs if closed else pairs[:-1]:
            a, b = self._place(x0, y0), self._place(x1, y1)
            if math.hypot(b[0] - a[0], b[1] - a[1]) < 1e-12:
                continue
            if abs(bulge) < 1e-9:
                kinds.append(LINE)
                rows.append([*a, 0, 0, 0, 0, *b])
                continue
            sweep = 4 * math.atan(bulge)
            # the centre lies to the left of the chord by half of it over the tangent of half the sweep
            away = 1 / (2 * math.tan(sweep / 2))
            cx, cy = (x0 + x1) / 2 - away * (y1 - y0), (y0 + y1) / 2 + away * (x1 - x0)
            kinds.append(ARC)
            rows.append([*a, *self._place(cx, cy), -sweep, 0, *b])
        return [Path(np.array(kinds, np.uint8), np.array(rows), closed)] if rows else []

    def _general(self, entity: Any, kind: str) -> list[Path]:
        from ezdxf import path
        from ezdxf.lldxf.const import DXFError

        try:
            made = path.make_path(entity, **self._fineness(entity, kind))
        except (TypeError, ValueError, DXFError, ZeroDivisionError, ArithmeticError):
            self.passed[kind] += 1
            return []
        return [found for sub in made.sub_paths() if (found := self._of_commands(sub)) is not None]

    def _fineness(self, entity: Any, kind: str) -> dict[str, int]:
        """How many cubics a circle, an ellipse or an arc of one takes at its size."""
        if kind not in ("CIRCLE", "ARC", "ELLIPSE"):
            return {}
        radius, sweep = (
            (entity.dxf.radius, 2 * math.pi) if kind != "ELLIPSE" else (entity.dxf.major_axis.magnitude, 0.0)
        )
        if kind == "ELLIPSE":
            sweep = (entity.dxf.end_param - entity.dxf.start_param) % (2 * math.pi) or 2 * math.pi
        elif kind == "ARC":
            sweep = math.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360 or 360)
        mm = math.dist(self._place(1.0, 0.0), self._place(0.0, 0.0))
        return {"segments": max(1, math.ceil(sweep / float(longest_cubic(np.array(abs(radius) * mm))) - 1e-6))}

    def _of_commands(self, made: Any) -> Path | None:
        kinds, rows = [], []
        at = self._place(made.start.x, made.start.y)
        for command in made.commands():
            end = self._place(command.end.x, command.end.y)
            if hasattr(command, "ctrl2"):
                one, two = (self._place(c.x, c.y) for c in (command.ctrl1, command.ctrl2))
                kinds.append(CUBIC)
                rows.append([*at, *one, *two, *end])
            elif hasattr(command, "ctrl"):
                q = self._place(command.ctrl.x, command.ctrl.y)
                one = (at[0] + 2 / 3 * (q[0] - at[0]), at[1] + 2 / 3 * (q[1] - at[1]))
                two = (end[0] + 2 / 3 * (q[0] - end[0]), end[1] + 2 / 3 * (q[1] - end[1]))
                kinds.append(CUBIC)
                rows.append([*at, *one, *two, *end])
            elif math.hypot(end[0] - at[0], end[1] - at[1]) > 1e-12:
                kinds.append(LINE)
                rows.append([*at, 0, 0, 0, 0, *end])
            at = end
        if not rows:
            return None
        return Path(np.array(kinds, np.uint8), np.array(rows), closed=bool(made.is_closed) and len(rows) > 1)

    def _filled(self, entity: Any, kind: str, colour: Colour, layer: str) -> None:
        from ezdxf import path
        from ezdxf.lldxf.const import DXFError

        try:
            if kind in ("SOLID", "TRACE"):
                corners = [self._place(v.x, v.y) for v in entity.wcs_vertices()]
                contours = [Path.polygon(corners)] if len(corners) >= 3 else []
            else:
                whole = path.make_path(entity)
                contours = [found for sub in whole.sub_paths() if (found := self._of_commands(sub)) is not None]
        except (TypeError, ValueError, DXFError, ZeroDivisionError, ArithmeticError):
            self.passed[kind] += 1
            return
        contours = [contour for contour in contours if np.isfinite(contour.rows).all()]
        self.shapes += [Shape(region, colour, layer) for region in filled_regions(contours, even_odd=True)]


def join_ends(strokes: list[Stroke], within: float) -> tuple[list[Stroke], int]:
    """Open strokes of one layer and colour joined end to end where exactly two ends meet; loops are closed.

    Returns the strokes, joined ones where their first part was, and how many parts went into joined ones.
    """
    ends: dict[tuple[str, Colour, int, int], list[tuple[int, int, float, float]]] = {}
    for i, stroke in enumerate(strokes):
        if stroke.path.closed:
            continue
        for side, (x, y) in ((0, stroke.path.rows[0, :2]), (1, stroke.path.rows[-1, 6:])):
            cell = (stroke.layer, stroke.colour, math.floor(x / within), math.floor(y / within))
            ends.setdefault(cell, []).append((i, side, float(x), float(y)))
    partner = _partners(ends, within)
    used = [False] * len(strokes)
    result: list[Stroke] = []
    parts = 0
    for i, stroke in enumerate(strokes):
        if used[i] or stroke.path.closed:
            if not used[i]:
                result.append(stroke)
            continue
        chain, loop = _chain(i, partner)
        for k, _ in chain:
            used[k] = True
        if len(chain) == 1 and not loop:
            result.append(stroke)
            continue
        parts += len(chain)
        linked = _linked([strokes[k].path if way else strokes[k].path.reversed() for k, way in chain], loop)
        result.append(Stroke(linked, HAIRLINE, stroke.colour, stroke.layer))
    return result, parts


def _partners(
    ends: dict[tuple[str, Colour, int, int], list[tuple[int, int, float, float]]], within: float
) -> dict[tuple[int, int], tuple[int, int]]:
    partner: dict[tuple[int, int], tuple[int, int]] = {}
    for (layer, colour, cx, cy), some in ends.items():
        for i, side, x, y in some:
            near = [
                (j, other)
                for dx in (-1, 0, 1)
                for dy in (-1, 0, 1)
                for j, other, u, v in ends.get((layer, colour, cx + dx, cy + dy), ())
                if (j, other) != (i, side) and math.hypot(u - x, v - y) <= within
            ]
            if len(near) == 1:
                partner[(i, side)] = near[0]
    return {end: other for end, other in partner.items() if partner.get(other) == end}


def _chain(start: int, partner: dict[tuple[int, int], tuple[int, int]]) -> tuple[list[tuple[int, bool]], bool]:
    """Strokes as (index, walked forward) from one end of a chain to the other, and whether it is a loop."""
    i, side = start, 0
    seen = {start}
    while (i, side) in partner:  # back to the beginning
        j, other = partner[(i, side)]
        if j in seen:
            break
        seen.add(j)
        i, side = j, 1 - other
    chain = [(i, side == 0)]
    first, visited = i, {i}
    while True:
        onward = partner.get((i, 1 - side))
        if onward is None:
            return chain, False
        if onward[0] in visited:
            return chain, onward[0] == first
        i, side = onward
        visited.add(i)
        chain.append((i, side == 0))


def _linked(paths: list[Path], loop: bool) -> Path:
    kinds = np.concatenate([path.kinds for path in paths])
    rows = np.concatenate([path.rows for path in paths]).copy()
    following = np.roll(np.arange(len(rows)), -1)
    count = len(rows) if loop else len(rows) - 1
    rows[:count, 6:] = rows[following[:count], :2]  # the small gaps close
    return Path(kinds, rows, loop)
