"""Our own reader of PDF job files: what a cutter's or press's software would find in them, in mm, y down.

Follows the content stream through nested forms, so it does not trust the writer's idea of where things lie.
"""

from __future__ import annotations

import io
import re
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import pikepdf

from nibble_core.errors import UnreadableFile
from nibble_core.formats.client_page import digest_of
from nibble_core.formats.pdf import VARNISH, WHITE
from nibble_core.geometry import CUBIC, LINE, Affine, Bundle, Path
from nibble_core.geometry.path_text import PDF
from nibble_core.geometry.units import POINTS_PER_MM
from nibble_core.graphics import BLACK, ClientPage, Colour, Filled, Ink, Page, Painted, Picture, Plate, Stroked
from nibble_core.graphics.raster import digest_of_samples

DEEPEST_FORM = 8
LARGE = 8 << 20  # bytes of a stream
FEED, BAND = 1_000_000, 16_000_000  # bytes of a picture that are unpacked in one go, and that come of it at most
_PATHS_ALONE = re.compile(rb"((?:[\d.]+ ){3}rg\s)?([-\d.\smlch]*)(S|f\*)\s*")


def read_page(content: bytes) -> Page:
    """The first page: every filled path, every stroked path with its ink and layer, every placed picture.

    What is placed many times from one object, picture or form, is read once and comes with all its placements.
    Raises UnreadableFile when the bytes are no PDF with a page.
    """
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            page = pdf.pages[0]
            left, bottom, right, top = (float(v) for v in page.mediabox)
            to_mm = Affine(1 / POINTS_PER_MM, 0, 0, -1 / POINTS_PER_MM, -left / POINTS_PER_MM, top / POINTS_PER_MM)
            walk = _Walk()
            walk.run(page.obj, page.obj.Resources, _State(to_mm), 0)
            width, height = (right - left) / POINTS_PER_MM, (top - bottom) / POINTS_PER_MM
            return walk.page(width, height, content)
    except (pikepdf.PdfError, zlib.error, IndexError, AttributeError, KeyError) as error:
        raise UnreadableFile("This is not a PDF with a page.", "Make the files again.") from error


@dataclass(frozen=True)
class _State:
    matrix: Affine
    fill: Ink = BLACK
    stroke: Ink = BLACK
    layer: str = ""
    colour: Colour = (0, 0, 0)


@dataclass
class _Pen:
    """The path under construction, in user space mapped to mm at each point."""

    kinds: list[int] = field(default_factory=list)
    rows: list[list[float]] = field(default_factory=list)
    done: list[Path] = field(default_factory=list)
    at: tuple[float, float] = (0.0, 0.0)
    start: tuple[float, float] = (0.0, 0.0)

    def move(self, x: float, y: float) -> None:
        self.finish(False)
        self.at = self.start = (x, y)

    def line(self, x: float, y: float) -> None:
        self.kinds.append(LINE)
        self.rows.append([*self.at, 0, 0, 0, 0, x, y])
        self.at = (x, y)

    def curve(self, *numbers: float) -> None:
        self.kinds.append(CUBIC)
        self.rows.append([*self.at, *numbers])
        self.at = (numbers[4], numbers[5])

    def finish(self, closed: bool) -> None:
        if closed and self.rows and max(abs(self.at[0] - self.start[0]), abs(self.at[1] - self.start[1])) > 1e-9:
            self.line(*self.start)
        if self.rows:
            self.done.append(Path(np.array(self.kinds, np.uint8), np.array(self.rows), closed))
        self.kinds, self.rows = [], []

    def take(self, matrix: Affine) -> Bundle:
        self.finish(False)
        paths = Bundle.of(self.done).mapped(matrix)
        self.done = []
        return paths


@dataclass
class _Drawn:
    """Something drawn, and every place it is brought to."""

    paths: Bundle
    state: _State
    placements: list[Affine]


@dataclass
class _Client:
    """A client's page, what it is clipped by, how it lies in that, and every place both are brought to."""

    digest: str
    clip: Bundle
    at: Affine
    placements: list[Affine]


