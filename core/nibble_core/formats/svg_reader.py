"""A client's SVG to shapes in mm.

Nothing it references outside itself is ever looked at: no entity, no file, no address, no script. Units, viewports,
nested transforms, style sheets, ``use``, clip paths and strokes follow SVG 1.1 and what of SVG 2 files contain.
"""

from __future__ import annotations

import base64
import gzip
import io
import math
import re
import urllib.parse
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from lxml import etree

from nibble_core.errors import FileTooLarge, NothingToTrace, UnreadableFile
from nibble_core.formats.client_drawing import CAPITALS, ClientDrawing, FoundPicture, Lettering
from nibble_core.formats.looks import held_against, svg_look
from nibble_core.formats.pixels import pixel_size
from nibble_core.formats.svg_measure import MM_PER_PX, has_unit, length, numbers, transform, viewport
from nibble_core.formats.svg_path import drawn_until_error
from nibble_core.formats.svg_style import Cascade, Style, font_family, font_size, parse_colour, share
from nibble_core.geometry import Affine, Path
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.stretches import ellipse
from nibble_core.graphics import Colour, Drawing, Drawn, Raster, Shape, Stroke
from nibble_core.graphics.filling import filled_regions
from nibble_core.graphics.stroking import covered_by

ANCHORS = {"start": 0.0, "middle": 0.5, "end": 1.0}  # share of a text that lies before its place
MOST_BYTES = 200_000_000
MOST_VISITS = 400_000
MOST_COPIES = 20_000  # elements drawn again by way of “use”
DEEPEST = 60
_XLINK = "{http://www.w3.org/1999/xlink}href"
_SVG = "http://www.w3.org/2000/svg"
_DRAWN = ("path", "rect", "circle", "ellipse", "line", "polyline", "polygon")
_ENTITY = re.compile(rb"<!ENTITY\s+(%\s+)?\S+\s+(SYSTEM|PUBLIC|\"[^\"]*&[^\"]*\"|'[^']*&[^']*')", re.I)


def read_svg(content: bytes, name: str = "") -> ClientDrawing:
    """All that an SVG draws, in mm. Raises UnreadableFile, FileTooLarge and NothingToTrace."""
    called = f"“{name}”" if name else "This SVG"
    walk = _Walk(_parsed(content, called), called)
    return walk.result()


def drawing_look(content: bytes, width: float, height: float, longer: int) -> Raster | None:
    """The picture of an SVG of so many mm, as ``looks.svg_look`` paints it. Raises UnreadableFile."""
    return svg_look(_parsed(content, "This SVG"), width, height, longer)


