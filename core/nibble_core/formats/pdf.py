"""PDF job files: written with content streams of our own in mm, so that spot colours, layers and sizes are exact.

One form or image XObject a thing, however often it is placed. Layers carry ISO 19593-1 processing steps.
"""

from __future__ import annotations

import shutil
import struct
import tempfile
import zlib
from collections.abc import Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import IO, Any, BinaryIO, cast
from uuid import uuid4

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name, Stream, String
from PIL import ImageCms

from nibble_core.formats.client_page import page_form
from nibble_core.geometry import Affine, Box, Bundle
from nibble_core.geometry.path_text import PDF
from nibble_core.geometry.units import POINTS_PER_MM, format_number
from nibble_core.graphics import ClientPage, Drawing, Ink, Page, Painted, Plate, Press, Raster, Shape
from nibble_core.processes import PROCESSES

WHITE, VARNISH = "white", "varnish"
"""Layers of plates: beneath the print, and over it."""
MOST_IN_MEMORY = 32 << 20  # bytes of a file while it is written
COMPRESSION = 3  # of pixels: a scan takes a fifth more than at the usual 6, in a third of the time
HAIRLINE = 0.25 / POINTS_PER_MM  # a quarter point: what cutters' and presses' software takes for a line


def write_page(page: Page) -> bytes:
    """A one-page PDF of the page's true size: pictures, filled marks, hairlines in named spot colours."""
    pdf = pikepdf.Pdf.new()
    sheet = pdf.add_blank_page(page_size=(page.width * POINTS_PER_MM, page.height * POINTS_PER_MM))
    box = Array([0, 0, Decimal(f"{page.width * POINTS_PER_MM:.4f}"), Decimal(f"{page.height * POINTS_PER_MM:.4f}")])
    sheet.obj.MediaBox = box
    sheet.obj.BleedBox, sheet.obj.TrimBox = _box(page, page.bleed), _box(page, page.trim)
    resources = Dictionary(XObject=Dictionary(), ColorSpace=Dictionary(), Properties=Dictionary())
    resources.ExtGState = Dictionary(
        Overprint=Dictionary(Type=Name.ExtGState, OP=True, op=True, OPM=1),
        Plain=Dictionary(Type=Name.ExtGState, OP=False, op=False),
        OverWhite=Dictionary(Type=Name.ExtGState, BM=Name.Multiply),
    )
    scale = _long(POINTS_PER_MM)
    lines = [f"{scale} 0 0 -{scale} 0 {_long(page.height * POINTS_PER_MM)} cm"]  # mm, y down
    groups: list[pikepdf.Object] = []
    clients: dict[str, tuple[pikepdf.Object, list[pikepdf.Object]]] = {}
    profile = _srgb(pdf) if page.printed else None
    if profile is not None:
        pdf.Root.OutputIntents = Array(_intents(pdf, page.press, profile))
        resources.ColorSpace.DefaultRGB = Array([Name.ICCBased, profile])
    if page.press is not None:
        lines += [f"{_RENDERING[page.press.rendering]} ri"]
    under = [plate for plate in page.plates if plate.under]
    lines += _plates(pdf, resources, groups, under, WHITE)
    drawn = _drawn_print(pdf, page, resources, profile, clients)
    if under:
        resources.XObject["/Print"] = _group(pdf, page, resources, drawn)
        drawn = ["q /OverWhite gs /Print Do Q"]
    if page.printed:
        lines += [f"/OC /{_layer(pdf, resources, groups, 'print')} BDC", *drawn, "EMC"]
    lines += _plates(pdf, resources, groups, [plate for plate in page.plates if not plate.under], VARNISH)
    if page.filled:
        layer = _layer(pdf, resources, groups, "marks")
        lines += [f"/OC /{layer} BDC q /Plain gs"]
        for filled in page.filled:
            lines += [" ".join(_number(v) for v in filled.ink.cmyk) + " k"]
            lines += [f"{path.text(PDF, 4)}f*" for path in filled.paths]
        lines += ["Q EMC"]
    lines += _drawn_lines(pdf, page, resources, groups)
    sheet.obj.Resources = resources
    sheet.obj.Contents = pdf.make_stream("\n".join(lines).encode("ascii"))
    if groups:
        hidden = [group for _, some in clients.values() for group in some]
        pdf.Root.OCProperties = Dictionary(
            OCGs=Array([*groups, *hidden]),
            D=Dictionary(Name=String("All"), BaseState=Name.ON, Order=Array(groups), OFF=Array(hidden)),
        )
    title = page.title or "Nibble job"
    with pdf.open_metadata(set_pikepdf_as_editor=False) as metadata:
        metadata["dc:title"] = title
        metadata["pdf:Producer"] = "Nibble"
        if _is_x4(page):
            _declare_x4(pdf, metadata, title)
    return _saved(pdf)


