"""What the screen shows of a job's work, as plain JSON values: geometry as path data in mm."""

from dataclasses import asdict
from itertools import pairwise
from typing import Any

import numpy as np

from files.pictures import show
from nibble_core.artwork.framing import Framing
from nibble_core.geometry import Affine, Box
from nibble_core.graphics import Raster, Shape, Stroke, hex_colour
from nibble_core.pipeline.afterwards import steps_of
from nibble_core.pipeline.beams import bed_of
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.lettered import lettered
from nibble_core.pipeline.minutes import minutes_of
from nibble_core.pipeline.quantities import number_of
from nibble_core.pipeline.read import DEEPER, ITS_PATHS, Picture
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.room import spacing_of
from nibble_core.pipeline.sheets import caption_of, each_by_itself, least_apart, own_lines
from nibble_core.pipeline.trace import TracedShape, TraceResult
from nibble_core.sheet import LaidSheet, Panel
from nibble_core.ticket import Ticket, fingerprint
from nibble_core.ticket.goods import OnRound
from nibble_core.ticket.heads import DrivenHead
from nibble_core.ticket.model import Sheet
from nibble_core.ticket.sentences import sheet_name
from nibble_core.tracing.deviation import deviation_runs
from production.layer_view import laid_view, layer_view
from production.round_view import round_view, wall_angles, wall_guides, wall_lies

TONES = 64
LOUD = ("look", "blocked")
DEVIATION_PX = (0.1, 0.25, 0.5, 1.0)
MOST_LEFT_OUT = 2000


def work_view(ticket: Ticket, work: Work, *, preview: bool) -> dict[str, Any]:
    """The whole view. See production.schemas.WorkOut for its shape."""
    return {
        "preview": preview,
        "stations": [asdict(station) | {"facts": dict(station.facts)} for station in stations(ticket, work)],
        "artworks": {artwork.id: _artwork(artwork.id, ticket, work, preview) for artwork in ticket.artworks},
        "layers": {
            layer.id: layer_view(piece, layer, ticket, work)
            for piece in ticket.pieces
            for layer in piece.layers
            if layer.id in work.layers
        },
        "laid": {
            layer.id: laid_view(piece, layer, ticket, work)
            for piece in ticket.pieces
            if isinstance(piece.goods, OnRound)
            for layer in piece.layers
            if layer.id in work.layers
        },
        "goods": {piece.id: seen for piece in ticket.pieces if (seen := round_view(piece, ticket, work)) is not None},
        "sheets": {sheet.id: _sheet(sheet, ticket, work) for sheet in ticket.sheets if sheet.id in work.sheets},
        "suggested": {
            f"artworks/{id}/trace/threshold": round(keyed.value.suggested, 4)
            for id, keyed in work.traces.items()
            if keyed.value.suggested is not None
        },
    }


def card_view(ticket: Ticket, work: Work, view: dict[str, Any]) -> dict[str, Any]:
    """The job's picture and state on the board, from its final view."""
    first = ticket.pieces[0].layers if ticket.pieces else ()  # a second side would lie on the first
    layers = [view["layers"][own.id] for own in first if own.id in view["layers"] and not ticket.is_behind(own.id)]
    layer = layers[0] if layers else None
    artwork = view["artworks"].get(ticket.artworks[0].id) if ticket.artworks else None
    whole = [0, 0, artwork["width"], artwork["height"] or artwork["width"]] if artwork else [0, 0, 1, 1]
    loud = [note for station in view["stations"] for note in station["notes"] if note["weight"] in LOUD]
    loud.sort(key=lambda note: note["weight"] != "blocked")
    cleaned = [_picture(artwork["cleaned"], *whole[2:])] if artwork and artwork["cleaned"] else []
    return {
        "drawing": {
            "box": layer["box"] if layer else whole,
            "lines": [{"process": line["process"], "d": line["d"]} for own in layers for line in own["lines"]],
            "prints": [item for own in layers for item in (own["prints"] or _unprinted(own))] if layers else cleaned,
        },
        "stock": ticket.sheets[0].stock.name if ticket.sheets else "",
        "stock_colour": ticket.sheets[0].stock.colour if ticket.sheets else "#ffffff",
        "quantity": sum(number_of(piece, ticket, work) for piece in ticket.pieces),
        "stations": [{"key": station["key"], "state": station["state"]} for station in view["stations"]],
        "steps": steps_of(ticket),
        "looks": len(loud),
        "why": loud[0]["text"] if loud else "",
        "sizes": " ".join(dict.fromkeys(size for own in view["layers"].values() for size in _sizes(*own["box"]))),
    }


