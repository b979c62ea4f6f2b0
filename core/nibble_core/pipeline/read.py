"""Stage *read*: a client's bytes to an upright picture with its facts, and the drawing it is if it has paths."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from nibble_core.artwork.facts import Facts, look_facts, own_pixels, picture_facts, refuse_blank
from nibble_core.artwork.leftovers import page_background, without_leftovers
from nibble_core.artwork.verdict import Verdict, judged
from nibble_core.errors import NothingToTrace, UnreadableFile
from nibble_core.formats import package
from nibble_core.formats.client_drawing import ClientDrawing
from nibble_core.formats.dxf_reader import read_dxf
from nibble_core.formats.kinds import PIXELS, kind_of
from nibble_core.formats.looks import LOOK_PX
from nibble_core.formats.pdf_drawing import page_look, read_pdf
from nibble_core.formats.pixels import read_picture
from nibble_core.formats.svg_reader import drawing_look, read_svg
from nibble_core.graphics import Drawing, Raster
from nibble_core.graphics.rendering import rendered
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.store import Keyed, ResultStore, derived, stage
from nibble_core.ticket.artwork import Artwork
from nibble_core.tracing.making import NOT_TOLD, Making, making_of

MOST_PARTS = 60
ARTICLES = {"SVG": "an", "PDF": "a", "DXF": "a"}
ITS_PATHS = "its paths"  # of a drawing that holds pictures, too
DEEPER = "::"  # between the levels of a part: a file of a zip, then a page, then a picture within


@dataclass(frozen=True, eq=False)
class Picture:
    """An artwork as it came in.

    ``drawing``: its paths in mm with what there is to say about them, None for pixels; ``raster`` is then a picture
    of it. ``making``: how the edges of a picture were made. ``own_width``: mm, as the file states it, else at 96 px an
    inch; ``placed``: it is the size at which the picture lies on a page. ``parts``: what else the file offers.
    """

    raster: Raster
    kind: str
    stated_ppi: float | None
    notes: tuple[str, ...]
    facts: Facts
    verdict: Verdict
    own_width: float
    drawing: ClientDrawing | None = None
    leftovers: tuple[tuple[str, int], ...] = ()
    left_out: Drawing | None = None
    part: str = ""
    parts: tuple[str, ...] = ()
    placed: bool = False
    making: Making = NOT_TOLD


def inspect(content: bytes, name: str = "", *, part: str = "", unit: str | None = None) -> Picture:
    """Decode and look at a client's file. Raises UnreadableFile and NothingToTrace.

    ``part``: a file of a zip, “page 2” of a PDF, “picture 1” within a drawing, joined by “::” where they nest.
    ``unit``: of a DXF's numbers, where the file does not say.
    """
    here, _, deeper = part.partition(DEEPER)
    kind = kind_of(content, name)
    if kind == "zip":
        return _from_zip(content, name, here, deeper, unit)
    if kind in PIXELS:
        file = read_picture(content, name)
        refuse_blank(file.raster)
        facts = picture_facts(file.raster)
        ppi = file.stated_ppi or 96.0
        as_made = own_pixels(file.raster, facts)
        return Picture(
            file.raster, file.kind, file.stated_ppi, file.notes, facts, judged(as_made, facts),
            file.raster.width / ppi * 25.4, making=making_of(as_made),
        )  # fmt: skip
    page = int(found[1]) if (found := re.fullmatch(r"page (\d{1,5})", here)) else 1
    inner = deeper if found else here
    drawn = _drawn(content, name, kind, page, unit)
    parts = [f"page {number}" for number in range(1, min(drawn.pages, MOST_PARTS) + 1)] if drawn.pages > 1 else []
    prefix = f"page {page}{DEEPER}" if drawn.pages > 1 else ""
    if drawn.pages == 1 and drawn.pictures and drawn.drawing.shapes:
        parts.append(ITS_PATHS)
    parts += [f"{prefix}picture {number + 1}" for number in range(min(len(drawn.pictures), MOST_PARTS))]
    if len(parts) == 1:
        parts = []
    if wanted := re.fullmatch(r"picture (\d{1,4})", inner):
        return replace(_picture_within(drawn, int(wanted[1]), name, part), parts=tuple(parts))
    if not drawn.drawing.shapes:
        if not drawn.pictures:
            raise NothingToTrace("This file draws nothing.", "Check that it is the right file.")
        only = _picture_within(drawn, 1, name, f"{prefix}picture 1")
        return replace(only, parts=tuple(parts))
    return replace(_looked_at(drawn), part=part, parts=tuple(parts))


def client_page(content: bytes, name: str, part: str) -> tuple[bytes, int] | None:
    """The PDF and the number of its page that a part of a file is; None when it is no whole page of one."""
    content, name, part = _unpacked(content, name, part)
    here, _, deeper = part.partition(DEEPER)
    found = re.fullmatch(r"page (\d{1,5})", here)
    within = deeper if found else here
    if kind_of(content, name) != "PDF" or within not in ("", ITS_PATHS):
        return None
    return content, int(found[1]) if found else 1


def _unpacked(content: bytes, name: str, part: str) -> tuple[bytes, str, str]:
    """The file that a part of a zip lies in, its name, and what part of it that is; any other file as it is."""
    while kind_of(content, name) == "zip":
        here, _, part = part.partition(DEEPER)
        chosen = here or package.members(content, name)[0]
        content, name = package.member(content, chosen, name), chosen.rsplit("/", 1)[-1]
    return content, name, part


def finer_look(content: bytes, name: str, picture: Picture, longer: int) -> Raster | None:
    """A drawing's picture anew, so many pixels along its longer side; None where it cannot be had any finer."""
    assert picture.drawing is not None
    drawn = picture.drawing
    whole = drawn.drawing
    if not drawn.looked:
        paper = page_background(whole.shapes, whole.width, whole.height)
        shapes = tuple(shape for i, shape in enumerate(whole.shapes) if i not in paper)
        across = max(8, round(whole.width * longer / max(whole.width, whole.height)))
        return rendered(replace(whole, shapes=shapes), across)
    content, _, _ = _unpacked(content, name, picture.part)
    if drawn.kind == "PDF":
        return page_look(content, drawn.page, longer)
    return drawing_look(content, whole.width, whole.height, longer) if drawn.kind == "SVG" else None


