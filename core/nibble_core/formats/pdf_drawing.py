"""A client's PDF page to shapes in mm, by pdfium; spot colours keep their names.

pdfium resolves every separation to a screen colour. So that names survive, each named ink is first given a colour of
its own in a copy of the file (a key), and the key is read back from the objects.
"""

from __future__ import annotations

import ctypes
import io
import math
import threading
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

import numpy as np
import pikepdf
import shapely
from pikepdf import Dictionary, Name

from nibble_core.errors import FileTooLarge, NothingToTrace, UnreadableFile
from nibble_core.formats.client_drawing import CAPITALS, ClientDrawing, FoundPicture, Lettering
from nibble_core.formats.client_page import visible_box
from nibble_core.formats.looks import LOOK_PX, held_against, pdf_look
from nibble_core.formats.pdf_inks import press_inks
from nibble_core.formats.pdf_layers import Shown, shown
from nibble_core.formats.pdf_type3 import with_type3_drawn
from nibble_core.geometry import CUBIC, LINE, Affine, Path
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.units import POINTS_PER_MM
from nibble_core.graphics import Colour, Drawing, Drawn, Raster, Shape, Stroke
from nibble_core.graphics.filling import filled_regions
from nibble_core.graphics.stroking import covered_by

MOST_OBJECTS = 200_000
MOST_PIXELS = 40_000_000
DEEPEST = 12
SMALLEST_PAGE, LARGEST_PAGE = 1e-3, 1e7  # points, either way
SAMPLE = 4  # points, of a page filled with one ink
_LOCK = threading.Lock()  # pdfium is not safe to share between threads


def read_pdf(content: bytes, name: str = "", *, page: int = 1) -> ClientDrawing:
    """What one page draws, in mm, ``page`` from 1. Raises UnreadableFile, FileTooLarge and NothingToTrace."""
    called = f"“{name}”" if name else "This PDF"
    visible = shown(content, page)
    keyed, inks = _with_key_colours(visible.content, called)
    with _LOCK:
        drawn = _read(with_type3_drawn(keyed), inks, called, page, visible)
        look = pdf_look(visible.content, page) if drawn.shaded else None
    client = drawn.client if look is None else _held(drawn, look)
    client = replace(client, notes=(*client.notes, *_said(visible)))
    press = press_inks(content, page)
    return replace(client, notes=(*client.notes, *press.notes), hazards=press.hazards)


def _said(visible: Shown) -> list[str]:
    """What is to be known of a page beside what it draws."""
    notes = []
    if visible.hidden:
        names = ", ".join(f"“{name[:40]}”" for name in visible.hidden[:5])
        layers = "A layer is" if len(visible.hidden) == 1 else f"{len(visible.hidden)} layers are"
        notes.append(f"{layers} switched off in the file, and left out: {names}.")
    if visible.unit != 1.0:
        notes.append(f"The page is {visible.unit:g} times as large as its numbers, by its own unit; it is read so.")
    if visible.masked:
        notes.append("Soft masks are taken by how the page looks: what they hide is left out.")
    return notes


@dataclass(frozen=True, eq=False)
class _Page:
    """A page as read, whether it is shaded anywhere, and which of its shapes may be."""

    client: ClientDrawing
    shaded: bool
    doubtful: tuple[int, ...]


def _held(page: _Page, look: Raster) -> ClientDrawing:
    """A page whose shapes are held against how it looks."""
    client, drawing = page.client, page.client.drawing
    held = held_against(look, drawing.width, drawing.shapes, page.doubtful)
    if not held.recoloured and not held.soft and not held.gaps:
        return client
    notes = list(client.notes)
    if held.recoloured:
        notes.append("Shaded areas and patterns are taken in their mean colour; printed as drawn.")
    if held.gaps:
        notes.append("What is see-through of a shaded area or a pattern is left out of its shape.")
    leftovers = client.leftovers | ({"soft": len(held.soft)} if held.soft else {})
    hidden = (*(client.left_out.shapes if client.left_out else ()), *held.soft)
    return replace(
        client, drawing=replace(drawing, shapes=held.shapes), notes=tuple(notes), leftovers=leftovers, look=look,
        left_out=replace(drawing, shapes=hidden),
    )  # fmt: skip


