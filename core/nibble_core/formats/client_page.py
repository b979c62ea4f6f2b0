"""A client's PDF page placed whole in a job file: vectors, spot colours, fonts and transparency as they came."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import pikepdf
from pikepdf import Array, Dictionary, Name, Stream, String

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import Affine
from nibble_core.geometry.units import format_number

DIGEST = "/SHA256"
"""Key of the page's private data (PDF 32000-1, 14.5 “page-piece dictionaries”) that says which page it came from."""
_HIDDEN = "/NibbleHidden"  # layers that the client's file does not show, carried by the page that is taken alone


def page_alone(content: bytes, number: int) -> bytes:
    """One page of a PDF, from 1, as a file of its own without notes, links, forms and scripts. Raises
    UnreadableFile."""
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf, pikepdf.Pdf.new() as alone:
            hidden = hidden_layers(pdf)
            page = pdf.pages[number - 1]
            page.obj[_HIDDEN] = Array(hidden)
            alone.pages.append(page)
            taken = alone.pages[0].obj
            for key in ("/Annots", "/AA", "/B", "/Thumb", "/Metadata", "/StructParents", "/Tabs"):
                if key in taken:
                    del taken[key]
            out = io.BytesIO()
            alone.save(out, compress_streams=True, deterministic_id=True)
            return out.getvalue()
    except (pikepdf.PdfError, IndexError, ValueError, TypeError, KeyError, RecursionError) as error:
        raise UnreadableFile(
            "The page of this PDF cannot be taken over as it is.", "Print the artwork's pixels, or its shapes."
        ) from error


def page_form(pdf: pikepdf.Pdf, content: bytes, digest: str) -> tuple[pikepdf.Object, list[pikepdf.Object]]:
    """What ``page_alone`` made as a form XObject of ``pdf`` that fills the unit square as an image does, and the layers
    in it that are not to be shown."""
    with pikepdf.open(io.BytesIO(content)) as alone:
        page = alone.pages[0]
        page.contents_coalesce()
        source: Any = page.obj
        form = Stream(pdf, source.Contents.read_bytes() if "/Contents" in source else b"")
        form.Type, form.Subtype = Name.XObject, Name.Form
        box = visible_box([float(v) for v in page.cropbox], [float(v) for v in page.mediabox])
        form.BBox = Array([_decimal(side) for side in box])
        form.Matrix = Array([_decimal(v) for v in _to_unit(box, int(source.get("/Rotate", 0)))])
        resources = pdf.copy_foreign(alone.make_indirect(source.get("/Resources", Dictionary())))
        form.Resources = resources
        if "/Group" in source:
            form.Group = pdf.copy_foreign(alone.make_indirect(source.Group))
        hidden = [pdf.copy_foreign(group) for group in source.get(_HIDDEN, Array())]
        form.PieceInfo = Dictionary(
            Nibble=Dictionary(LastModified=String("D:20000101000000Z"), Private=Dictionary({DIGEST: String(digest)}))
        )
        form.LastModified = String("D:20000101000000Z")
        return pdf.make_indirect(form), hidden


def digest_of(form: pikepdf.Object) -> str | None:
    """Which client's page a form is, None for one that is none."""
    info: Any = form.get("/PieceInfo")
    if info is None or "/Nibble" not in info:
        return None
    return str(info.Nibble.Private[DIGEST])


def visible_box(crop: Sequence[float], media: Sequence[float]) -> tuple[float, float, float, float]:
    """Left, bottom, right and top of what a page of these boxes shows, in its own unturned units."""
    own, whole = _upright(crop), _upright(media)
    box = max(own[0], whole[0]), max(own[1], whole[1]), min(own[2], whole[2]), min(own[3], whole[3])
    return box if box[2] - box[0] > 1e-3 and box[3] - box[1] > 1e-3 else whole


def _upright(box: Sequence[float]) -> tuple[float, float, float, float]:
    return min(box[0], box[2]), min(box[1], box[3]), max(box[0], box[2]), max(box[1], box[3])


def _to_unit(box: tuple[float, float, float, float], rotate: int) -> Affine:
    """A page's units to the unit square, turned clockwise as the page says."""
    left, bottom, right, top = box
    made = Affine.translation(-left, -bottom).then(Affine.scale(1 / (right - left), 1 / (top - bottom)))
    for _ in range(rotate // 90 % 4):
        made = made.then(Affine(0, -1, 1, 0, 0, 1))  # (x, y) goes to (y, 1 - x)
    return made


def hidden_layers(pdf: pikepdf.Pdf) -> list[pikepdf.Object]:
    """Optional content that the file does not show when it is opened."""
    told: Any = pdf.Root.get("/OCProperties")
    if told is None:
        return []
    usual = told.get("/D", Dictionary())
    off = list(usual.get("/OFF", Array()))
    if usual.get("/BaseState") == Name.OFF:
        shown = {group.objgen for group in usual.get("/ON", Array())}
        off = [group for group in told.get("/OCGs", Array()) if group.objgen not in shown]
    return [group for group in off if isinstance(group, pikepdf.Dictionary)]


def _decimal(value: float) -> Any:
    return pikepdf.Object.parse(format_number(value, 9).encode())
