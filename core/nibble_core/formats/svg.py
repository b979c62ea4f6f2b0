"""SVG in millimetres: drawings of shapes and cut files, and the reader that checks them.

Width and height are in mm and the viewBox is in mm, so one user unit is one millimetre.
"""

from __future__ import annotations

import io

from lxml import etree

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import Bundle
from nibble_core.geometry.path_text import SVG
from nibble_core.geometry.units import format_number
from nibble_core.graphics import Drawing, Drawn, Filled, Ink, Page, Shape, Stroked, hex_colour

HAIRLINE = 0.025
_NS = "http://www.w3.org/2000/svg"


def write_drawing(drawing: Drawing) -> bytes:
    """One path a shape, with its fill; holes by the even-odd rule. Strokes keep their width; layers are groups."""
    root = _root(drawing.width, drawing.height)
    holder, layer = root, ""
    for shape in drawing.shapes:
        if shape.layer != layer:
            layer = shape.layer
            holder = etree.SubElement(root, "g", {"id": layer}) if layer else root
        etree.SubElement(holder, "path", _attributes(shape) | {"d": shape.svg(4)})
    return _bytes(root)


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
            known: dict[str, int] = {}
            for stroked in page.stroked:
                known[stroked.layer] = number = known.get(stroked.layer, 0) + 1
                with file.element("g", _group(stroked, number)):
                    for placement in stroked.placements:
                        _put(file, "path", {"d": stroked.paths.mapped(placement).svg(4)})
    return out.getvalue()


def _group(stroked: Stroked, number: int) -> dict[str, str]:
    return {
        "id": f"{stroked.layer} {number}" if number > 1 else stroked.layer, "data-process": stroked.layer,
        "data-ink": stroked.ink.name, "fill": "none", "stroke": hex_colour(stroked.ink.screen),
        "stroke-width": format_number(HAIRLINE),
    }  # fmt: skip


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
    for group in root.iter(f"{{{_NS}}}g"):
        read = [Bundle.read(node.get("d", "").encode(), SVG) for node in group.iter(f"{{{_NS}}}path")]
        if group.get("fill") != "none":
            filled += read
        else:
            ink = Ink(group.get("data-ink", ""), (0, 0, 0, 1))
            stroked.append(Stroked(Bundle.joined(read), ink, group.get("data-process", "")))
    return Page(width, height, (Filled(Bundle.joined(filled)),) if filled else (), tuple(stroked))


def _root(width: float, height: float) -> etree._Element:
    return etree.Element("svg", _size(format_number(width), format_number(height)), nsmap={None: _NS})


def _size(w: str, h: str) -> dict[str, str]:
    return {"width": f"{w}mm", "height": f"{h}mm", "viewBox": f"0 0 {w} {h}"}


def _bytes(root: etree._Element) -> bytes:
    written: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return written