def _with_key_colours(content: bytes, called: str) -> tuple[bytes, dict[Colour, tuple[str, Colour]]]:
    """A copy whose named inks show as key colours; and for each key the ink's name and its own screen colour."""
    inks: dict[Colour, tuple[str, Colour]] = {}
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            if not pdf.pages:
                raise NothingToTrace(f"{called} has no page.", "Check that it is the right file.")
            keys: dict[str, Colour] = {}
            for space in _separations(pdf):
                ink = str(space[1]).removeprefix("/")
                if ink in ("All", "None"):
                    continue
                if ink not in keys:
                    number = len(keys) + 1
                    keys[ink] = (1, number % 250 + 1, 254 - number // 250)
                    inks[keys[ink]] = (ink, _screen_colour(pdf, space))
                space[2] = Name.DeviceRGB
                space[3] = Dictionary(FunctionType=2, Domain=[0, 1], C0=[1, 1, 1], C1=[v / 255 for v in keys[ink]], N=1)
            if not inks:
                return content, {}
            out = io.BytesIO()
            pdf.save(out)
            return out.getvalue(), inks
    except pikepdf.PasswordError as error:
        raise UnreadableFile(f"{called} is locked with a password.", "Ask for it without one.") from error
    except (pikepdf.PdfError, ValueError, TypeError, KeyError, IndexError, RecursionError) as error:
        if content.startswith(b"%PDF") and b"%%EOF" in content[-2048:]:
            return content, {}
        raise UnreadableFile(
            f"{called} starts like a PDF but cannot be read: it is damaged or cut short.", "Save or send it again."
        ) from error


def _separations(pdf: pikepdf.Pdf) -> list[Any]:
    found = [thing for thing in pdf.objects if _is_separation(thing)]
    for sheet in pdf.pages[:200]:
        resources: Any = sheet.obj.get("/Resources") or {}
        spaces: Any = resources.get("/ColorSpace") or {}
        found += [space for space in spaces.values() if _is_separation(space)]
    return found


def _is_separation(thing: Any) -> bool:
    return isinstance(thing, pikepdf.Array) and len(thing) == 4 and thing[0] == Name.Separation


def _screen_colour(pdf: pikepdf.Pdf, space: Any) -> Colour:
    """An ink's look on screen: as its tint function ends, or as the renderer paints it in full where that is no simple
    one; grey where it cannot."""
    try:
        full = [float(v) for v in space[3].C1]
    except (AttributeError, TypeError, ValueError):
        return _painted_colour(pdf, space)
    if len(full) == 4:
        c, m, y, k = full
        full = [(1 - v) * (1 - k) for v in (c, m, y)]
    if len(full) == 1:
        full = full * 3
    red, green, blue = (round(255 * min(max(v, 0), 1)) for v in full[:3])
    return red, green, blue


def _painted_colour(pdf: pikepdf.Pdf, space: Any) -> Colour:
    """What a page looks like that is filled with all of an ink."""
    with pikepdf.Pdf.new() as sample:
        page = sample.add_blank_page(page_size=(SAMPLE, SAMPLE))
        ink = sample.copy_foreign(pdf.make_indirect(space))
        page.obj.Resources = Dictionary(ColorSpace=Dictionary(Ink=ink))
        page.obj.Contents = sample.make_stream(f"/Ink cs 1 scn 0 0 {SAMPLE} {SAMPLE} re f".encode())
        out = io.BytesIO()
        sample.save(out)
    look = page_look(out.getvalue(), 1)
    if look is None:
        return (90, 90, 90)
    red, green, blue = (int(v) for v in look.pixels[look.height // 2, look.width // 2, :3])
    return red, green, blue


def page_look(content: bytes, page: int, longer: int = LOOK_PX) -> Raster | None:
    """The picture of a page, from 1, on clear ground, so many pixels along its longer side; None where the renderer
    cannot paint it."""
    with _LOCK:
        return pdf_look(content, page, longer)


def _read(
    content: bytes, inks: dict[Colour, tuple[str, Colour]], called: str, number: int, visible: Shown
) -> _Page:  # fmt: skip
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(content)
        count = len(document)
        if not 1 <= number <= count:
            raise UnreadableFile(f"{called} has {count} pages, so there is no page {number}.", "Choose another page.")
        page = document[number - 1]
        left, bottom, right, top = visible_box(page.get_cropbox(fallback_ok=True), page.get_mediabox(fallback_ok=True))
    except pypdfium2.PdfiumError as error:
        raise UnreadableFile(
            f"{called} starts like a PDF but cannot be read: it is damaged or cut short.", "Save or send it again."
        ) from error
    if not (SMALLEST_PAGE < right - left < LARGEST_PAGE and SMALLEST_PAGE < top - bottom < LARGEST_PAGE):
        page.close()
        document.close()
        raise UnreadableFile(f"Page {number} of {called} has no size.", "Choose another page, or save it again.")
    try:
        # the unrotated page, y turned down, then the page's own turn
        mm = visible.unit / POINTS_PER_MM
        to_mm = Affine(mm, 0, 0, -mm, -left * mm, top * mm)
        width, height = (right - left) * mm, (top - bottom) * mm
        turn = page.get_rotation() % 360
        if turn == 90:
            to_mm, width, height = to_mm.then(Affine(0, 1, -1, 0, height, 0)), height, width
        elif turn == 180:
            to_mm = to_mm.then(Affine(-1, 0, 0, -1, width, height))
        elif turn == 270:
            to_mm, width, height = to_mm.then(Affine(0, -1, 1, 0, 0, width)), height, width
        walk = _Walk(document, page, to_mm, inks, called, area=shapely.box(0, 0, width, height))
        walk.run()
    finally:
        page.close()
        document.close()
    if not walk.shapes and not walk.pictures:
        raise NothingToTrace(*walk.nothing(number, count))
    client = ClientDrawing(
        Drawing(width, height, tuple(walk.shapes)), "PDF", pages=count, page=number, notes=tuple(walk.notes),
        lettering=tuple(walk.lettering), pictures=tuple(walk.pictures), leftovers=dict(walk.leftovers),
        left_out=Drawing(width, height, tuple(walk.hidden)),
    )  # fmt: skip
    patterned = visible.masked or visible.patterned
    doubtful = range(len(walk.shapes)) if patterned else walk.shadings
    return _Page(client, patterned or bool(walk.shadings), tuple(doubtful))


STANDARD_FONTS = ("Helvetica", "Times-", "Courier", "Symbol", "ZapfDingbats")
"""The fourteen fonts that every reader of PDF has (ISO 32000-1, 9.6.2.2), so that no file need hold them."""


@dataclass
class _Walk:
    document: Any
    page: Any
    to_mm: Affine
    inks: dict[Colour, tuple[str, Colour]]
    called: str
    shapes: list[Drawn] = field(default_factory=list)
    hidden: list[Drawn] = field(default_factory=list)
    leftovers: Counter[str] = field(default_factory=Counter)
    notes: dict[str, None] = field(default_factory=dict)
    lettering: list[Lettering] = field(default_factory=list)
    pictures: list[FoundPicture] = field(default_factory=list)
    objects: int = 0
    shadings: list[int] = field(default_factory=list)
    area: shapely.Geometry = field(default_factory=shapely.Polygon)

    def run(self) -> None:
        import pypdfium2.raw as raw

        self.raw = raw
        self.text_page = raw.FPDFText_LoadPage(self.page)
        self._letters = self._letters_by_object()
        try:
            self._group(
                raw.FPDFPage_CountObjects(self.page), lambda i: raw.FPDFPage_GetObject(self.page, i), self.to_mm, (), 0
            )
        finally:
            raw.FPDFText_ClosePage(self.text_page)

    def nothing(self, number: int, count: int) -> tuple[str, str]:
        where = f"Page {number} of {self.called}" if count > 1 else self.called
        more = "Choose another page, or check" if count > 1 else "Check"
        return f"{where} draws nothing.", f"{more} that it is the right file."

    def _group(
        self, count: int, get: Callable[[int], Any], matrix: Affine, clips: tuple[shapely.Geometry, ...], depth: int
    ) -> None:
        raw = self.raw
        if depth > DEEPEST:
            self.notes["Parts nested too deeply are left out."] = None
            return
        for index in range(count):
            self.objects += 1
            if self.objects > MOST_OBJECTS:
                raise FileTooLarge(f"{self.called} draws more than 200,000 things.", "Ask for a simpler drawing.")
            thing = get(index)
            kind = raw.FPDFPageObj_GetType(thing)
            own = _matrix_of(raw, thing).then(matrix)
            here = clips + self._clips(thing, matrix)
            if kind == raw.FPDF_PAGEOBJ_FORM:
                self._group(
                    raw.FPDFFormObj_CountObjects(thing), partial(raw.FPDFFormObj_GetObject, thing), own, here,
                    depth + 1,
                )  # fmt: skip
            elif kind == raw.FPDF_PAGEOBJ_PATH:
                self._path(thing, own, here)
            elif kind == raw.FPDF_PAGEOBJ_TEXT:
                self._text(thing, own, here)
            elif kind == raw.FPDF_PAGEOBJ_IMAGE:
                self._image(thing, own)
            elif kind == raw.FPDF_PAGEOBJ_SHADING:
                self._shading(here)

    def _path(self, thing: Any, matrix: Affine, clips: tuple[shapely.Geometry, ...]) -> None:
        raw = self.raw
        paths = _paths(raw, raw.FPDFPath_CountSegments(thing), lambda i: raw.FPDFPath_GetPathSegment(thing, i), matrix)
        if not paths:
            return
        fill, stroked = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(thing, ctypes.byref(fill), ctypes.byref(stroked))
        layer = self._layer(thing)
        if fill.value:
            self._fill(
                paths, fill.value == raw.FPDF_FILLMODE_ALTERNATE, raw.FPDFPageObj_GetFillColor, thing, layer, clips
            )
        if stroked.value:
            colour, alpha, spot = self._colour(raw.FPDFPageObj_GetStrokeColor, thing)
            width = ctypes.c_float()
            raw.FPDFPageObj_GetStrokeWidth(thing, ctypes.byref(width))
            if not matrix.is_similarity and width.value > 0:
                self._uneven(thing, matrix, width.value, (colour, layer, spot, alpha), clips)
                return
            scale = abs(matrix.determinant) ** 0.5
            cap = ("butt", "round", "square")[min(max(raw.FPDFPageObj_GetLineCap(thing), 0), 2)]
            join = ("miter", "round", "bevel")[min(max(raw.FPDFPageObj_GetLineJoin(thing), 0), 2)]
            dashes, phase = self._dashes(thing, scale)
            for path in paths:
                stroke = Stroke(path, width.value * scale, colour, layer, spot, alpha, cap, join, 10.0, dashes, phase)
                self._add(stroke, clips)
        if not fill.value and not stroked.value:
            self.leftovers["unpainted"] += 1
            self.hidden += [Stroke(path) for path in paths]

    def _uneven(
        self, thing: Any, matrix: Affine, width: float, look: tuple[Colour, str, str, float],
        clips: tuple[shapely.Geometry, ...],
    ) -> None:  # fmt: skip
        """A line that is stretched together with its width: what it covers, since no pen is so wide both ways."""
        raw = self.raw
        own = _paths(raw, raw.FPDFPath_CountSegments(thing), lambda i: raw.FPDFPath_GetPathSegment(thing, i), Affine())
        colour, layer, spot, alpha = look
        cap = ("butt", "round", "square")[min(max(raw.FPDFPageObj_GetLineCap(thing), 0), 2)]
        join = ("miter", "round", "bevel")[min(max(raw.FPDFPageObj_GetLineJoin(thing), 0), 2)]
        dashes, phase = self._dashes(thing, 1.0)
        # in millimetres before it is stretched, so that round ends are round to the last hair
        even = max(math.hypot(matrix.a, matrix.b), math.hypot(matrix.c, matrix.d), 1e-9)
        stretch = Affine.scale(1 / even).then(matrix)
        for path in own:
            stroke = Stroke(path.mapped(Affine.scale(even)), width * even, colour, layer, spot, alpha, cap, join, 10.0,
                            tuple(value * even for value in dashes), phase * even)  # fmt: skip
            covered = shapely.transform(shapely.union_all(covered_by(stroke)), stretch.map)
            for part in polygons(shapely.make_valid(covered)):
                self._add(Shape(refit_polygon(part), colour, layer, spot, alpha), clips)

    def _shading(self, clips: tuple[shapely.Geometry, ...]) -> None:
        """An area of running colour: what its clips leave of the page. Its look tells the colour."""
        left: shapely.Geometry = self.area
        for clip in clips:
            left = shapely.intersection(left, clip)
        for part in polygons(left):
            if part.area > 1e-9:
                self.shadings.append(len(self.shapes))
                self.shapes.append(Shape(refit_polygon(part), (128, 128, 128)))

    def _fill(
        self,
        paths: list[Path],
        even_odd: bool,
        getter: Any,
        thing: Any,
        layer: str,
        clips: tuple[shapely.Geometry, ...],
    ) -> None:
        colour, alpha, spot = self._colour(getter, thing)
        for region in filled_regions(paths, even_odd=even_odd):
            self._add(Shape(region, colour, layer, spot, alpha), clips)

    def _dashes(self, thing: Any, scale: float) -> tuple[tuple[float, ...], float]:
        """Dashes and gaps, and how far into them a line starts, mm."""
        count = self.raw.FPDFPageObj_GetDashCount(thing)
        if not 0 < count <= 64:
            return (), 0.0
        values, phase = (ctypes.c_float * count)(), ctypes.c_float()
        self.raw.FPDFPageObj_GetDashArray(thing, values, count)
        self.raw.FPDFPageObj_GetDashPhase(thing, ctypes.byref(phase))
        return tuple(float(v) * scale for v in values), phase.value * scale

    def _colour(self, getter: Any, thing: Any) -> tuple[Colour, float, str]:
        values = [ctypes.c_uint() for _ in range(4)]
        if not getter(thing, *(ctypes.byref(v) for v in values)):
            return (0, 0, 0), 1.0, ""
        red, green, blue, alpha = (v.value for v in values)
        for off in ((0, 0, 0), (0, 0, 1), (0, 0, -1), (0, 1, 0), (0, -1, 0), (1, 0, 0), (-1, 0, 0)):
            key = (red + off[0], green + off[1], blue + off[2])
            if key in self.inks:
                ink, screen = self.inks[key]
                return screen, alpha / 255, ink
        return (red, green, blue), alpha / 255, ""

    def _layer(self, thing: Any) -> str:
        raw = self.raw
        for index in range(raw.FPDFPageObj_CountMarks(thing)):
            mark = raw.FPDFPageObj_GetMark(thing, index)
            size = ctypes.c_ulong()
            buffer = (ctypes.c_ushort * 128)()
            if raw.FPDFPageObjMark_GetParamStringValue(mark, b"Name", buffer, 256, ctypes.byref(size)):
                return bytes(buffer)[: max(0, size.value - 2)].decode("utf-16-le", "replace")[:80]
        return ""

    def _clips(self, thing: Any, matrix: Affine) -> tuple[shapely.Geometry, ...]:
        raw = self.raw
        clip = raw.FPDFPageObj_GetClipPath(thing)
        if not clip:
            return ()
        found = []
        for index in range(max(0, raw.FPDFClipPath_CountPaths(clip))):
            paths = _paths(
                raw, raw.FPDFClipPath_CountPathSegments(clip, index),
                partial(raw.FPDFClipPath_GetPathSegment, clip, index), matrix,
            )  # fmt: skip
            regions = filled_regions(paths, even_odd=False)
            area = shapely.union_all([shapely.make_valid(region.polygon()) for region in regions])
            shapely.prepare(area)
            found.append(area)
        return tuple(found)

    def _add(self, shape: Drawn, clips: tuple[shapely.Geometry, ...]) -> None:
        if shape.opacity <= 0.002:
            self.leftovers["hidden"] += 1
            self.hidden.append(shape)
            return
        box = shapely.box(*shape.bounds())
        cutting = [clip for clip in clips if not shapely.contains(clip, box)]
        if not cutting:
            self.shapes.append(shape)
            return
        areas = [shape.region.polygon()] if isinstance(shape, Shape) else covered_by(shape)
        left: shapely.Geometry = shapely.union_all([shapely.make_valid(area) for area in areas])
        for clip in cutting:
            left = shapely.intersection(left, clip)
        parts = [area for area in polygons(left) if area.area > 1e-9]
        if not parts:
            self.leftovers["clipped"] += 1
            self.hidden.append(shape)
        self.shapes += [
            Shape(refit_polygon(area), shape.colour, shape.layer, shape.spot, shape.opacity) for area in parts
        ]

    def _letters_by_object(self) -> dict[int, list[int]]:
        raw = self.raw
        found: dict[int, list[int]] = {}
        for index in range(min(raw.FPDFText_CountChars(self.text_page), MOST_OBJECTS)):
            thing = raw.FPDFText_GetTextObject(self.text_page, index)
            if thing and raw.FPDFText_IsGenerated(self.text_page, index) != 1:
                address = ctypes.cast(thing, ctypes.c_void_p).value
                found.setdefault(address or 0, []).append(index)
        return found

    def _text(self, thing: Any, matrix: Affine, clips: tuple[shapely.Geometry, ...]) -> None:
        """The outlines of a text object's letters; a font that is not in the file is named."""
        raw = self.raw
        font = raw.FPDFTextObj_GetFont(thing)
        letters = self._letters.get(ctypes.cast(thing, ctypes.c_void_p).value or 0, [])
        words = "".join(chr(raw.FPDFText_GetUnicode(self.text_page, i)) for i in letters).strip()
        size = ctypes.c_float()
        raw.FPDFTextObj_GetFontSize(thing, ctypes.byref(size))
        named = _font_name(raw, font)
        if raw.FPDFFont_GetIsEmbedded(font) != 1 and words and named.startswith(STANDARD_FONTS):
            self.notes[f"The font {named} is not in the file: its letters are drawn in one like it. Compare them."] = (
                None
            )
        elif raw.FPDFFont_GetIsEmbedded(font) != 1 and words:
            place = self._letter_place(letters[0], size.value)
            self.lettering.append(
                Lettering(
                    words[:200], named, (place.e, place.f), CAPITALS * math.hypot(place.a, place.b),
                    turn=math.degrees(math.atan2(place.b, place.a)),
                )
            )  # fmt: skip
            return
        mode = raw.FPDFTextObj_GetTextRenderMode(thing)
        if mode in (3, 7):
            self.leftovers["hidden"] += 1
            return
        layer = self._layer(thing)
        for index in letters:
            glyph = raw.FPDFFont_GetGlyphPath(font, raw.FPDFText_GetUnicode(self.text_page, index), 1.0)
            if not glyph:
                continue
            place = self._letter_place(index, size.value)
            paths = _paths(
                raw, raw.FPDFGlyphPath_CountGlyphSegments(glyph),
                partial(raw.FPDFGlyphPath_GetGlyphPathSegment, glyph), place,
            )  # fmt: skip
            if paths:
                self._fill(paths, False, raw.FPDFPageObj_GetFillColor, thing, layer, clips)

    def _letter_place(self, index: int, size: float) -> Affine:
        """From a letter's own coordinates, a font's size being 1, to mm."""
        x, y, own = ctypes.c_double(), ctypes.c_double(), self.raw.FS_MATRIX()
        self.raw.FPDFText_GetCharOrigin(self.text_page, index, ctypes.byref(x), ctypes.byref(y))
        self.raw.FPDFText_GetMatrix(self.text_page, index, ctypes.byref(own))
        return Affine(own.a * size, own.b * size, own.c * size, own.d * size, x.value, y.value).then(self.to_mm)

    def _image(self, thing: Any, matrix: Affine) -> None:
        raw = self.raw
        import pypdfium2

        width, height = ctypes.c_uint(), ctypes.c_uint()
        raw.FPDFImageObj_GetImagePixelSize(thing, ctypes.byref(width), ctypes.byref(height))
        if width.value * height.value > MOST_PIXELS or not width.value:
            self.notes["A picture inside is too large to take out."] = None
            return
        try:  # with its mask, in its own pixels and not in those of a page at 72 to the inch
            bitmap = pypdfium2.PdfImage(thing, page=self.page).get_bitmap(render=True, scale_to_original=True)
        except pypdfium2.PdfiumError:
            self.notes["A picture inside cannot be read."] = None
            return
        stream = io.BytesIO()
        bitmap.to_pil().save(stream, "PNG")
        size = np.hypot(matrix.a, matrix.b), np.hypot(matrix.c, matrix.d)
        left, top = matrix.map(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0], [1.0, 1.0]])).min(0).tolist()
        self.pictures.append(FoundPicture(stream.getvalue(), "image/png", float(size[0]), float(size[1]), left, top))