def _sizes(left: float, top: float, right: float, bottom: float) -> list[str]:
    """How somebody would type a size to look for it: in mm and in inches."""
    wide, high = right - left, bottom - top
    return [f"{wide:.0f}x{high:.0f}", f"{wide:.1f}x{high:.1f}", f"{wide / 25.4:.2f}x{high / 25.4:.2f}in"]


def _picture(url: str, width: float, height: float) -> dict[str, Any]:
    return {"kind": "picture", "url": url, "width": width, "height": height, "matrix": [1, 0, 0, 1, 0, 0], "d": "",
            "colour": ""}  # fmt: skip


def _unprinted(layer: dict[str, Any]) -> list[dict[str, Any]]:
    """Shapes of a layer that is only cut, as a card paints them."""
    return [
        {"kind": "shape", "url": "", "width": 0, "height": 0, "matrix": [1, 0, 0, 1, 0, 0], "d": shape["d"],
         "colour": shape["colour"]}
        for shape in layer["shapes"]
        if shape["stroke"] is None
    ]  # fmt: skip


def _artwork(id: str, ticket: Ticket, work: Work, preview: bool) -> dict[str, Any]:
    artwork = ticket.artwork(id)
    own = work.artworks.get(id)
    width, height = own.size if own else (artwork.width, None)
    view: dict[str, Any] = {
        "width": width, "height": height, "original": "", "cleaned": "", "pixels": None, "anchor": None, "kind": "",
        "shapes": [], "lost": [], "level": None, "lettering": [], "left_out": "", "palette": [], "tones": [],
        "parts": 0,
    }  # fmt: skip
    if own is not None:
        picture = own.picture
        framing = framing_of(artwork)
        raster = framing.raster(picture.value.raster)
        view["original"] = show(fingerprint(picture.key, framing), raster)
        view["pixels"] = [raster.width, raster.height]
        view["kind"] = picture.value.verdict.kind
        view["parts"] = sum(1 for part in picture.value.parts if DEEPER not in part and part != ITS_PATHS)
        view["anchor"] = list(Affine.scale(1 / width, 1 / (height or width)).then(framing.affine().inverse()))
        boxes = lettered(artwork, picture.value, own.size, own.trace.value if own.trace else None)
        view["lettering"] = [[round(value, 2) for value in box] for box in boxes]
        view["left_out"] = _left_out(picture.value, framing, width)
    if own is not None and own.cleaned is not None:
        view["cleaned"] = show(own.cleaned.key, own.cleaned.value.raster)
        if not preview:
            view["tones"] = _tones(own.cleaned.value.raster)
    if own is not None and own.trace is not None:
        trace = own.trace.value
        view["level"] = trace.level
        view["lost"] = list(trace.lost)
        view["palette"] = [hex_colour(colour) for colour in trace.palette]
        view["shapes"] = [shape_view(traced) for traced in trace.shapes]
    return view


def shape_view(traced: TracedShape) -> dict[str, Any]:
    """A shape as path data with its anchor and facts. See production.schemas.ShapeOut."""
    shape = traced.shape
    return {
        "d": shape.svg(3), "colour": hex_colour(shape.colour), "rgb": list(shape.colour), "x": traced.x,
        "y": traced.y, "place": [round(v, 3) for v in traced.place], "size": traced.size, "dropped": traced.dropped,
        "nodes": shape.nodes, "stroke": round(shape.width, 3) if isinstance(shape, Stroke) else None,
        "holes": len(shape.region.holes) if isinstance(shape, Shape) else 0,
    }  # fmt: skip