def _drawn_print(
    pdf: pikepdf.Pdf, page: Page, resources: Dictionary, profile: pikepdf.Object | None,
    clients: dict[str, tuple[pikepdf.Object, list[pikepdf.Object]]],
) -> list[str]:  # fmt: skip
    """The operators that print a page's pictures, fills and clients' pages; ``clients`` takes these by their digests,
    each with its layers."""
    drawn: list[str] = []
    for index, one in enumerate(page.printed):
        if isinstance(one, Painted):
            resources.XObject[f"/Fill{index}"] = _fill(pdf, one, profile)
            drawn += [f"q {_matrix(placement)} cm /Fill{index} Do Q" for placement in one.placements]
        elif isinstance(one, ClientPage):
            if one.digest not in clients:
                clients[one.digest] = page_form(pdf, one.content, one.digest)
            resources.XObject[f"/Page{index}"] = _clipped(pdf, one, clients[one.digest][0])
            drawn += [f"q {_matrix(placement)} cm /Page{index} Do Q" for placement in one.placements]
        elif isinstance(one.pixels, str):
            raise TypeError("a picture that was read back has no pixels to be written")
        else:
            resources.XObject[f"/Picture{index}"] = _image(pdf, one.pixels, profile, page.press)
            w, h = _number(one.width), _number(one.height)
            drawn += [f"q {_matrix(at)} cm {w} 0 0 -{h} 0 {h} cm /Picture{index} Do Q" for at in one.placements]
    return drawn


def _drawn_lines(pdf: pikepdf.Pdf, page: Page, resources: Dictionary, groups: list[pikepdf.Object]) -> list[str]:
    """The operators that draw a page's lines, each in the ink and the layer of its process."""
    inks: dict[Ink, str] = {}
    forms: dict[Bundle, str] = {}
    layers: dict[tuple[str, Ink], str] = {}
    drawn: list[str] = []
    for stroked in page.stroked:
        ink, of = stroked.ink, (stroked.layer, stroked.ink)
        if ink not in inks:
            inks[ink] = f"Ink{len(inks)}"
            resources.ColorSpace[f"/{inks[ink]}"] = _separation(pdf, ink)
        if of not in layers:
            layers[of] = _layer(pdf, resources, groups, stroked.layer)
        if stroked.paths not in forms:
            forms[stroked.paths] = f"Lines{len(forms)}"
            resources.XObject[f"/{forms[stroked.paths]}"] = _form(pdf, stroked.paths, "", "S")
        drawn += [f"/OC /{layers[of]} BDC q /Overprint gs /{inks[ink]} CS 1 SCN {_number(HAIRLINE)} w 1 j 1 J"]
        drawn += [f"q {_matrix(place)} cm /{forms[stroked.paths]} Do Q" for place in stroked.placements]
        drawn += ["Q EMC"]
    return drawn


def _saved(pdf: pikepdf.Pdf) -> bytes:
    """Its bytes; a large one passes through a file, so that they never lie in memory beside what they are made of."""
    with tempfile.SpooledTemporaryFile(MOST_IN_MEMORY) as out:
        pdf.save(cast(BinaryIO, out), min_version="1.6", compress_streams=True, deterministic_id=True)
        pdf.close()
        out.seek(0)
        return out.read()


