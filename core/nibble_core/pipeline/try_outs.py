"""Several settings side by side: what each would give, in figures and in little."""

from __future__ import annotations

import math
from dataclasses import dataclass

import shapely

from nibble_core.geometry import Region
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Shape
from nibble_core.pipeline.clean import clean
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.read import read, unit_of
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sizes import finished_size
from nibble_core.pipeline.store import ResultStore
from nibble_core.pipeline.touch_ups import trace
from nibble_core.pipeline.trace import AS_TOLD, TraceResult
from nibble_core.ticket import Change, Ticket, apply
from nibble_core.ticket.artwork import MAKINGS, Artwork

MOST_WHOLE = 2_500_000  # pixels of a picture that is tried out as it is
STEPS = 12  # of the search for the thinnest part
UNCERTAIN = ("sharpened", "without greys", "in steps")  # edges that can be read in more than one way
MOST_THIN = 400  # shapes looked at for it


@dataclass(frozen=True)
class TryOut:
    """A setting to try: its name, and the changes to the ticket that make it so."""

    name: str
    changes: tuple[Change, ...]


@dataclass(frozen=True, eq=False)
class Tried:
    """What a setting gives: the shapes, the width in mm of its thinnest part, and whether the picture was reduced."""

    trace: TraceResult
    thinnest: float | None
    reduced: bool


def try_outs(artwork: Artwork, work: Work) -> list[TryOut]:
    """Six to nine settings for the way an artwork is traced now; tones for a photo that is still whole; none for paths
    that are used as they are."""
    here = f"artworks/{artwork.id}"
    at = f"{here}/trace"
    if work.artworks[artwork.id].picture.value.verdict.kind == "photo" or artwork.clean.tones != "none":
        return _tones(here)
    if artwork.trace.mode == "colours":
        return _colours(at, work, artwork.id)
    traced = work.trace_of(artwork.id)
    suggested = traced.value.suggested if traced else 0.5
    level = 0.5 if suggested is None else suggested
    if artwork.trace.mode in ("centre-lines", "panes"):
        return [
            TryOut(f"{name}, {how}", (Change(f"{at}/threshold", value), Change(f"{at}/deviation", deviation)))
            for name, value in _levels(level)
            for how, deviation in (("as measured", None), ("smoother", 0.15))
        ]
    if artwork.trace.mode == "paths":
        return []
    if artwork.trace.mode == "outer":
        return [
            TryOut(f"{name}, {corners} corners", (Change(f"{at}/smooth", smooth), Change(f"{at}/corners", corners)))
            for name, smooth in (("true to the pixels", 0.0), ("smoother", 0.4))
            for corners in ("rounded", "true", "sharp")
        ]
    making = work.artworks[artwork.id].picture.value.making
    if making.in_light or making.edges in UNCERTAIN:
        readings = [TryOut(f"edges: {way}", (Change(f"{at}/making", way),)) for way in MAKINGS]
        return readings + [
            TryOut(f"{name}, {AS_TOLD}", (Change(f"{at}/threshold", value), Change(f"{at}/making", AS_TOLD)))
            for name, value in _levels(level) if value is not None
        ]  # fmt: skip
    return [
        TryOut(f"{name}, {how}", (Change(f"{at}/threshold", value), Change(f"{at}/smooth", smooth),
                                  Change(f"{at}/corners", corners)))
        for name, value in _levels(level)
        for how, smooth, corners in (("true to the pixels", 0.0, "true"), ("smoother", 0.35, "true"),
                                     ("soft corners", 0.35, "rounded"))
    ]  # fmt: skip


def _levels(level: float) -> list[tuple[str, float | None]]:
    return [
        ("darkest ink only", round(max(0.05, level - 0.16), 2)),
        ("as suggested", None),
        ("paler ink too", round(min(0.95, level + 0.16), 2)),
    ]


def _tones(here: str) -> list[TryOut]:
    two_tone = Change(f"{here}/trace/mode", "two-tone")
    styles = [("solid shadows", 2), ("line-like edges", 2), ("bands", 2), ("bands", 3), ("bands", 4), ("bands", 5)]
    return [
        TryOut(
            style if style != "bands" else f"{count} bands",
            (Change(f"{here}/clean/tones", style), Change(f"{here}/clean/tone_count", count),
             two_tone if style != "bands" or count == 2 else Change(f"{here}/trace/mode", "colours")),
        )
        for style, count in styles
    ]  # fmt: skip


def _colours(at: str, work: Work, id: str) -> list[TryOut]:
    traced = work.trace_of(id)
    found = len(traced.value.palette) if traced else 6
    counts = [count for count in (found - 2, found - 1, found, found + 2) if 2 <= count <= 24]
    tried = [TryOut("as many as it has", (Change(f"{at}/colours", None), Change(f"{at}/smooth", 0.0)))]
    tried += [
        TryOut(f"{count} colours", (Change(f"{at}/colours", count), Change(f"{at}/smooth", 0.0))) for count in counts
    ]
    tried.append(TryOut("larger parts only", (Change(f"{at}/colours", None), Change(f"{at}/smallest", 2.0))))
    return tried


def try_out(
    store: ResultStore, sources: Sources, ticket: Ticket, artwork_id: str, changes: tuple[Change, ...]
) -> Tried:
    """What a setting gives, fitted in full; of a large picture from fewer of its pixels. Raises what the stages
    raise."""
    artwork = apply(ticket, changes).artwork(artwork_id)
    file = client_file(artwork.file, sources)
    picture = read(store, file, artwork.name, part=artwork.part, unit=unit_of(artwork))
    size = finished_size(artwork, picture.value)
    # what is shown is what one gets, where it does not take too long
    reduced = picture.value.raster.width * picture.value.raster.height > MOST_WHOLE
    cleaned = clean(store, picture, artwork, size[0], preview=reduced)
    traced = trace(store, picture, cleaned, artwork, size, preview=False, cancelled=lambda: False)
    regions = [shape.region for shape in traced.value.kept if isinstance(shape, Shape)]
    widths = [shape.width for shape in traced.value.kept if not isinstance(shape, Shape) and shape.width > 0]
    thinnest = min(widths, default=math.inf)
    for region in regions[:MOST_THIN]:
        thinnest = thinnest_part(region, thinnest)
    return Tried(traced.value, thinnest if thinnest < math.inf else None, reduced)


def thinnest_part(region: Region, below: float = math.inf) -> float:
    """The width in mm at which a region falls apart or vanishes when it is worn down from its edge; ``below`` if it
    holds out so long."""
    area = shapely.make_valid(region.polygon(0.02)).simplify(0.01)
    if area.is_empty:
        return 0.0
    whole = len(polygons(area))

    def holds(depth: float) -> bool:
        return len(polygons(area.buffer(-depth, quad_segs=2))) == whole

    low, high = 0.0, 0.5 * min(area.bounds[2] - area.bounds[0], area.bounds[3] - area.bounds[1]) + 1e-6
    if below / 2 < high:
        if holds(below / 2):
            return below
        high = below / 2
    for _ in range(STEPS):
        middle = (low + high) / 2
        if holds(middle):
            low = middle
        else:
            high = middle
    return float(2 * high)