def deviation_view(trace: TraceResult, width_px: int) -> dict[str, Any]:
    """See production.api.DeviationOut: runs coloured by distance, in shares of a pixel's width."""
    mm_per_px = trace.width / width_px
    classes = [share * mm_per_px for share in DEVIATION_PX]
    paths = [path for one in trace.kept for path in (one.region.rings if isinstance(one, Shape) else (one.path,))]
    runs, worst = deviation_runs(paths, trace.places, step=mm_per_px, classes=classes)
    return {
        "classes": classes, "worst": worst, "worst_px": worst[2] / mm_per_px,
        "runs": [
            {"level": level, "d": "M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in points.tolist())}
            for level, points in runs
        ],
    }  # fmt: skip


def _left_out(picture: Picture, framing: Framing, width: float) -> str:
    """Outlines in mm of what nobody sees in a client's drawing."""
    if picture.left_out is None:
        return ""
    used = framing.drawing(picture.left_out)
    return "".join(shape.svg(2) for shape in used.mapped(width / used.width).shapes[:MOST_LEFT_OUT])


def _tones(raster: Raster) -> list[float]:
    """How much of the picture is of each tone from dark to light, as shares of the commonest but one, 0 to 1: what
    the threshold is set by."""
    grey = raster.grey()[:: max(1, raster.height // 500), :: max(1, raster.width // 500)]
    counts = np.sqrt(np.histogram(grey, TONES, (0, 1))[0])
    top = np.sort(counts)[-2] or counts.max() or 1.0
    return [round(float(min(v / top, 1.0)), 3) for v in counts]


def _seams(high: float, found: list[Panel]) -> list[dict[str, str]]:
    """Where panels begin and end, for the eye."""
    places = [x for one, other in pairwise(found) for x in (other.left, one.right)]
    return [{"process": "guide", "d": f"M{x:.3f} 0L{x:.3f} {high:.3f}"} for x in places]


def _grain(sheet: Sheet, laid: LaidSheet, work: Work) -> list[dict[str, Any]]:
    """Hatches that lie otherwise in turned copies than in the piece: line, strokes, and the numbers of the copies among
    those of their layer."""
    if not any(line.hatch is not None for layer in laid.layers for line in work.layers[layer].laid.value.lines):
        return []
    number: dict[int, int] = {}
    for layer in laid.layers:
        number |= {k: n for n, k in enumerate(k for k, one in enumerate(laid.placements) if one.layer == layer)}
    found = []
    for run in each_by_itself(sheet, work).runs:
        if not run.copies or run.of.hatch is None:
            continue
        layer = laid.placements[run.copies[0]].layer
        line = next(one for one in work.layers[layer].laid.value.lines if one.id == run.of.id)
        if not np.array_equal(line.paths.rows, run.of.paths.rows):
            own = [number[k] for k in run.copies]
            found.append({"layer": layer, "line": line.id, "d": run.of.paths.svg(3), "copies": own})
    return found


def _pins_behind(sheet: Sheet, ticket: Ticket, work: Work) -> list[dict[str, str]]:
    """Pins that stand in the bed under a second side: they lie on the axis it was turned about."""
    first = ticket.first_side(sheet)
    pins = work.sheets[first.id].pins if first.id in work.sheets else None
    if first is sheet or pins is None:
        return []
    return [{"process": "guide", "d": pins.value.paths().svg(3)}]


def bed_on(sheet: Sheet, work: Work) -> Box | None:
    """The bed as it lies under a sheet; None where nobody knows where the job will be put."""
    head = sheet.machine.head
    if not isinstance(head, DrivenHead):
        return Box(0, 0, sheet.machine.usable_width, sheet.machine.usable_length) if sheet.every_clamp else None
    beam, route = work.beam_run_of(sheet.id), work.router_run_of(sheet.id)
    run = beam.value if beam is not None and beam.value.axes is None else route.value if route is not None else None
    return None if run is None or head.origin_of != "the bed" else bed_of(sheet.machine, run.start)


def _sheet(sheet: Sheet, ticket: Ticket, work: Work) -> dict[str, Any]:
    laid = work.sheets[sheet.id].laid.value
    return {
        "name": sheet_name(sheet, ticket), "width": laid.width, "height": laid.height, "copies": laid.copies,
        "times": laid.times, "mirrored": sheet.is_mirrored, "colour": sheet.stock.colour,
        "placements": [
            {"layer": layer, "matrices": [
                [round(v, 6) for v in one.at] for one in laid.placements if one.layer == layer
            ]}
            for layer in laid.layers
        ],
        "marks": [[round(x, 3), round(y, 3)] for x, y in laid.marks.places],
        "mark_diameter": laid.marks.diameter, "mark_paths": laid.marks.paths().svg(3),
        "own": [*({"process": one.process, "d": one.paths.svg(3)} for one in own_lines(sheet, work)),
                *_pins_behind(sheet, ticket, work),
                *(wall_guides(sheet, ticket, laid) if ticket.turns(sheet) else ()),
                *_seams(laid.height, work.sheets[sheet.id].panels)],
        "angles": wall_angles(laid) if ticket.turns(sheet) else [],
        "lies": wall_lies(sheet) if ticket.turns(sheet) else "",
        "grain": _grain(sheet, laid, work), "minutes": minutes_of(sheet, work),
        "seams": [one._asdict() for one in work.sheets[sheet.id].seams],
        "beyond": work.sheets[sheet.id].beyond, "bed": bed_on(sheet, work),
        "spacing": spacing_of(ticket, sheet), "least_apart": least_apart(ticket, sheet),
        "caption": "".join(region.svg(3) for region in caption_of(sheet, ticket, laid)),
    }  # fmt: skip