def write_drawing(drawing: Drawing) -> bytes:
    """A one-page PDF of the drawing's true size: fills and strokes in RGB, named inks as spot colours."""
    pdf = pikepdf.Pdf.new()
    size = (drawing.width * POINTS_PER_MM, drawing.height * POINTS_PER_MM)
    sheet = pdf.add_blank_page(page_size=size)
    sheet.obj.MediaBox = sheet.obj.TrimBox = Array([0, 0, *(Decimal(f"{side:.4f}") for side in size)])
    resources = Dictionary(ColorSpace=Dictionary(), ExtGState=Dictionary())
    spots: dict[str, str] = {}
    scale = _long(POINTS_PER_MM)
    lines = [f"{scale} 0 0 -{scale} 0 {_long(size[1])} cm"]
    for shape in drawing.shapes:
        lines.append("q")
        if shape.opacity < 1:
            key = f"Alpha{round(1000 * shape.opacity)}"
            alpha = Decimal(f"{shape.opacity:.3f}")
            resources.ExtGState[f"/{key}"] = Dictionary(Type=Name.ExtGState, CA=alpha, ca=alpha)
            lines.append(f"/{key} gs")
        fills = isinstance(shape, Shape)
        if shape.spot:
            if shape.spot not in spots:
                spots[shape.spot] = f"Ink{len(spots)}"
                screen = tuple(1 - v / 255 for v in shape.colour)
                ink = Ink(shape.spot, (screen[0], screen[1], screen[2], 0.0))
                resources.ColorSpace[f"/{spots[shape.spot]}"] = _separation(pdf, ink)
            lines.append(f"/{spots[shape.spot]} {'cs 1 scn' if fills else 'CS 1 SCN'}")
        else:
            lines.append(" ".join(_number(v / 255) for v in shape.colour) + (" rg" if fills else " RG"))
        if isinstance(shape, Shape):
            lines += [Bundle.of(shape.region.rings).text(PDF, 4) + "f*"]
        else:
            cap, join = ("butt", "round", "square").index(shape.cap), ("miter", "round", "bevel").index(shape.join)
            dashes = f"[{' '.join(_number(d) for d in shape.dashes)}] {_number(shape.phase)} d " if shape.dashes else ""
            width = _number(shape.width or HAIRLINE)
            lines.append(
                f"{width} w {cap} J {join} j {_number(max(shape.mitre_limit, 1))} M {dashes}{shape.path.text(PDF, 4)}S"
            )
        lines.append("Q")
    sheet.obj.Resources = resources
    sheet.obj.Contents = pdf.make_stream("\n".join(lines).encode("ascii"))
    return _saved(pdf)


def _box(page: Page, own: Box | None) -> Array:
    """A page box in points, y up."""
    box = own or Box(0.0, 0.0, page.width, page.height)
    sides = (box.left, page.height - box.bottom, box.right, page.height - box.top)
    return Array([Decimal(f"{side * POINTS_PER_MM:.4f}") for side in sides])


def _group(pdf: pikepdf.Pdf, page: Page, resources: Dictionary, drawn: Sequence[str]) -> pikepdf.Object:
    """All that is printed as one transparency group (PDF 32000-1, 11.6.6), to be multiplied with the white beneath it:
    a blend mode that keeps white keeps spot inks that are there (11.7.4.2), where plain painting would knock them out;
    and viewers that know no overprint show the print, and not the white."""
    form = Stream(pdf, "\n".join(drawn).encode("ascii"))
    form.Type, form.Subtype = Name.XObject, Name.Form
    form.Group = Dictionary(Type=Name.Group, S=Name.Transparency, I=True)
    objects: Any = resources.XObject
    states: Any = resources.ExtGState
    form.Resources = Dictionary(XObject=Dictionary(dict(objects.items())), ExtGState=Dictionary(dict(states.items())))
    if "/DefaultRGB" in resources.ColorSpace:
        form.Resources.ColorSpace = Dictionary(DefaultRGB=resources.ColorSpace.DefaultRGB)
    form.BBox = Array([0, 0, Decimal(f"{page.width:.3f}"), Decimal(f"{page.height:.3f}")])
    return pdf.make_indirect(form)


def _plates(
    pdf: pikepdf.Pdf, resources: Dictionary, groups: list[pikepdf.Object], plates: Sequence[Plate], name: str
) -> list[str]:  # fmt: skip
    """Plates on layers of their own that overprint."""
    lines = []
    for number, plate in enumerate(plates):
        layer, key = _layer(pdf, resources, groups, name), f"{name.capitalize()}{number}"
        resources.ColorSpace[f"/Ink{key}"] = _separation(pdf, plate.ink)
        resources.XObject[f"/{key}"] = _form(pdf, plate.paths, "", "f*")
        lines += [f"/OC /{layer} BDC q /Overprint gs /Ink{key} cs 1 scn"]
        lines += [f"q {_matrix(at)} cm /{key} Do Q" for at in plate.placements]
        lines += ["Q EMC"]
    return lines