def _drawn(content: bytes, name: str, kind: str, page: int, unit: str | None) -> ClientDrawing:
    if kind == "SVG":
        return read_svg(content, name)
    if kind == "PDF":
        return read_pdf(content, name, page=page)
    return read_dxf(content, name, unit=unit)


def _from_zip(content: bytes, name: str, here: str, deeper: str, unit: str | None) -> Picture:
    offered = package.members(content, name)
    chosen = here or offered[0]
    inner = inspect(package.member(content, chosen, name), chosen.rsplit("/", 1)[-1], part=deeper, unit=unit)
    parts = [*offered[:MOST_PARTS], *(f"{chosen}{DEEPER}{further}" for further in inner.parts if further != ITS_PATHS)]
    part = f"{chosen}{DEEPER}{deeper}" if deeper else chosen
    return replace(inner, part=part, parts=tuple(parts) if len(parts) > 1 else ())


def _picture_within(drawn: ClientDrawing, number: int, name: str, part: str) -> Picture:
    if not 1 <= number <= len(drawn.pictures):
        raise UnreadableFile(f"“{name}” holds no picture {number}.", "Choose another part of it.")
    found = drawn.pictures[number - 1]
    inner = inspect(found.content)
    notes = (*inner.notes, f"Taken out of {ARTICLES[drawn.kind]} {drawn.kind}.")
    own_width = found.width or inner.own_width
    return replace(inner, notes=notes, own_width=own_width, placed=bool(found.width), part=part)


def _looked_at(drawn: ClientDrawing) -> Picture:
    whole = drawn.drawing
    seen, left = without_leftovers(whole)
    scale = LOOK_PX / max(whole.width, whole.height)
    paper = page_background(seen.shapes, whole.width, whole.height)
    drawn_on = replace(seen, shapes=tuple(shape for i, shape in enumerate(seen.shapes) if i not in paper))
    raster = rendered(drawn_on, max(8, round(whole.width * scale))) if drawn.look is None else drawn.look
    facts = look_facts(raster)
    counts = dict(drawn.leftovers)
    for _, reason in left:
        counts[reason] = counts.get(reason, 0) + 1
    hidden = tuple(shape for shape, _ in left) + (drawn.left_out.shapes if drawn.left_out else ())
    verdict = judged(raster, facts, paths=len(seen.shapes), lettering=drawn.lettering)
    places = tuple(replace(found, content=b"") for found in drawn.pictures)
    whole_drawing = replace(
        drawn, drawing=seen, left_out=None, pictures=places, look=None, looked=drawn.look is not None
    )
    return Picture(
        raster, drawn.kind, None, drawn.notes, facts, verdict, whole.width, whole_drawing, tuple(counts.items()),
        Drawing(whole.width, whole.height, hidden) if hidden else None,
    )  # fmt: skip


def unit_of(artwork: Artwork) -> str | None:
    """The unit the ticket says for a file that says none."""
    return None if artwork.unit == "as the file says" else artwork.unit


@dataclass(frozen=True)
class Part:
    """Which part of a file is read, and as what. name: its ending tells some kinds apart; unit: of a DXF's numbers,
    where the file does not say."""

    name: str
    part: str
    unit: str | None


def read(
    store: ResultStore, file: Keyed[bytes], name: str, *, part: str = "", unit: str | None = None
) -> Keyed[Picture]:
    """The picture of a file; its bytes are asked for only when needed."""
    return stage(store, _inspected, Part(name, part, unit), file)


def _inspected(by: Part, content: bytes) -> Picture:
    return inspect(content, by.name, part=by.part, unit=by.unit)


def kept_read(store: ResultStore, sha256: str, name: str, *, part: str = "", unit: str | None = None) -> bool:
    """Whether ``read`` will find the picture without decoding it."""
    return store.get(_key(sha256, name, part, unit)) is not None


def keep_all_read(
    store: ResultStore, artworks: Iterable[Artwork], sources: Sources,
    reader: Callable[[bytes, str, str, str | None], Picture],
) -> None:  # fmt: skip
    """Have a guarded reader read what ``read`` will ask for of some artworks and is not kept yet. Raises what that
    raises."""
    for artwork in artworks:
        unit = unit_of(artwork)
        if not kept_read(store, artwork.file, artwork.name, part=artwork.part, unit=unit):
            picture = reader(sources(artwork.file), artwork.name, artwork.part, unit)
            keep_read(store, artwork.file, artwork.name, picture, part=artwork.part, unit=unit)


def keep_read(
    store: ResultStore, sha256: str, name: str, picture: Picture, *, part: str = "", unit: str | None = None
) -> None:
    """Put a picture that was read elsewhere (in a guarded process) where ``read`` will find it."""
    store.put(_key(sha256, name, part, unit), picture)


def _key(sha256: str, name: str, part: str, unit: str | None) -> str:
    return derived(_inspected, Part(name, part, unit), client_file(sha256, _not_here)).key


def _not_here(sha256: str) -> bytes:
    raise FileNotFoundError(sha256)
