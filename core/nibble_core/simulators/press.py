"""A printing press: puts a print PDF onto made-up material as a real press would, stretched, askew, bowed, with faults.

An independent judge: it shares no code with the writers of files. What it did is known exactly, so that whatever is
found in its pictures afterwards can be held against the truth. Places are mm from the sheet's upper left corner, y down
and along the feed; the material goes on all round it.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
import pikepdf
import pypdfium2
from numpy.typing import NDArray

Places = NDArray[np.float64]
"""(n, 2), mm."""
Pixels = NDArray[np.uint8]
"""(rows, columns, 3), red, green, blue."""

INCH = 25.4
MARGIN = 15.0  # mm of material round the sheet, at least
BAND = 64  # rows of a picture that are brought to their places at once: memory that is used again is quick
LARGE, LESS_FINE = 4_000_000, 1.5  # px of a picture that is painted in fewer
MOST_PIXELS = 400_000_000
NEAR_ENOUGH = 1e-7  # mm
ROUNDS = 30  # of finding the place on the sheet that came to lie somewhere
BARE = 8.0  # px of bare material round what is painted
ROOM = 2.0  # points round a page that is painted
TILT = 0.003  # radians that a page is turned by while it is painted
FINER = 3.0  # times as many pixels as a picture has, that the file is painted in
_PAINTS = {"f", "F", "f*", "S", "s", "B", "B*", "b", "b*"}
_WHOLE = {"Tj", "TJ", "'", '"', "Do", "sh", "INLINE IMAGE"}


class Unprintable(ValueError):
    """What is wrong with a file, in a sentence."""


@dataclass(frozen=True)
class Faults:
    """What a press does to a sheet. across, along: per cent that it gets wider and longer. skew: degrees that its
    columns lean. bow: mm that the middle of its length lies aside; wave: mm of a slow wave, wave_length mm long. turn:
    degrees against the clock about the sheet's middle; mirrored: seen from behind; shift: mm right and down. gain: mm
    that ink spreads. blur: mm of softness. cast: shares of red, green and blue that are left. noise: levels of grain,
    of 255. scratches: places without ink, as x, y and radius on the sheet. plates: inks that are no colours. seed: of
    the grain."""

    across: float = 0.0
    along: float = 0.0
    skew: float = 0.0
    bow: float = 0.0
    wave: float = 0.0
    wave_length: float = 600.0
    turn: float = 0.0
    mirrored: bool = False
    shift: tuple[float, float] = (0.0, 0.0)
    gain: float = 0.0
    blur: float = 0.0
    cast: tuple[float, float, float] = (1.0, 1.0, 1.0)
    noise: float = 0.0
    scratches: tuple[tuple[float, float, float], ...] = ()
    plates: tuple[str, ...] = ("White", "Varnish")
    seed: int = 1


FAULTLESS = Faults()


@dataclass(frozen=True)
class Distortion:
    """Where a sheet of width by height mm came to lie, by what a press did to it."""

    width: float
    height: float
    faults: Faults = field(default_factory=Faults)

    def forward(self, places: Places) -> Places:
        """From places on the sheet to those on the material."""
        return self._rigid(self._bent(np.asarray(places, float)))

    def back(self, places: Places) -> Places:
        """From places on the material to those on the sheet, within a µm of ``forward``."""
        bent = self._unrigid(np.asarray(places, float))
        found = bent.copy()
        for _ in range(ROUNDS):
            off = bent - self._bent(found)
            found += off
            if not off.size or np.abs(off).max() < NEAR_ENOUGH:
                break
        return found

    def _bent(self, places: Places) -> Places:
        one = self.faults
        x, y = places[:, 0], places[:, 1]
        share = y / max(self.height, 1e-9)
        aside = one.bow * 4 * share * (1 - share) + one.wave * np.sin(2 * math.pi * y / one.wave_length)
        across = x * (1 + one.across / 100) + y * math.tan(math.radians(one.skew)) + aside
        return np.stack([across, y * (1 + one.along / 100)], 1)

    def _rigid(self, places: Places) -> Places:
        """Turned about the sheet's middle, then shifted."""
        middle = np.array([self.width / 2, self.height / 2])
        c, s = math.cos(math.radians(self.faults.turn)), math.sin(math.radians(self.faults.turn))
        turned = (places - middle) * self._side @ np.array([[c, -s], [s, c]])
        return np.asarray(turned + middle + np.array(self.faults.shift), float)

    def _unrigid(self, places: Places) -> Places:
        middle = np.array([self.width / 2, self.height / 2])
        c, s = math.cos(math.radians(self.faults.turn)), math.sin(math.radians(self.faults.turn))
        turned = (places - middle - np.array(self.faults.shift)) @ np.array([[c, s], [-s, c]])
        return np.asarray(turned * self._side + middle, float)

    @property
    def _side(self) -> Places:
        return np.array([-1.0 if self.faults.mirrored else 1.0, 1.0])

    @property
    def reach(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of the material that a picture of the whole sheet shows."""
        t = np.linspace(0.0, 1.0, 65)
        w, h = self.width, self.height
        edge = np.concatenate(
            [np.stack([t * w, 0 * t], 1), np.stack([t * w, 0 * t + h], 1), np.stack([0 * t, t * h], 1),
             np.stack([0 * t + w, t * h], 1)]
        )  # fmt: skip
        corners = self.forward(edge)
        low, high = corners.min(0) - MARGIN, corners.max(0) + MARGIN
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])


class PrintedSheet:
    """A sheet that came off the press. Pictures of any part of its material are made when they are asked for.

    Raises Unprintable for bytes that are no PDF with a page of some size."""

    def __init__(self, content: bytes, faults: Faults = FAULTLESS) -> None:
        try:
            with pikepdf.open(io.BytesIO(content)) as document:
                if not document.pages:
                    raise Unprintable("This PDF has no pages.")
                self._without_plates = _filtered(document, lambda *inks: not set(inks) & set(faults.plates))
                self._plates = {
                    name: _filtered(document, lambda *inks, name=name: name in inks)
                    for name in _separations(document.pages[0]) if name in faults.plates
                }  # fmt: skip
            self._document = pypdfium2.PdfDocument(self._without_plates)
            self._page = self._document[0]  # kept, as are its pictures with it once they were painted
            points = self._page.get_size()
        except (pikepdf.PdfError, pypdfium2.PdfiumError, AttributeError, IndexError, TypeError, ValueError) as error:
            if isinstance(error, Unprintable):
                raise
            raise Unprintable("This is not a PDF that can be printed.") from error
        self.width, self.height = ((one - 2 * ROOM) * INCH / 72 for one in points)
        if not (1.0 < self.width < 100_000 and 1.0 < self.height < 100_000):
            raise Unprintable("This page has no size that a press takes.")
        self.faults = faults
        self.distortion = Distortion(self.width, self.height, faults)

    @property
    def reach(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of its material, mm."""
        return self.distortion.reach

    @property
    def plates(self) -> tuple[str, ...]:
        return tuple(self._plates)

    def picture(self, box: tuple[float, float, float, float], ppi: float, finer: float = FINER) -> Pixels:
        """The material within left, top, right and bottom mm, as a camera of so many pixels an inch sees it. finer:
        times as many pixels that the file is painted in; of large pictures fewer."""
        if (box[2] - box[0]) * (box[3] - box[1]) * (ppi / INCH) ** 2 > LARGE:
            finer = min(finer, LESS_FINE)
        return self._faulty(self._laid(self._page, box, ppi, finer), box, ppi)

    def from_afar(self, box: tuple[float, float, float, float], ppi: float, most: int) -> Pixels:
        """The same without its faults of ink, its pictures reduced to so many px a side at most: for the eye alone, and
        many times as fast where a picture lies on a sheet many times."""
        document = pypdfium2.PdfDocument(_reduced(self._without_plates, most))
        try:
            return self._laid(document[0], box, ppi, 1.0)
        finally:
            document.close()

    def plate(self, name: str, box: tuple[float, float, float, float], ppi: float) -> NDArray[np.uint8]:
        """Where a plate's ink is laid, 255 for all of it."""
        document = pypdfium2.PdfDocument(self._plates[name])
        try:
            shown = 255 - self._laid(document[0], box, ppi, FINER).min(2).astype(np.float64)
            return np.asarray(np.rint(shown * 255 / max(float(shown.max()), 1.0)), np.uint8)  # however pale it looks
        finally:
            document.close()

    def _laid(self, page: Any, box: tuple[float, float, float, float], ppi: float, finer: float) -> Pixels:
        """What a file paints, brought to where the press put it."""
        left, top, right, bottom = box
        columns, rows = (max(1, round((far - near) / INCH * ppi)) for near, far in ((left, right), (top, bottom)))
        if columns * rows > MOST_PIXELS:
            raise Unprintable("A picture of so much material would be too large; ask for fewer pixels an inch.")
        step = INCH / ppi
        x, y = left + (np.arange(columns) + 0.5) * step, top + (np.arange(rows) + 0.5) * step
        # where a press puts things changes slowly: a coarse net of places is enough, and is the truth at its knots
        knots_x, knots_y = np.linspace(x[0], x[-1], max(2, columns // 16)), np.linspace(y[0], y[-1], max(2, rows // 16))
        net = np.stack(np.meshgrid(knots_x, knots_y), 2)
        found = self.distortion.back(net.reshape(-1, 2)).reshape(net.shape)
        low, high = found.reshape(-1, 2).min(0) - 2 * step, found.reshape(-1, 2).max(0) + 2 * step
        low, high = np.maximum(low, 0), np.minimum(high, (self.width, self.height))
        if (high - low < step).any():
            return np.full((rows, columns, 3), 255, np.uint8)
        fine = finer * ppi
        painted, placed = self._painted(page, low, high, fine)
        soft = cv2.GaussianBlur(painted, (0, 0), 0.5 * finer) if finer > 1 else painted
        seen = np.empty((rows, columns, 3), np.uint8)
        across = _between(placed(found).swapaxes(0, 1) - 0.5, knots_x, x).swapaxes(0, 1)
        for begin in range(0, rows, BAND):
            band = slice(begin, begin + BAND)
            spread = _between(across, knots_y, y[band])
            seen[band] = cv2.remap(
                soft, spread[..., 0], spread[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT,
                borderValue=(255, 255, 255),
            )  # fmt: skip
        return seen

    def _painted(self, page: Any, low: Places, high: Places, ppi: float) -> tuple[Pixels, Callable[[Places], Places]]:
        """A part of the page as it is painted, and where mm of the page come to lie in it, px. It is painted a little
        turned, since edges along the pixels would be moved to whole ones."""
        per_mm = ppi / INCH
        c, s = math.cos(TILT), math.sin(TILT)
        linear = per_mm * np.array([[c, -s], [s, c]])
        corners = np.array([low, (low[0], high[1]), (high[0], low[1]), high]) @ linear
        first, last = corners.min(0) - BARE, corners.max(0) + BARE
        columns, rows = (int(one) for one in np.ceil(last - first))
        bitmap = pypdfium2.PdfBitmap.new_native(columns, rows, pypdfium2.raw.FPDFBitmap_BGRx, rev_byteorder=True)
        bitmap.fill_rect((255, 255, 255, 255), 0, 0, columns, rows)
        # the page's own points, y down from its upper left corner, are what the matrix takes
        (a, b), (d, e) = (linear * INCH / 72).tolist()
        shift = -first - np.array([ROOM, ROOM]) * INCH / 72 @ linear
        matrix = pypdfium2.raw.FS_MATRIX(a, b, d, e, float(shift[0]), float(shift[1]))
        clip = pypdfium2.raw.FS_RECTF(0, 0, columns, rows)
        flags = pypdfium2.raw.FPDF_ANNOT | pypdfium2.raw.FPDF_REVERSE_BYTE_ORDER
        pypdfium2.raw.FPDF_RenderPageBitmapWithMatrix(bitmap, page, matrix, clip, flags)
        pixels = np.asarray(cv2.cvtColor(bitmap.to_numpy(), cv2.COLOR_RGBA2RGB), np.uint8)
        return pixels, lambda places: np.asarray(places @ linear - first, float)

    def _faulty(self, seen: Pixels, box: tuple[float, float, float, float], ppi: float) -> Pixels:
        one, per_mm = self.faults, ppi / INCH
        if one.gain > 0:
            size = 2 * one.gain * per_mm + 1
            whole = int(size) // 2 * 2 + 1
            grown = cv2.erode(seen, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (whole, whole)))
            more = cv2.erode(seen, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (whole + 2, whole + 2)))
            seen = np.asarray(cv2.addWeighted(grown, 1 - (size - whole) / 2, more, (size - whole) / 2, 0), np.uint8)
        for x, y, radius in one.scratches:
            place = (self.distortion.forward(np.array([[x, y]]))[0] - box[:2]) * per_mm - 0.5
            sixteenths = tuple(round(16 * v) for v in place)
            if all(abs(v) < 1e6 for v in sixteenths):
                seen = np.ascontiguousarray(seen)
                cv2.circle(seen, sixteenths, round(16 * radius * per_mm), (255, 255, 255), -1, cv2.LINE_AA, 4)
        if one.blur > 0:
            seen = np.asarray(cv2.GaussianBlur(seen, (0, 0), one.blur * per_mm), np.uint8)
        if one.cast != (1.0, 1.0, 1.0) or one.noise > 0:
            level = seen * np.array(one.cast, float)
            if one.noise > 0:
                place = (round(box[0] * 16), round(box[1] * 16))
                level += np.random.default_rng((one.seed, abs(place[0]), abs(place[1]))).normal(
                    0, one.noise, seen.shape
                )
            seen = np.asarray(np.clip(np.rint(level), 0, 255), np.uint8)
        return seen

    def close(self) -> None:
        self._page.close()
        self._document.close()


def _between(net: NDArray[Any], knots: Places, wanted: NDArray[Any]) -> NDArray[np.float32]:
    """Values of a net at places between the knots of its rows, linearly: a few rows weigh in for all of them."""
    k = np.clip(np.searchsorted(knots, wanted) - 1, 0, len(knots) - 2)
    first, row = int(k.min()), np.arange(len(wanted))
    share = (wanted - knots[k]) / (knots[k + 1] - knots[k])
    weights = np.zeros((len(wanted), int(k.max()) + 2 - first), np.float32)
    weights[row, k - first], weights[row, k - first + 1] = 1 - share, share
    rows = net[first : first + weights.shape[1]].astype(np.float32)
    return np.asarray((weights @ rows.reshape(len(rows), -1)).reshape(len(wanted), *net.shape[1:]))


def _separations(page: Any) -> dict[str, str]:
    """Names of its resources for spot inks, by the ink: those of the page itself."""
    spaces = page.get("/Resources", {}).get("/ColorSpace", {})
    return {
        str(space[1])[1:]: str(key) for key, space in spaces.items()
        if isinstance(space, pikepdf.Array) and str(space[0]) == "/Separation"
    }  # fmt: skip


def _filtered(document: Any, keeps: Callable[..., bool]) -> bytes:
    """The first page with what is painted in inks that are kept; colours that are no spot inks count as “Black”."""
    names = {key: ink for ink, key in _separations(document.pages[0]).items()}
    out = pikepdf.new()
    out.pages.append(document.pages[0])
    page = out.pages[0]
    kept = _kept(page, names, keeps)
    # what lies right at its edge would be cut to whole pixels
    left, low, right, high = (float(one) for one in page.cropbox)
    page.MediaBox = page.CropBox = pikepdf.Array([left - ROOM, low - ROOM, right + ROOM, high + ROOM])
    page.Contents = out.make_stream(pikepdf.unparse_content_stream(kept))
    made = io.BytesIO()
    out.save(made)
    return made.getvalue()


def _reduced(content: bytes, most: int) -> bytes:
    """A document whose pictures are no more than so many px high and wide; those in colours that cannot be told stay
    as they are."""
    with pikepdf.open(io.BytesIO(content)) as document:
        for one in document.objects:
            if not (isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"):
                continue
            try:
                picture = pikepdf.PdfImage(one).as_pil_image()
            except (pikepdf.PdfError, pikepdf.DependencyError, NotImplementedError, ValueError, OSError):
                continue
            if picture.mode in ("LA", "RGBA"):  # what is seen through lies in a picture of its own
                picture = picture.convert(picture.mode[:-1])
            if max(picture.size) <= most or picture.mode not in ("L", "RGB", "CMYK"):
                continue
            picture.thumbnail((most, most))
            one.write(picture.tobytes())
            one.Width, one.Height = picture.size
            one.BitsPerComponent = 8
            for key in ("/Decode", "/DecodeParms"):
                if key in one:
                    del one[key]
        out = io.BytesIO()
        document.save(out)
        return out.getvalue()


def _kept(page: Any, names: Mapping[str, str], keeps: Callable[..., bool]) -> list[Any]:
    """A page's instructions without those that paint in inks that are not kept."""
    filling, lining = "Black", "Black"
    saved: list[tuple[str, str]] = []
    kept: list[Any] = []
    for said in pikepdf.parse_content_stream(page):
        operands, operator = list(said.operands), said.operator
        word = str(operator)
        if word == "q":
            saved.append((filling, lining))
        elif word == "Q" and saved:
            filling, lining = saved.pop()
        elif word in ("cs", "CS"):
            ink = names.get(str(operands[0]), "Black")
            filling, lining = (ink, lining) if word == "cs" else (filling, ink)
        elif word in ("g", "rg", "k"):
            filling = "Black"
        elif word in ("G", "RG", "K"):
            lining = "Black"
        inks_used = {"S": (lining,), "s": (lining,), "Do": (filling, lining)}.get(word, (filling,))
        if (word in _PAINTS or word in _WHOLE) and not keeps(*inks_used):
            if word in _WHOLE:
                continue
            operands, operator = [], pikepdf.Operator("n")
        kept.append((operands, operator))
    return kept