class _Walk:
    def __init__(self) -> None:
        self._clients: list[_Client] = []
        self._filled: list[_Drawn] = []
        self._stroked: list[_Drawn] = []
        self._painted: list[_Drawn] = []
        self._plates: list[_Drawn] = []
        self._placed: dict[tuple[int, int], tuple[pikepdf.Object, list[Affine]]] = {}
        self._forms: dict[tuple[object, ...], tuple[_Walk, list[tuple[_Drawn | _Client, list[Affine]]]]] = {}

    def page(self, width: float, height: float, content: bytes) -> Page:
        """What was walked. content: the whole file."""
        pictures = tuple(
            Picture(_digest(image, content), 1.0, 1.0, tuple(placements)) for image, placements in self._placed.values()
        )
        filled = tuple(
            Filled(one.paths.mapped(place), one.state.fill) for one in self._filled for place in one.placements
        )
        stroked = tuple(
            Stroked(one.paths, one.state.stroke, one.state.layer, tuple(one.placements)) for one in self._stroked
        )
        painted = tuple(Painted(one.paths, one.state.colour, tuple(one.placements)) for one in self._painted)
        plates = tuple(
            Plate(one.paths, one.state.fill, tuple(one.placements), one.state.layer == WHITE) for one in self._plates
        )
        clients = tuple(
            ClientPage(one.digest, 1.0, 1.0, one.at, one.clip, tuple(one.placements)) for one in self._clients
        )
        return Page(width, height, filled, stroked, (*pictures, *clients, *painted), plates=plates)

    def _fills(self, layer: str) -> list[_Drawn]:
        """Where what is filled on a layer belongs."""
        return {"print": self._painted, WHITE: self._plates, VARNISH: self._plates}.get(layer, self._filled)

    def run(self, stream: pikepdf.Object, resources: pikepdf.Object, state: _State, depth: int) -> None:
        if depth > DEEPEST_FORM:
            raise UnreadableFile("This PDF nests its drawings too deeply.", "Flatten it first.")
        if depth and self._paths_alone(stream.read_bytes(), state):
            return
        stack: list[_State] = []
        layers: list[str] = []
        pen = _Pen()
        clip = Bundle.of(())
        for instruction in pikepdf.parse_content_stream(stream):
            operands, name = instruction.operands, str(instruction.operator)
            if name in ("m", "l", "c"):
                numbers = [float(v) for v in operands]
                if name == "m":
                    pen.move(*numbers)
                elif name == "l":
                    pen.line(*numbers)
                else:
                    pen.curve(*numbers)
            elif name == "h":
                pen.finish(True)
            elif name in ("f", "f*", "F"):
                found = self._fills(state.layer)
                found.append(_Drawn(pen.take(state.matrix), state, [Affine()]))
            elif name == "W*":
                clip = pen.take(state.matrix)
            elif name == "rg":
                red, green, blue = (round(255 * float(v)) for v in operands)
                state = replace(state, colour=(red, green, blue))
            elif name == "S":
                self._stroked.append(_Drawn(pen.take(state.matrix), state, [Affine()]))
            elif name == "q":
                stack.append(state)
            elif name == "Q":
                state = replace(stack.pop(), layer=state.layer)
            elif name == "cm":
                state = replace(state, matrix=Affine(*(float(v) for v in operands)).then(state.matrix))
            elif name == "k":
                c, m, y, k = (float(v) for v in operands)
                state = replace(state, fill=Ink("Process", (c, m, y, k)))
            elif name == "cs":
                state = replace(state, fill=_ink(resources.ColorSpace[str(operands[0])]))
            elif name == "CS":
                state = replace(state, stroke=_ink(resources.ColorSpace[str(operands[0])]))
            elif name == "BDC":
                layers.append(state.layer)
                if str(operands[0]) == "/OC":
                    state = replace(state, layer=str(resources.Properties[str(operands[1])].Name))
            elif name == "EMC":
                state = replace(state, layer=layers.pop())
            elif name == "Do":
                self._draw(resources.XObject[str(operands[0])], resources, state, clip, depth)

    def _paths_alone(self, content: bytes, state: _State) -> bool:
        """Take in a stream that is nothing but paths and one stroke or fill at its end, all at once; whether it is."""
        alone = _PATHS_ALONE.fullmatch(content)
        if alone is None:
            return False
        colour, paths, paint = alone.groups()
        if colour:
            red, green, blue = (round(255 * float(v)) for v in colour.split()[:3])
            state = replace(state, colour=(red, green, blue))
        found = self._stroked if paint == b"S" else self._fills(state.layer)
        found.append(_Drawn(Bundle.read(paths, PDF).mapped(state.matrix), state, [Affine()]))
        return True

    def _draw(self, thing: pikepdf.Object, resources: pikepdf.Object, state: _State, clip: Bundle, depth: int) -> None:
        if thing.Subtype == "/Image":
            self._placed.setdefault(thing.objgen, (thing, []))[1].append(state.matrix)
        elif (digest := digest_of(thing)) is not None:  # what a client drew is not ours to follow
            self._clients.append(_Client(digest, clip, state.matrix, [Affine()]))
        elif thing.Subtype == "/Form":
            own = thing.get("/Matrix")
            inner = Affine(*(float(v) for v in own)).then(state.matrix) if own is not None else state.matrix
            self._place(thing, thing.get("/Resources", resources), state, inner, depth)

    def _place(self, form: pikepdf.Object, resources: pikepdf.Object, state: _State, at: Affine, depth: int) -> None:
        """A form, read once for every state it is drawn in, and brought to one place more."""
        key = (form.objgen, state.fill, state.stroke, state.layer, state.colour)
        if form.objgen == (0, 0) or key not in self._forms:
            walk = _Walk()
            walk.run(form, resources, replace(state, matrix=Affine()), depth + 1)
            mine: list[tuple[_Drawn | _Client, list[Affine]]] = []
            for client in walk._clients:
                brought = replace(client, placements=[])
                self._clients.append(brought)
                mine.append((brought, client.placements))
            for own, theirs in (
                (self._filled, walk._filled), (self._stroked, walk._stroked), (self._painted, walk._painted),
                (self._plates, walk._plates),
            ):  # fmt: skip
                for one in theirs:
                    drawn = replace(one, placements=[])
                    own.append(drawn)
                    mine.append((drawn, one.placements))
            self._forms[key] = walk, mine
        walk, mine = self._forms[key]
        for here, within in mine:
            here.placements += [place.then(at) for place in within]
        for image, (thing, within) in walk._placed.items():
            self._placed.setdefault(image, (thing, []))[1].extend(place.then(at) for place in within)


