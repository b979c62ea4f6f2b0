"""Stage *clean*: the used part of a picture, calmed, without its background, brushed; at full size or reduced."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nibble_core.artwork.background import Cleaned, take_background_away
from nibble_core.artwork.brush import Stroke, brought_back, brushed, lassoed, rubbed_out, without_specks
from nibble_core.artwork.calming import calmed
from nibble_core.artwork.enlarged import single_pixels
from nibble_core.artwork.framing import Framing
from nibble_core.artwork.tones import ToneSettings, flat_tones
from nibble_core.errors import NothingToTrace
from nibble_core.graphics import Raster
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.artwork import TURNS, Artwork, BrushStroke, Clean

PREVIEW_PX = 800


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


def clean(
    store: ResultStore, picture: Keyed[Picture], artwork: Artwork, width: float, *, preview: bool
) -> Keyed[Cleaned]:
    """``width``: of the used part, mm. Previews work on a reduced picture and keep their own keys."""
    framing, clean = framing_of(artwork), artwork.clean
    name = "clean-preview" if preview else "clean"
    framed = [clean.squares, artwork.crop, artwork.turn, artwork.facing, artwork.stretch]
    of_subject = [stroke for stroke in clean.strokes if stroke.kind in ("subject", "not subject")]

    def start() -> tuple[Raster, Cleaned]:
        single = clean.squares == "single pixels"
        raster = _reduced(store, picture, single=single) if preview else _whole(picture.value, single=single)
        return _without_background(framing.raster(raster), clean, framing, width)

    # the subject takes a second to find, and neither tones nor specks change it
    by = [*framed, clean.calm, clean.background, clean.tolerance, clean.places, of_subject, width if of_subject else 0]
    started = run_stage(store, f"{name}-background", by, [picture.key], start)
    sized = clean.specks > 0 or bool(clean.strokes)
    by = [clean, *framed, width if sized else 0]
    return run_stage(store, name, by, [picture.key], lambda: _finished(*started.value, clean, framing, width))


def _without_background(raster: Raster, clean: Clean, framing: Framing, width: float) -> tuple[Raster, Cleaned]:
    """The picture calmed, and that without its background."""
    calm = calmed(raster, clean.calm)
    places = framing.forward(np.array([[place.x, place.y] for place in clean.places]).reshape(-1, 2))
    cleaned = take_background_away(
        calm, way=clean.background, tolerance=clean.tolerance,  # type: ignore[arg-type]
        places=[(float(x), float(y)) for x, y in places],
        subject=_strokes(clean.strokes, "subject", framing, width),
        not_subject=_strokes(clean.strokes, "not subject", framing, width),
    )  # fmt: skip
    return calm, cleaned


def _finished(calm: Raster, cleaned: Cleaned, clean: Clean, framing: Framing, width: float) -> Cleaned:
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


def _whole(picture: Picture, *, single: bool) -> Raster:
    return single_pixels(picture.raster, picture.facts.square if single else 1)


def _reduced(store: ResultStore, picture: Keyed[Picture], *, single: bool) -> Raster:
    def compute() -> Raster:
        whole = _whole(picture.value, single=single)
        scale = PREVIEW_PX / max(whole.width, whole.height)
        return (
            whole
            if scale >= 1
            else whole.reduced(max(8, round(whole.width * scale)), max(8, round(whole.height * scale)))
        )

    return run_stage(store, "reduced", [PREVIEW_PX, single], [picture.key], compute).value