def _font_name(raw: Any, font: Any) -> str:
    buffer = ctypes.create_string_buffer(256)
    raw.FPDFFont_GetBaseFontName(font, buffer, 256)
    return buffer.value.decode("utf-8", "replace") or "no named font"


def _matrix_of(raw: Any, thing: Any) -> Affine:
    found = raw.FS_MATRIX()
    if not raw.FPDFPageObj_GetMatrix(thing, ctypes.byref(found)):
        return Affine()
    return Affine(found.a, found.b, found.c, found.d, found.e, found.f)


def _paths(raw: Any, count: int, get: Callable[[int], Any], matrix: Affine) -> list[Path]:
    """pdfium's path segments as paths."""
    paths: list[Path] = []
    kinds: list[int] = []
    rows: list[list[float]] = []
    at = start = (0.0, 0.0)
    waiting: list[tuple[float, float]] = []

    def finish(closed: bool) -> None:
        if closed and rows and np.hypot(at[0] - start[0], at[1] - start[1]) > 1e-9:
            kinds.append(LINE)
            rows.append([*at, 0, 0, 0, 0, *start])
        if rows:
            table = np.array(rows)
            if np.isfinite(table).all() and np.abs(table).max() < 1e7:
                paths.append(Path(np.array(kinds, np.uint8), table, closed).mapped(matrix))
        kinds.clear()
        rows.clear()

    x, y = ctypes.c_float(), ctypes.c_float()
    for index in range(count):
        segment = get(index)
        raw.FPDFPathSegment_GetPoint(segment, ctypes.byref(x), ctypes.byref(y))
        kind, place = raw.FPDFPathSegment_GetType(segment), (x.value, y.value)
        if kind == raw.FPDF_SEGMENT_MOVETO:
            finish(False)
            at = start = place
        elif kind == raw.FPDF_SEGMENT_LINETO:
            if place != at:
                kinds.append(LINE)
                rows.append([*at, 0, 0, 0, 0, *place])
            at = place
        elif kind == raw.FPDF_SEGMENT_BEZIERTO:
            waiting.append(place)
            if len(waiting) == 3:
                kinds.append(CUBIC)
                rows.append([*at, *waiting[0], *waiting[1], *waiting[2]])
                at = waiting[2]
                waiting = []
        if raw.FPDFPathSegment_GetClose(segment):
            finish(True)
            at = start
    finish(False)
    return paths