def _layer(pdf: pikepdf.Pdf, resources: Dictionary, groups: list[pikepdf.Object], name: str) -> str:
    group = Dictionary(Type=Name.OCG, Name=String(name))
    if name in PROCESSES and PROCESSES[name].step:
        step = Name(f"/{PROCESSES[name].step}")
        group.GTS_Metadata = Dictionary(GTS_ProcStepsGroup=Name.Structural, GTS_ProcStepsType=step)
    elif name in (WHITE, VARNISH):
        step = Name(f"/{name.capitalize()}")
        group.GTS_Metadata = Dictionary(GTS_ProcStepsGroup=step, GTS_ProcStepsType=step)
    groups.append(pdf.make_indirect(group))
    key = f"Layer{len(groups)}"
    resources.Properties[f"/{key}"] = groups[-1]
    return key


def _separation(pdf: pikepdf.Pdf, ink: Ink) -> pikepdf.Object:
    tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=[Decimal(f"{v:.4f}") for v in ink.cmyk], N=1)
    return pdf.make_indirect(Array([Name.Separation, Name("/" + ink.name), Name.DeviceCMYK, tint]))


def _fill(pdf: pikepdf.Pdf, painted: Painted, profile: pikepdf.Object | None) -> pikepdf.Object:
    form = _form(pdf, painted.paths, " ".join(_number(v / 255) for v in painted.colour) + " rg\n", "f*")
    form.Resources = Dictionary(ColorSpace=Dictionary(DefaultRGB=Array([Name.ICCBased, profile])))
    return form


def _form(pdf: pikepdf.Pdf, paths: Bundle, before: str, after: str) -> pikepdf.Object:
    """Paths as a form XObject, to be placed as often as wanted."""
    form = Stream(pdf, f"{before}{paths.text(PDF, 4)}{after}".encode("ascii"))
    form.Type, form.Subtype, form.Resources = Name.XObject, Name.Form, Dictionary()
    form.BBox = Array([Decimal(f"{side:.3f}") for side in paths.bounds().grown(1.0)])
    return pdf.make_indirect(form)


def _clipped(pdf: pikepdf.Pdf, page: ClientPage, whole: pikepdf.Object) -> pikepdf.Object:
    """A client's page within its clip, as a form XObject."""
    w, h = _number(page.width), _number(page.height)
    drawn = f"{page.clip.text(PDF, 4)}W* n {_matrix(page.at)} cm {w} 0 0 -{h} 0 {h} cm /Page Do"
    form = Stream(pdf, drawn.encode("ascii"))
    form.Type, form.Subtype = Name.XObject, Name.Form
    form.Resources = Dictionary(XObject=Dictionary(Page=whole))
    form.BBox = Array([Decimal(f"{side:.3f}") for side in page.clip.bounds().grown(1.0)])
    return pdf.make_indirect(form)


def _srgb(pdf: pikepdf.Pdf) -> pikepdf.Object:
    content = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    content[24:36] = struct.pack(">6H", 2000, 1, 1, 0, 0, 0)  # made just now: the same job would make other files
    profile = Stream(pdf, bytes(content))
    profile.N, profile.Alternate = 3, Name.DeviceRGB
    return pdf.make_indirect(profile)


_RENDERING = {
    "perceptual": "/Perceptual", "relative colorimetric": "/RelativeColorimetric", "saturation": "/Saturation",
    "absolute colorimetric": "/AbsoluteColorimetric",
}  # fmt: skip
_ALTERNATES = {1: Name.DeviceGray, 3: Name.DeviceRGB, 4: Name.DeviceCMYK}


def _intents(pdf: pikepdf.Pdf, press: Press | None, srgb: pikepdf.Object) -> list[Dictionary]:
    """What the colours of the page are meant for: the stock's own profile, else those of a screen, which a press turns
    into its own. For PDF/X as well as for PDF/A, with the same profile."""
    name, profile = "sRGB IEC61966-2.1", srgb
    if press is not None:
        own = Stream(pdf, press.profile)
        own.N, own.Alternate = press.channels, _ALTERNATES[press.channels]
        name, profile = press.name, pdf.make_indirect(own)
    printer = press is not None and press.prints
    return [
        Dictionary(
            Type=Name.OutputIntent, S=kind, OutputConditionIdentifier=String(name), Info=String(name),
            RegistryName=String(""), DestOutputProfile=profile,
        )
        for kind in ((Name.GTS_PDFX,) if printer else (Name.GTS_PDFX, Name.GTS_PDFA1))
    ]  # fmt: skip


