"""SVG in millimetres: drawings of shapes and cut files, and the reader that checks them.

Width and height are in mm and the viewBox is in mm, so one user unit is one millimetre.
"""

from __future__ import annotations

from lxml import etree

from nibble_core.errors import UnreadableFile
from nibble_core.formats.svg_path import parse_path_data
from nibble_core.geometry import Path
from nibble_core.geometry.paths import all_mapped
from nibble_core.geometry.units import format_number
from nibble_core.graphics import Drawing, Drawn, Filled, Ink, Page, Shape, Stroked, hex_colour

HAIRLINE = 0.025
_NS = "http://www.w3.org/2000/svg"


def write_drawing(drawing: Drawing) -> bytes:
    """One path a shape, with its fill; holes by the even-odd rule. Strokes keep their width; layers are groups.

    What lies under the shapes to hide their seams is one path a colour in a group of its own, “under-seams”.
    """
    root = _root(drawing.width, drawing.height)
    if drawing.under:
        beneath = etree.SubElement(root, "g", {"id": "under-seams"})
        for colour in dict.fromkeys(stroke.colour for stroke in drawing.under):
            some = [stroke for stroke in drawing.under if stroke.colour == colour]
            data = "".join(stroke.svg(4) for stroke in some)
            etree.SubElement(beneath, "path", _attributes(some[0]) | {"d": data})
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
    """A cut file: marks filled, lines as hairlines grouped by layer. Pictures are never part of it."""
    root = _root(page.width, page.height)
    if page.title:
        etree.SubElement(root, "title").text = page.title
    marks = etree.SubElement(
        root, "g", {"id": "marks", "fill": _screen(page.filled[0].ink) if page.filled else "#000000"}
    )
    for filled in page.filled:
        for path in filled.paths:
            etree.SubElement(marks, "path", {"d": path.svg(4)})
    for number, stroked in enumerate(page.stroked):
        again = any(other.layer == stroked.layer for other in page.stroked[:number])
        group = etree.SubElement(
            root,
            "g",
            {
                "id": f"{stroked.layer} {number + 1}" if again else stroked.layer,
                "data-process": stroked.layer,
                "data-ink": stroked.ink.name,
                "fill": "none",
                "stroke": _screen(stroked.ink),
                "stroke-width": format_number(HAIRLINE),
            },
        )
        for placement in stroked.placements:
            data = "".join(path.svg(4) for path in all_mapped(stroked.paths, placement))
            etree.SubElement(group, "path", {"d": data})
    return _bytes(root)


def read_page(content: bytes) -> Page:
    """What ``write_page`` wrote, as a page; each copy's lines are paths of their own.

    Raises UnreadableFile when the bytes are not such a file.
    """
    try:
        root = etree.fromstring(content, etree.XMLParser(resolve_entities=False, no_network=True))
        left, top, width, height = (float(v) for v in root.get("viewBox", "").split())
        if (left, top) != (0.0, 0.0) or root.get("width") != f"{format_number(width)}mm":
            raise ValueError("no true size")
    except (etree.XMLSyntaxError, ValueError) as error:
        raise UnreadableFile("This is not an SVG in millimetres.", "Make the files again.") from error
    filled: list[Path] = []
    stroked: list[Stroked] = []
    for group in root.iter(f"{{{_NS}}}g"):
        paths = tuple(p for node in group.iter(f"{{{_NS}}}path") for p in parse_path_data(node.get("d", "")))
        if group.get("fill") != "none":
            filled += paths
        else:
            stroked.append(Stroked(paths, Ink(group.get("data-ink", ""), (0, 0, 0, 1)), group.get("data-process", "")))
    return Page(width, height, (Filled(tuple(filled)),) if filled else (), tuple(stroked))


def _root(width: float, height: float) -> etree._Element:
    w, h = format_number(width), format_number(height)
    return etree.Element("svg", {"width": f"{w}mm", "height": f"{h}mm", "viewBox": f"0 0 {w} {h}"}, nsmap={None: _NS})


def _bytes(root: etree._Element) -> bytes:
    written: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return written


def _screen(ink: Ink) -> str:
    c, m, y, k = ink.cmyk
    red, green, blue = (round(255 * (1 - v) * (1 - k)) for v in (c, m, y))
    return hex_colour((red, green, blue))
