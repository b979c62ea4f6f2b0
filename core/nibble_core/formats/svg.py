"""SVG in millimetres: drawings of shapes and cut files, and the reader that checks them.

Width and height are in mm and the viewBox is in mm, so one user unit is one millimetre.
"""

from __future__ import annotations

import base64
import io
import re

import numpy as np
from lxml import etree
from PIL import Image

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import Affine, Bundle
from nibble_core.geometry.path_text import SVG
from nibble_core.geometry.units import format_number
from nibble_core.graphics import Drawing, Drawn, Engraving, Filled, Ink, Page, Shape, Stroked, hex_colour

HAIRLINE = 0.025
_NS = "http://www.w3.org/2000/svg"


def write_drawing(drawing: Drawing) -> bytes:
    """One path a shape, with its fill; holes by the even-odd rule. Strokes keep their width; layers are groups."""
    root = _root(drawing.width, drawing.height)
    holder, layer = root, ""
    known: dict[str, int] = {}
    for shape in drawing.shapes:
        if shape.layer != layer:
            layer = shape.layer
            known[layer] = known.get(layer, 0) + 1
            holder = etree.SubElement(root, "g", named(layer, known[layer])) if layer else root
        etree.SubElement(holder, "path", _attributes(shape) | {"d": shape.svg(4)})
    return _bytes(root)


def named(layer: str, number: int) -> dict[str, str]:
    """Attributes of the nth group of a layer: an id may hold no space, and comes once in a file; the name is kept."""
    plain = re.sub(r"[^\w.-]+", "-", layer).strip("-.") or "layer"
    plain = plain if plain[0].isalpha() or plain[0] == "_" else f"layer-{plain}"
    own = {} if plain == layer else {"data-name": layer}
    return {"id": f"{plain}-{number}" if number > 1 else plain, **own}


def _attributes(shape: Drawn) -> dict[str, str]:
    colour = hex_colour(shape.colour)
    if isinstance(shape, Shape):
        said = {"fill": colour, "fill-rule": "evenodd"}
    else:
        said = {"fill": "none", "stroke": colour, "stroke-width": format_number(shape.width or HAIRLINE, 4)}
        if shape.width:
            said |= {"stroke-linecap": shape.cap, "stroke-linejoin": shape.join}
            if shape.mitre_limit != 4:
                said["stroke-miterlimit"] = format_number(shape.mitre_limit)
            if shape.dashes:
                said["stroke-dasharray"] = " ".join(format_number(d, 4) for d in shape.dashes)
                if shape.phase:
                    said["stroke-dashoffset"] = format_number(shape.phase, 4)
    if shape.opacity < 1:
        said["opacity"] = format_number(shape.opacity)
    if shape.spot:
        said["data-spot"] = shape.spot
    return said


def write_page(page: Page) -> bytes:
    """A cut file: marks filled, lines as hairlines grouped by layer, a path a copy. Pictures are never part of it."""
    out = io.BytesIO()
    with etree.xmlfile(out, encoding="UTF-8") as file:
        file.write_declaration()
        w, h = format_number(page.width), format_number(page.height)
        with file.element("svg", _size(w, h), nsmap={None: _NS}):
            if page.title:
                _put(file, "title", {}, page.title)
            ink = hex_colour(page.filled[0].ink.screen) if page.filled else "#000000"
            with file.element("g", {"id": "marks", "fill": ink}):
                for filled in page.filled:
                    for path in filled.paths:
                        _put(file, "path", {"d": path.svg(4)})
            for number, engraving in enumerate(page.engravings, 1):
                with file.element("g", _engraved(engraving, number)):
                    for placement in engraving.placements:
                        _put_engraving(file, engraving, placement)
            known: dict[str, int] = {}
            for stroked in page.stroked:
                known[stroked.layer] = number = known.get(stroked.layer, 0) + 1
                with file.element("g", _group(stroked, number)):
                    for placement in stroked.placements:
                        _put(file, "path", {"d": stroked.paths.mapped(placement).svg(4)})
    return out.getvalue()


def _group(stroked: Stroked, number: int) -> dict[str, str]:
    return {
        **named(stroked.layer, number), "data-process": stroked.layer, "data-ink": stroked.ink.name,
        "fill": "none", "stroke": hex_colour(stroked.ink.screen),
        "stroke-width": format_number(HAIRLINE),
    }  # fmt: skip