def _parsed(content: bytes, called: str) -> etree._Element:
    if content[:2] == b"\x1f\x8b":
        try:
            content = gzip.GzipFile(fileobj=io.BytesIO(content)).read(MOST_BYTES + 1)
        except (OSError, EOFError, zlib.error) as error:
            raise UnreadableFile(f"{called} is packed and damaged.", "Save or send it again.") from error
    if len(content) > MOST_BYTES:
        raise FileTooLarge(f"{called} is over 200 MB once unpacked.", "Ask for a simpler drawing.")
    if _ENTITY.search(content[:200_000]):
        raise UnreadableFile(
            f"{called} asks for other files or repeats itself through entities, which Nibble never follows.",
            "Ask for it saved as a plain SVG.",
        )
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(content, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise UnreadableFile(
            f"{called} starts like an SVG but is no whole XML: it is damaged or cut short.", "Save or send it again."
        ) from error
    for node in root.iter():
        tag = node.tag
        if not isinstance(tag, str):
            continue
        space, _, local = tag[1:].partition("}") if tag.startswith("{") else ("", "", tag)
        node.tag = local if space in ("", _SVG) else "foreign"
    if root.tag != "svg":
        raise UnreadableFile(f"{called} is XML, but no SVG.", "Ask for the drawing as SVG, PDF or DXF.")
    return root


@dataclass(frozen=True)
class _Scope:
    """What holds for the elements being visited: the map to mm, the clip, the group's opacity and the layer."""

    matrix: Affine
    clip: shapely.Geometry | None
    opacity: float
    layer: str
    size: tuple[float, float]
    depth: int = 0
    uses: tuple[str, ...] = ()
    soft: bool = False


@dataclass
class _Walk:
    root: etree._Element
    called: str
    shapes: list[Drawn] = field(default_factory=list)
    hidden: list[Drawn] = field(default_factory=list)
    leftovers: Counter[str] = field(default_factory=Counter)
    notes: dict[str, None] = field(default_factory=dict)
    lettering: list[Lettering] = field(default_factory=list)
    pictures: list[FoundPicture] = field(default_factory=list)
    doubtful: list[int] = field(default_factory=list)
    shaded: bool = False
    visits: int = 0
    copies: int = 0

    def result(self) -> ClientDrawing:
        root = self.root
        self.cascade = Cascade(root)
        self.by_id = {node.get("id"): node for node in root.iter() if node.get("id")}
        box = numbers(root.get("viewBox"))
        if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
            box = []
        width = length(root.get("width", "100%"), box[2] if box else 300.0, box[2] if box else 300.0)
        height = length(root.get("height", "100%"), box[3] if box else 150.0, box[3] if box else 150.0)
        sized = bool(root.get("width")) and bool(root.get("height"))
        if box and not root.get("height") and root.get("width") and has_unit(root.get("width")):
            height = width * box[3] / box[2]
        if not 0 < width < 1e7 or not 0 < height < 1e7:
            raise UnreadableFile(f"{self.called} says a size of nothing.", "Ask for it with a real width and height.")
        onto = viewport(box, width, height, root.get("preserveAspectRatio")) if box else Affine()
        to_mm = onto.then(Affine.scale(MM_PER_PX))
        inner = (box[2], box[3]) if box else (width, height)
        page = shapely.box(0, 0, width * MM_PER_PX, height * MM_PER_PX)
        style = self.cascade.style(root, {})
        scope = _Scope(to_mm, None, share(style.get("opacity", "1")), "", inner)
        for child in root:
            self.visit(child, scope, style)
        if not sized and not box:
            page = self._fitted_page(page)
        width_mm, height_mm = page.bounds[2], page.bounds[3]
        if not self.shapes and not self.pictures:
            raise NothingToTrace(*self._nothing())
        look = svg_look(root, width_mm, height_mm) if self.shaded and (sized or box) else None
        if look is not None:
            self._hold_against(look, width_mm)
        drawing = Drawing(width_mm, height_mm, tuple(self.shapes))
        return ClientDrawing(
            drawing, "SVG", look=look, has_unit=has_unit(root.get("width")), unit="px", notes=tuple(self.notes),
            lettering=tuple(self.lettering), pictures=tuple(self.pictures), leftovers=dict(self.leftovers),
            left_out=Drawing(width_mm, height_mm, tuple(self.hidden)),
        )  # fmt: skip

    def _hold_against(self, look: Raster, width: float) -> None:
        held = held_against(look, width, self.shapes, self.doubtful)
        self.shapes, self.hidden = list(held.shapes), self.hidden + list(held.soft)
        if held.soft:
            self.leftovers["soft"] += len(held.soft)
        if held.gaps:
            self.notes["What is see-through of a shaded area, a pattern or a mask is left out of its shape."] = None

    def _fitted_page(self, page: shapely.Geometry) -> shapely.Geometry:
        """A drawing that states no size is as large as what is drawn."""
        if not self.shapes:
            return page
        boxes = [shape.bounds() for shape in self.shapes]
        return shapely.box(0, 0, max(b.right for b in boxes), max(b.bottom for b in boxes))

    def _nothing(self) -> tuple[str, str]:
        if self.lettering:
            fonts = ", ".join(sorted({found.font for found in self.lettering}))
            return (
                f"{self.called} holds only live text in {fonts}, which is not in the file.",
                "Ask for the text turned into outlines.",
            )
        if self.hidden:
            return f"{self.called} draws nothing that can be seen.", "Ask for it with its layers switched on."
        why = " ".join(self.notes)
        if why:
            return f"{self.called} draws nothing. {why.rstrip('.')}.", "Ask for it saved again."
        return f"{self.called} draws nothing.", "Check that it is the right file."

    def visit(self, node: etree._Element, scope: _Scope, inherited: Style) -> None:
        self.visits += 1
        self.copies += bool(scope.uses)
        if self.visits > MOST_VISITS or self.copies > MOST_COPIES:
            raise FileTooLarge(f"{self.called} repeats its parts without end.", "Ask for it without linked copies.")
        if scope.depth > DEEPEST or not isinstance(node.tag, str):
            return
        tag = node.tag
        style = self.cascade.style(node, inherited)
        matrix = transform(node.get("transform") or style.get("transform", "")).then(scope.matrix)
        hidden = style.get("display") == "none"
        scope = replace(
            scope, matrix=matrix, opacity=scope.opacity * share(style.get("opacity", "1")), depth=scope.depth + 1
        )
        if tag in ("g", "a", "switch", "svg", "symbol", "use") or tag in _DRAWN or tag in ("image", "text"):
            if hidden:
                self._count_hidden(node)
                return
            scope = self._clipped(node, scope, style)
            if style.get("mask", "none") not in ("none", ""):
                self.notes["A mask is told from how it looks, to a pixel; it is printed as drawn."] = None
                self.shaded = True
                scope = replace(scope, soft=True)
            if style.get("filter", "none") not in ("none", ""):
                self.notes["Soft shadows and other filters are left out of the shapes; they are printed."] = None
                self.shaded = True
                scope = replace(scope, soft=True)
        if tag in ("g", "a"):
            layer = _label(node) if tag == "g" else ""
            scope = replace(scope, layer=layer or scope.layer)
            for child in node:
                self.visit(child, scope, style)
        elif tag == "switch":
            for child in node:
                if isinstance(child.tag, str) and child.tag != "foreign" and not child.get("requiredExtensions"):
                    self.visit(child, scope, style)
                    break
        elif tag == "svg":
            self._nested(node, scope, style, node.get("width", "100%"), node.get("height", "100%"))
        elif tag == "use":
            self._use(node, scope, style)
        elif tag in _DRAWN:
            self._draw(node, scope, style)
        elif tag == "text":
            self._text(node, style, scope)
        elif tag == "image":
            self._image(node, scope)

    def _count_hidden(self, node: etree._Element) -> None:
        self.leftovers["hidden"] += sum(1 for inner in node.iter() if inner.tag in _DRAWN)

    def _nested(self, node: etree._Element, scope: _Scope, style: Style, width: str, height: str) -> None:
        w, h = length(width, scope.size[0], scope.size[0]), length(height, scope.size[1], scope.size[1])
        x, y = length(node.get("x"), scope.size[0]), length(node.get("y"), scope.size[1])
        if w <= 0 or h <= 0:
            return
        box = numbers(node.get("viewBox"))
        placed = Affine.translation(x, y).then(scope.matrix)
        if style.get("overflow", "hidden") not in ("visible", "auto"):
            scope = replace(scope, clip=_intersection(scope.clip, _mapped_box(placed, w, h)))
        inner = viewport(box, w, h, node.get("preserveAspectRatio")) if len(box) == 4 else Affine()
        size = (box[2], box[3]) if len(box) == 4 else (w, h)
        scope = replace(scope, matrix=inner.then(placed), size=size)
        for child in node:
            self.visit(child, scope, style)

    def _use(self, node: etree._Element, scope: _Scope, style: Style) -> None:
        href = node.get("href") or node.get(_XLINK) or ""
        target = self.by_id.get(href[1:]) if href.startswith("#") else None
        if target is None:
            if href and not href.startswith("#"):
                self.notes["A part in another file is left out; Nibble follows no links."] = None
            return
        if href in scope.uses:
            self.notes["A part that contains itself is left out."] = None
            return
        x, y = length(node.get("x"), scope.size[0]), length(node.get("y"), scope.size[1])
        scope = replace(scope, matrix=Affine.translation(x, y).then(scope.matrix), uses=(*scope.uses, href))
        if target.tag == "symbol":
            inner = self.cascade.style(target, style)
            self._nested(target, scope, inner, node.get("width", "100%"), node.get("height", "100%"))
        elif target.tag == "svg":
            inner = self.cascade.style(target, style)
            width, height = (node.get(k) or target.get(k, "100%") for k in ("width", "height"))
            self._nested(target, scope, inner, width, height)
        else:
            self.visit(target, scope, style)

    def _clipped(self, node: etree._Element, scope: _Scope, style: Style) -> _Scope:
        reference = _reference(style.get("clip-path", "none"))
        target = self.by_id.get(reference) if reference else None
        if target is None or target.tag != "clipPath":
            return scope
        matrix = scope.matrix
        if target.get("clipPathUnits") == "objectBoundingBox":
            box = self._own_box(node)
            if box is None:
                return scope
            matrix = Affine(box[2] - box[0], 0, 0, box[3] - box[1], box[0], box[1]).then(matrix)
        area = self._clip_area(target, matrix, scope, 0)
        return replace(scope, clip=_intersection(scope.clip, area))

    def _clip_area(self, clip: etree._Element, matrix: Affine, scope: _Scope, depth: int) -> shapely.Geometry:
        matrix = transform(clip.get("transform")).then(matrix)
        style = self.cascade.style(clip, {})
        areas = []
        for child in clip:
            own = self.cascade.style(child, style)
            at = transform(child.get("transform")).then(matrix)
            shape = child
            if child.tag == "use":
                shape = self.by_id.get((child.get("href") or child.get(_XLINK) or "#")[1:])
                if shape is None:
                    continue
                at = Affine.translation(length(child.get("x"), 1), length(child.get("y"), 1)).then(at)
                at = transform(shape.get("transform")).then(at)
                own = self.cascade.style(shape, own)
            if shape.tag not in _DRAWN or own.get("display") == "none":
                continue
            paths = [path.mapped(at) for path in self._paths(shape, scope.size, at.stretch)]
            regions = filled_regions(paths, even_odd=own.get("clip-rule") == "evenodd")
            area = shapely.union_all([shapely.make_valid(region.polygon()) for region in regions])
            areas.append(self._under_clip(own, area, matrix, scope, depth))
        whole = shapely.union_all(areas) if areas else shapely.Polygon()
        return self._under_clip(style, whole, matrix, scope, depth)

    def _under_clip(
        self, style: Style, area: shapely.Geometry, matrix: Affine, scope: _Scope, depth: int
    ) -> shapely.Geometry:
        """An area cut by the clip path that its own style names."""
        reference = _reference(style.get("clip-path", "none"))
        further = self.by_id.get(reference) if reference and depth < 8 else None
        if further is None or further.tag != "clipPath":
            return area
        return shapely.intersection(area, self._clip_area(further, matrix, scope, depth + 1))

    def _own_box(self, node: etree._Element) -> tuple[float, float, float, float] | None:
        """Left, top, right, bottom of an element's own geometry in its own units."""
        boxes = []
        for inner in node.iter():
            if inner.tag in _DRAWN:
                boxes += [path.bounds() for path in self._paths(inner, (1, 1))]
        if not boxes:
            return None
        return (min(b.left for b in boxes), min(b.top for b in boxes),
                max(b.right for b in boxes), max(b.bottom for b in boxes))  # fmt: skip

    def _paths(self, node: etree._Element, size: tuple[float, float], scale: float = 1.0) -> list[Path]:
        """The geometry of a basic shape or path, in its own units, ``scale`` mm each."""
        w, h = size
        diagonal = float(np.hypot(w, h) / np.sqrt(2))
        get = node.get
        if node.tag == "path":
            paths, problem = drawn_until_error(get("d", ""), scale=scale)
            if problem:
                self.notes[f"A path is drawn up to where it goes wrong: {problem[0].lower()}{problem[1:]}"] = None
            return paths
        if node.tag == "rect":
            x, y, rw, rh = length(get("x"), w), length(get("y"), h), length(get("width"), w), length(get("height"), h)
            if rw <= 0 or rh <= 0:
                return []
            rx = length(get("rx"), w, -1.0)
            ry = length(get("ry"), h, -1.0)
            rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
            return [_rectangle(x, y, rw, rh, min(max(rx, 0), rw / 2), min(max(ry, 0), rh / 2), scale)]
        if node.tag in ("circle", "ellipse"):
            cx, cy = length(get("cx"), w), length(get("cy"), h)
            if node.tag == "circle":
                rx = ry = length(get("r"), diagonal)
            else:
                rx, ry = length(get("rx"), w), length(get("ry"), h)
            if rx <= 0 or ry <= 0:
                return []
            if rx == ry:
                return [Path.circle(cx, cy, rx)]
            return [ellipse((cx, cy), (rx, ry), 0.0, scale)]
        if node.tag == "line":
            ends = [(length(get("x1"), w), length(get("y1"), h)), (length(get("x2"), w), length(get("y2"), h))]
            return [Path.polygon(ends, closed=False)]
        points = numbers(get("points"))
        places = np.array(points[: len(points) // 2 * 2], float).reshape(-1, 2)
        if len(places) < 2:
            return []
        return [Path.polygon(places, closed=node.tag == "polygon")]

    def _draw(self, node: etree._Element, scope: _Scope, style: Style) -> None:
        mapped = (
            _fit_to_draw(path.mapped(scope.matrix)) for path in self._paths(node, scope.size, scope.matrix.stretch)
        )
        paths = [path for path in mapped if path is not None]
        if not paths:
            return
        if style.get("visibility") in ("hidden", "collapse"):
            self.leftovers["hidden"] += 1
            return
        layer = scope.layer
        fill = self._paint(style.get("fill", "black"), style)
        stroke = self._paint(style.get("stroke", "none"), style)
        made: list[Drawn] = []
        if fill is not None:
            colour, alpha = fill
            opacity = alpha * share(style.get("fill-opacity", "1")) * scope.opacity
            for region in filled_regions(paths, even_odd=style.get("fill-rule") == "evenodd"):
                made.append(Shape(region, colour, layer, opacity=opacity))
        if stroke is not None and (scope.matrix.is_similarity or style.get("vector-effect") == "non-scaling-stroke"):
            made += self._strokes(paths, stroke, scope, style)
        elif stroke is not None:  # stretched unevenly, a stroke's width changes along it: only its outline can say that
            own = self._strokes(
                self._paths(node, scope.size, scope.matrix.stretch), stroke, replace(scope, matrix=Affine()), style
            )
            for line in own:
                areas = [shapely.transform(area, scope.matrix.map) for area in covered_by(line)]
                made += [Shape(refit_polygon(area), line.colour, layer, "", line.opacity) for area in areas]
        if not made:
            bare = fill is None and stroke is None
            self.leftovers["unpainted"] += 1 if bare else 0
            self.hidden += [Stroke(path) for path in paths] if bare else []
            return
        doubtful = scope.soft or any(_reference(style.get(name, "")) for name in ("fill", "stroke"))
        for shape in made:
            before = len(self.shapes)
            self._add(shape, scope.clip)
            if doubtful:
                self.doubtful += range(before, len(self.shapes))

    def _strokes(
        self, paths: list[Path], stroke: tuple[Colour, float], scope: _Scope, style: Style
    ) -> Iterator[Stroke]:
        scale = abs(scope.matrix.determinant) ** 0.5
        diagonal = float(np.hypot(*scope.size) / np.sqrt(2))
        if style.get("vector-effect") == "non-scaling-stroke":
            scale = MM_PER_PX
        width = length(style.get("stroke-width"), diagonal, 1.0) * scale
        if width <= 0:
            return
        dashes = [
            length(word, diagonal) * scale for word in re.split(r"[\s,]+", style.get("stroke-dasharray", "")) if word
        ]
        if any(d < 0 for d in dashes) or sum(dashes) <= 0:
            dashes = []
        phase = length(style.get("stroke-dashoffset"), diagonal, 0.0) * scale
        opacity = stroke[1] * share(style.get("stroke-opacity", "1")) * scope.opacity
        cap, join = style.get("stroke-linecap", "butt"), style.get("stroke-linejoin", "miter")
        limit = length(style.get("stroke-miterlimit"), 1.0, 4.0)
        for path in paths:
            yield Stroke(path, width, stroke[0], scope.layer, "", opacity, cap, join, limit, tuple(dashes), phase)

    def _paint(self, text: str, style: Style) -> tuple[Colour, float] | None:
        """The colour of a fill or stroke; the mean one of a gradient or pattern."""
        reference = _reference(text)
        if reference:
            target = self.by_id.get(reference)
            found = self._mean_of(target, 0) if target is not None else None
            if found is not None:
                pattern = target is not None and target.tag == "pattern"
                said = "A pattern is taken" if pattern else "Shaded areas are taken"
                self.notes[f"{said} in {'its' if pattern else 'their'} mean colour; printed as drawn."] = None
                self.shaded = True
                return found
            fallback = text.partition(")")[2].strip()
            return parse_colour(fallback, style.get("color", "black")) if fallback else None
        return parse_colour(text, style.get("color", "black"))

    def _mean_of(self, server: etree._Element, depth: int) -> tuple[Colour, float] | None:
        stops = [node for node in server.iter("stop")]
        if not stops:
            href = server.get("href") or server.get(_XLINK) or ""
            further = self.by_id.get(href[1:]) if href.startswith("#") and depth < 8 else None
            if further is not None:
                return self._mean_of(further, depth + 1)
            return ((128, 128, 128), 1.0) if server.tag == "pattern" else None
        found = []
        for stop in stops:
            style = self.cascade.style(stop, {})
            colour = parse_colour(style.get("stop-color", "black"), style.get("color", "black")) or ((0, 0, 0), 0.0)
            found.append([*colour[0], colour[1] * share(style.get("stop-opacity", "1"))])
        red, green, blue, alpha = np.mean(found, 0).tolist()
        return (round(red), round(green), round(blue)), alpha

    def _add(self, shape: Drawn, clip: shapely.Geometry | None) -> None:
        if shape.opacity <= 0.002:
            self.leftovers["hidden"] += 1
            self.hidden.append(shape)
            return
        if clip is None:
            self.shapes.append(shape)
            return
        box = shape.bounds()
        if shapely.contains(clip, shapely.box(*box)):
            self.shapes.append(shape)
            return
        areas = [shape.region.polygon()] if isinstance(shape, Shape) else covered_by(shape)
        cut = shapely.intersection(clip, shapely.union_all([shapely.make_valid(area) for area in areas]))
        left = [Shape(refit_polygon(area), shape.colour, shape.layer, shape.spot, shape.opacity)
                for area in polygons(cut) if area.area > 1e-9]  # fmt: skip
        if not left:
            self.leftovers["clipped"] += 1
            self.hidden.append(shape)
        self.shapes += left

    def _text(self, node: etree._Element, style: Style, scope: _Scope) -> None:
        words = " ".join("".join(node.itertext()).split())
        if not words:
            return
        first = next((one for one in node.iter() if one.get("x") or one.get("y")), node)
        x, y = ((numbers(first.get(axis)) or [0.0])[0] for axis in ("x", "y"))
        matrix = scope.matrix
        across = math.hypot(matrix.a, matrix.b)
        self.lettering.append(
            Lettering(
                words[:200], font_family(style) or "no named font", tuple(matrix.map(np.array([[x, y]]))[0].tolist()),
                CAPITALS * font_size(style) * across, ANCHORS.get(style.get("text-anchor", "start"), 0.0),
                math.degrees(math.atan2(matrix.b, matrix.a)),
            )
        )  # fmt: skip

    def _image(self, node: etree._Element, scope: _Scope) -> None:
        href = node.get("href") or node.get(_XLINK) or ""
        match = re.match(r"data:([\w/+.-]*)((?:;[^,;]*)*),", href)
        if not match:
            self.notes["A picture in another file is left out; Nibble follows no links."] = None
            return
        payload = href[match.end() :]
        try:
            packed = "base64" in match[2]
            content = (
                base64.b64decode(re.sub(r"\s+", "", payload)) if packed else urllib.parse.unquote_to_bytes(payload)
            )
        except ValueError:
            content = b""
        pixels = pixel_size(content)
        if pixels is None:
            self.notes["A picture inside is damaged and left out."] = None
            return
        x, y, width, height = (
            length(node.get(name), scope.size[side]) for name, side in (("x", 0), ("y", 1), ("width", 0), ("height", 1))
        )
        onto = viewport([0, 0, *pixels], width, height, node.get("preserveAspectRatio"))
        place = onto.then(Affine.translation(x, y)).then(scope.matrix)
        corners = place.map(np.array([[0.0, 0.0], [pixels[0], 0.0], [0.0, pixels[1]], pixels]))
        size = pixels[0] * math.hypot(place.a, place.b), pixels[1] * math.hypot(place.c, place.d)
        self.pictures.append(FoundPicture(content, match[1] or "picture", *size, *corners.min(0).tolist()))


def _label(node: etree._Element) -> str:
    """The name a drawing program gave a group, else its id."""
    for name, value in node.attrib.items():
        if str(name).endswith("}label"):
            return str(value)[:80]
    return str(node.get("data-name") or node.get("id", ""))[:80]


def _reference(text: str) -> str:
    match = re.match(r"\s*url\(\s*[\"']?#([^\"')]+)[\"']?\s*\)", text)
    return match[1] if match else ""


def _intersection(one: shapely.Geometry | None, other: shapely.Geometry) -> shapely.Geometry:
    found = other if one is None else shapely.intersection(one, other)
    shapely.prepare(found)
    return found


def _mapped_box(matrix: Affine, width: float, height: float) -> shapely.Geometry:
    return shapely.Polygon(matrix.map(np.array([[0, 0], [width, 0], [width, height], [0, height]], float)))


def _rectangle(x: float, y: float, w: float, h: float, rx: float, ry: float, scale: float) -> Path:
    if rx <= 0 or ry <= 0:
        return Path.polygon([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    data = (
        f"M{x + rx} {y}H{x + w - rx}A{rx} {ry} 0 0 1 {x + w} {y + ry}V{y + h - ry}A{rx} {ry} 0 0 1 {x + w - rx} {y + h}"
        f"H{x + rx}A{rx} {ry} 0 0 1 {x} {y + h - ry}V{y + ry}A{rx} {ry} 0 0 1 {x + rx} {y}Z"
    )
    return drawn_until_error(data, scale=scale)[0][0]


def _fit_to_draw(path: Path) -> Path | None:
    """The path without segments of no length; None when nothing is left or a number is nonsense."""
    if not np.isfinite(path.rows).all() or np.abs(path.rows).max() > 1e7:
        return None
    still = (np.abs(path.rows[:, :2] - path.rows[:, 6:]).max(1) < 1e-9) & (path.kinds == 0)
    if not still.any():
        return path
    return Path(path.kinds[~still], path.rows[~still], path.closed) if (~still).any() else None