def _is_x4(page: Page) -> bool:
    """Whether nothing forbids PDF/X-4 (ISO 15930-7): a printer's profile in CMYK, since marks and inks are told in it,
    and nothing of a client's whose fonts and colours are not ours to vouch for."""
    press = page.press
    return bool(page.printed and press and press.prints and press.channels == 4 and not page.client_pages)


def _declare_x4(pdf: pikepdf.Pdf, metadata: pikepdf.models.PdfMetadata, title: str) -> None:
    now = datetime.now(UTC).replace(microsecond=0)
    metadata["pdfxid:GTS_PDFXVersion"] = "PDF/X-4"
    metadata["pdf:Trapped"] = "False"
    metadata["xmpMM:DocumentID"] = f"uuid:{uuid4()}"
    metadata["xmpMM:RenditionClass"] = "default"
    metadata["xmpMM:VersionID"] = "1"
    for key in ("xmp:CreateDate", "xmp:ModifyDate", "xmp:MetadataDate"):
        metadata[key] = now.isoformat()
    told = now.strftime("D:%Y%m%d%H%M%S+00'00'")
    pdf.docinfo.Title, pdf.docinfo.Trapped = String(title), Name("/False")
    pdf.docinfo.CreationDate = pdf.docinfo.ModDate = String(told)


def _image(pdf: pikepdf.Pdf, raster: Raster, profile: pikepdf.Object | None, press: Press | None) -> pikepdf.Object:
    def stream(samples: np.ndarray, space: pikepdf.Object | Name) -> pikepdf.Object:
        packer = zlib.compressobj(COMPRESSION)
        with tempfile.SpooledTemporaryFile(MOST_IN_MEMORY) as packed:
            for rows in raster.bands():
                packed.write(packer.compress(samples[rows].tobytes()))
            packed.write(packer.flush())
            made = _stream_of(pdf, packed)
        made.Type, made.Subtype = Name.XObject, Name.Image
        made.Width, made.Height = raster.width, raster.height
        made.BitsPerComponent, made.Filter, made.ColorSpace = 8, Name.FlateDecode, space
        return made

    image = stream(raster.pixels[..., :3], Array([Name.ICCBased, profile]))
    if press is not None:
        image.Intent = Name(_RENDERING[press.rendering])
    if raster.is_see_through:
        image.SMask = pdf.make_indirect(stream(raster.alpha, Name.DeviceGray))
    return pdf.make_indirect(image)


def _stream_of(pdf: pikepdf.Pdf, packed: IO[bytes]) -> pikepdf.Object:
    """A stream of what a file holds. A large one is brought in from a document of its own on the disk, since the PDF
    library takes bytes by copying them twice; that document stays open until the one that takes it is gone."""
    length = packed.tell()
    packed.seek(0)
    if length <= MOST_IN_MEMORY:
        return Stream(pdf, packed.read())
    carrier = tempfile.TemporaryFile()  # noqa: SIM115 - it is read when all is saved
    heads = (b"1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n", b"2 0 obj\n<</Type/Pages/Kids[]/Count 0>>\nendobj\n",
             b"3 0 obj\n<</Length %d>>\nstream\n" % length)  # fmt: skip
    carrier.write(b"%PDF-1.6\n")
    places = []
    for head in heads:
        places.append(carrier.tell())
        carrier.write(head)
    shutil.copyfileobj(packed, carrier)
    carrier.write(b"\nendstream\nendobj\n")
    table = carrier.tell()
    carrier.write(b"xref\n0 4\n0000000000 65535 f \n" + b"".join(b"%010d 00000 n \n" % place for place in places))
    carrier.write(b"trailer\n<</Size 4/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n" % table)
    carrier.seek(0)
    source = pikepdf.open(carrier)
    return pdf.copy_foreign(source.get_object(3, 0))


def _number(value: float) -> str:
    return format_number(value, 4)


def _long(value: float) -> str:
    return f"{value:.9f}"


def _matrix(affine: Affine) -> str:
    return " ".join(format_number(v, 6) for v in affine)