def _engraved(one: Engraving, number: int) -> dict[str, str]:
    return {
        "id": f"area-{number}", "data-process": one.layer, "data-ink": one.ink.name, "data-area": "yes",
        "fill": hex_colour(one.ink.screen), "fill-rule": "evenodd", "stroke": "none",
    }  # fmt: skip


def _put_engraving(file: etree._IncrementalFileWriter, one: Engraving, placement: Affine) -> None:
    """A path, or pixels as a picture that is black where the beam burns fully."""
    if one.levels is None:
        _put(file, "path", {"d": one.paths.mapped(placement).svg(4)})
        return
    h, w = one.levels.shape
    png = io.BytesIO()
    clear = np.where(one.levels > 0, 255, 0).astype(np.uint8)  # paper is no white box
    Image.fromarray(np.dstack([255 - one.levels, clear])).save(png, "PNG")
    at = Affine.scale(one.pitch).then(Affine.translation(one.left, one.top)).then(placement)
    matrix = " ".join(f"{v:.9g}" for v in at)
    _put(file, "image", {
        "width": str(w), "height": str(h), "preserveAspectRatio": "none", "transform": f"matrix({matrix})",
        "style": "image-rendering:pixelated",
        "href": "data:image/png;base64," + base64.b64encode(png.getvalue()).decode(),
    })  # fmt: skip


def _read_engraving(group: etree._Element, paths: Bundle) -> list[Engraving]:
    """What ``_put_engraving`` wrote: an area, or each picture with its place."""
    ink, process = Ink(group.get("data-ink", ""), (0, 0, 0, 1)), group.get("data-process", "")
    found = [Engraving(paths, ink, process, (Affine(),))] if len(paths) else []
    for node in group.iter(f"{{{_NS}}}image"):
        with Image.open(io.BytesIO(base64.b64decode(node.get("href", "").partition(",")[2]))) as image:
            grey, clear = np.moveaxis(np.asarray(image.convert("LA")), 2, 0)
        levels = np.where(clear > 0, 255 - grey, 0).astype(np.uint8)
        numbers = re.findall(r"[-+.\de]+", node.get("transform", ""))
        at = Affine(*(float(v) for v in numbers[-6:]))
        found.append(Engraving(Bundle.of(()), ink, process, (at,), levels, 0.0, 0.0, 1.0))
    return found


def _put(file: etree._IncrementalFileWriter, tag: str, attributes: dict[str, str], text: str = "") -> None:
    file.write("\n")
    with file.element(tag, attributes):
        if text:
            file.write(text)


def read_page(content: bytes) -> Page:
    """What ``write_page`` wrote, as a page; each group's copies are one bundle.

    Raises UnreadableFile when the bytes are not such a file.
    """
    try:
        root = etree.fromstring(content, etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True))
        left, top, width, height = (float(v) for v in root.get("viewBox", "").split())
        if (left, top) != (0.0, 0.0) or root.get("width") != f"{format_number(width)}mm":
            raise ValueError("no true size")
    except (etree.XMLSyntaxError, ValueError) as error:
        raise UnreadableFile("This is not an SVG in millimetres.", "Make the files again.") from error
    filled: list[Bundle] = []
    stroked: list[Stroked] = []
    engravings: list[Engraving] = []
    for group in root.iter(f"{{{_NS}}}g"):
        read = [Bundle.read(node.get("d", "").encode(), SVG) for node in group.iter(f"{{{_NS}}}path")]
        if group.get("data-area"):
            engravings += _read_engraving(group, Bundle.joined(read))
        elif group.get("fill") != "none":
            filled += read
        else:
            ink = Ink(group.get("data-ink", ""), (0, 0, 0, 1))
            stroked.append(Stroked(Bundle.joined(read), ink, group.get("data-process", "")))
    marks = (Filled(Bundle.joined(filled)),) if filled else ()
    return Page(width, height, marks, tuple(stroked), engravings=tuple(engravings))


def _root(width: float, height: float) -> etree._Element:
    return etree.Element("svg", _size(format_number(width), format_number(height)), nsmap={None: _NS})


def _size(w: str, h: str) -> dict[str, str]:
    return {"width": f"{w}mm", "height": f"{h}mm", "viewBox": f"0 0 {w} {h}"}


def _bytes(root: etree._Element) -> bytes:
    written: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return written
