"""Stage *clean*: the used part of a picture, calmed, without its background, brushed; at full size or reduced."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nibble_core.artwork.background import Cleaned, take_background_away
from nibble_core.artwork.brush import Stroke, brought_back, brushed, lassoed, rubbed_out, without_specks
from nibble_core.artwork.calming import calmed
from nibble_core.artwork.facts import own_pixels
from nibble_core.artwork.framing import Framing
from nibble_core.artwork.tones import ToneSettings, flat_tones
from nibble_core.errors import NothingToTrace
from nibble_core.graphics import Raster
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, derived, later, stage
from nibble_core.ticket.artwork import TURNS, Artwork, BrushStroke, Clean, Place

PREVIEW_PX = 800
MOST_PX = 4096 * 4096
"""Of a picture that is cleaned and traced: a process then stays below 1.5 GB, and a place on an edge is known to a
tenth of a millimetre on a wall of 20 m."""


def framing_of(artwork: Artwork) -> Framing:
    """Raises InvalidTicket when the crop leaves nothing."""
    crop = artwork.crop
    return Framing(
        crop.left,
        crop.top,
        crop.right,
        crop.bottom,
        list(TURNS).index(artwork.turn),
        artwork.facing == "mirrored",
        artwork.stretch,
    )


@dataclass(frozen=True)
class OwnPixels:
    """Whether a picture enlarged in squares, and one enlarged smoothly, is taken at the size it was made."""

    squares: bool = True
    blends: bool = True

    def of(self, picture: Picture) -> Raster:
        return own_pixels(picture.raster, picture.facts, squares=self.squares, blends=self.blends)


def _own(rules: Clean) -> OwnPixels:
    return OwnPixels(rules.squares == "single pixels", rules.blends == "its true pixels")


@dataclass(frozen=True)
class Backdrop:
    """What taking the background away depends on. of_subject: strokes over what stays; width: mm, for those."""

    framing: Framing
    calm: str
    background: str
    tolerance: float
    places: tuple[Place, ...]
    of_subject: tuple[BrushStroke, ...]
    width: float


@dataclass(frozen=True)
class Finish:
    """What is done once the background is away. width: of the used part, mm; 0 where nothing is measured in mm."""

    framing: Framing
    clean: Clean
    width: float


def clean(
    store: ResultStore, picture: Keyed[Picture], artwork: Artwork, width: float, *, preview: bool
) -> Keyed[Cleaned]:
    """``width``: of the used part, mm. Previews work on a reduced picture."""
    framing, rules = framing_of(artwork), artwork.clean
    own = _own(rules)
    whole = later(store, _reduced, own, picture) if preview else derived(_whole, own, picture)
    of_subject = tuple(stroke for stroke in rules.strokes if stroke.kind in ("subject", "not subject"))
    # the subject takes a second to find, and neither tones nor specks change it
    backdrop = Backdrop(
        framing, rules.calm, rules.background, rules.tolerance, rules.places, of_subject, width if of_subject else 0.0
    )
    started = later(store, _without_background, backdrop, whole)
    sized = rules.specks > 0 or bool(rules.strokes)
    return stage(store, _finished, Finish(framing, rules, width if sized else 0.0), started)


def _without_background(by: Backdrop, whole: Raster) -> tuple[Raster, Cleaned]:
    """The used part of a picture calmed, and that without its background."""
    calm = calmed(by.framing.raster(whole), by.calm)
    places = by.framing.forward(np.array([[place.x, place.y] for place in by.places]).reshape(-1, 2))
    cleaned = take_background_away(
        calm, way=by.background, tolerance=by.tolerance,  # type: ignore[arg-type]
        places=[(float(x), float(y)) for x, y in places],
        subject=_strokes(by.of_subject, "subject", by.framing, by.width),
        not_subject=_strokes(by.of_subject, "not subject", by.framing, by.width),
    )  # fmt: skip
    return calm, cleaned


def _finished(by: Finish, started: tuple[Raster, Cleaned]) -> Cleaned:
    (calm, cleaned), clean, framing, width = started, by.clean, by.framing, by.width
    result = cleaned.raster
    for one in clean.strokes:
        stroke = _stroke(one, framing, width)
        if one.kind == "rub out":
            result = rubbed_out(result, brushed((result.height, result.width), stroke))
        elif one.kind == "lasso out":
            result = rubbed_out(result, lassoed((result.height, result.width), stroke))
        elif one.kind == "bring back":
            result = brought_back(result, calm, brushed((result.height, result.width), stroke))
    if clean.specks > 0:
        result = without_specks(result, clean.specks / width * result.width)
    if clean.tones != "none":
        settings = ToneSettings(clean.tone_threshold, clean.tone_darkness, clean.line_strength, clean.line_detail)
        one_piece = clean.pieces == "one piece"
        result = flat_tones(result, clean.tones, count=clean.tone_count, one_piece=one_piece, settings=settings)
    if result.alpha.max() < 128:
        raise NothingToTrace("Cleaning leaves nothing of the picture.", "Take the last stroke back.")
    return replace(cleaned, raster=result, taken=float((result.alpha < 128).mean()))


def _strokes(strokes: Sequence[BrushStroke], kind: str, framing: Framing, width: float) -> list[Stroke]:
    return [_stroke(stroke, framing, width) for stroke in strokes if stroke.kind == kind]


def _stroke(stroke: BrushStroke, framing: Framing, width: float) -> Stroke:
    points = np.array(stroke.points[: len(stroke.points) // 2 * 2], float).reshape(-1, 2)
    return Stroke(framing.forward(points), stroke.width / width)


def size_in_px(artwork: Artwork, picture: Picture) -> tuple[int, int]:
    """Width and height in px of the whole picture that Clean works on, before any are made fewer."""
    own = _own(artwork.clean)
    return picture.facts.px_taken(squares=own.squares, blends=own.blends)


def as_made(picture: Picture) -> Raster:
    """A picture at the size it was made, before it was enlarged, in at most MOST_PX."""
    return _whole(OwnPixels(), picture)


def worked_on(width: int, height: int) -> tuple[int, int]:
    """In how many of its pixels a picture is cleaned and traced."""
    scale = min(1.0, (MOST_PX / (width * height)) ** 0.5)
    return max(1, int(width * scale)), max(1, int(height * scale))


def _whole(own: OwnPixels, picture: Picture) -> Raster:
    raster = own.of(picture)
    size = worked_on(raster.width, raster.height)
    return raster if size == (raster.width, raster.height) else raster.reduced(*size)


def _reduced(own: OwnPixels, picture: Picture) -> Raster:
    whole = own.of(picture)
    scale = PREVIEW_PX / max(whole.width, whole.height)
    if scale >= 1:
        return whole
    return whole.reduced(max(8, round(whole.width * scale)), max(8, round(whole.height * scale)))