def _ink(space: pikepdf.Object) -> Ink:
    if not isinstance(space, pikepdf.Array) or str(space[0]) != "/Separation":
        raise UnreadableFile("A line is not in a spot colour.", "Make the files again.")
    c, m, y, k = (float(v) for v in space[3].C1)
    return Ink(str(space[1]).removeprefix("/"), (c, m, y, k))


def _digest(image: pikepdf.Object, content: bytes) -> str:
    """Of the samples of an image object of 8 bit RGB, with its soft mask as alpha. They are never held all at once."""
    alpha = _samples(image.SMask, content) if "/SMask" in image else ()
    return digest_of_samples((int(image.Width), int(image.Height)), _samples(image, content), alpha)


def _samples(image: pikepdf.Object, content: bytes) -> Iterator[bytes]:
    """The samples of an image object, a few megabytes at a time where they are only deflated."""
    if image.get("/Filter") != pikepdf.Name.FlateDecode or "/DecodeParms" in image:
        yield image.read_bytes()
        return
    lying = _lying_in(content, image)
    packed = memoryview(image.get_raw_stream_buffer()) if lying is None else lying
    unpacker = zlib.decompressobj()
    for start in range(0, len(packed), FEED):
        left: bytes | memoryview = packed[start : start + FEED]
        while left:
            yield unpacker.decompress(left, BAND)
            left = unpacker.unconsumed_tail
    yield unpacker.flush()


def _lying_in(content: bytes, image: pikepdf.Object) -> memoryview | None:
    """What a large stream's object holds, where it lies in the file: the library would copy it. None where it is not
    found as files of our own hold it."""
    length = int(image.get("/Length", 0))
    if length < LARGE:
        return None
    begin = content.find(b"\n%d %d obj\n" % image.objgen)
    start = content.find(b"stream\n", begin) + len(b"stream\n")
    header, after = content[begin:start], content[start + length : start + length + 12]
    if begin < 0 or b"/Length %d" % length not in header or not after.strip().startswith(b"endstream"):
        return None
    return memoryview(content)[start : start + length]
