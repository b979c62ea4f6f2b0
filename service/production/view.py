"""What the screen shows of a job's work, as plain JSON values: geometry as path data in mm."""

from dataclasses import asdict
from typing import Any

from files.pictures import show
from nibble_core.graphics import hex_colour
from nibble_core.pipeline.lines import DrawnLine, LayerResult
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.trace import TraceResult
from nibble_core.pipeline.work import Work
from nibble_core.sheet import Layout
from nibble_core.ticket import Ticket
from nibble_core.ticket.model import Sheet


def work_view(ticket: Ticket, work: Work, *, preview: bool) -> dict[str, Any]:
    """The whole view. See production.api.WorkOut for its shape."""
    return {
        "preview": preview,
        "stations": [asdict(station) for station in stations(ticket, work)],
        "artworks": {artwork.id: _artwork(artwork.id, ticket, work, preview) for artwork in ticket.artworks},
        "layers": {id: _layer(keyed.value) for id, keyed in work.layers.items()},
        "sheets": {
            sheet.id: _sheet(sheet, work.layouts[sheet.id]) for sheet in ticket.sheets if sheet.id in work.layouts
        },
        "suggested": {
            f"artworks/{id}/trace/threshold": round(keyed.value.suggested, 4) for id, keyed in work.traces.items()
        },
    }


def card_view(ticket: Ticket, view: dict[str, Any]) -> dict[str, Any]:
    """The job's picture and state on the board, from its final view."""
    layer = view["layers"].get(ticket.sheets[0].layer) if ticket.sheets else None
    artwork = view["artworks"].get(ticket.artworks[0].id) if ticket.artworks else None
    piece = ticket.pieces[0] if ticket.pieces else None
    return {
        "cleaned": artwork and artwork["cleaned"],
        "width": artwork and artwork["width"],
        "height": artwork and artwork["height"],
        "box": layer and layer["box"],
        "lines": [{"process": line["process"], "d": line["d"]} for line in layer["lines"]] if layer else [],
        "stock": ticket.sheets[0].stock.name if ticket.sheets else "",
        "stock_colour": ticket.sheets[0].stock.colour if ticket.sheets else "#ffffff",
        "quantity": piece.quantity if piece else 0,
        "stations": [{"key": station["key"], "state": station["state"]} for station in view["stations"]],
        "looks": sum(1 for station in view["stations"] for note in station["notes"] if note["weight"] != "told"),
    }


def _artwork(id: str, ticket: Ticket, work: Work, preview: bool) -> dict[str, Any]:
    view: dict[str, Any] = {
        "width": ticket.artwork(id).width, "height": None, "original": "", "cleaned": "", "pixels": None,
        "shapes": [], "lost": [], "level": None,
    }  # fmt: skip
    if id in work.pictures:
        picture = work.pictures[id]
        raster = picture.value.raster
        view["original"] = show(picture.key, raster)
        view["pixels"] = [raster.width, raster.height]
        view["height"] = ticket.artwork(id).width * raster.height / raster.width
    if id in work.cleaned:
        view["cleaned"] = show(work.cleaned[id].key, work.cleaned[id].value.raster)
    if id in work.traces:
        trace: TraceResult = work.traces[id].value
        view["level"] = trace.level
        view["lost"] = list(trace.lost)
        view["shapes"] = [
            {
                "d": traced.shape.region.svg(3), "colour": hex_colour(traced.shape.colour),
                "rgb": list(traced.shape.colour), "x": traced.x, "y": traced.y, "size": traced.size,
                "dropped": traced.dropped, "nodes": traced.shape.region.node_count,
            }
            for traced in trace.shapes
        ]  # fmt: skip
    return view


def _layer(layer: LayerResult) -> dict[str, Any]:
    return {"box": list(layer.box), "lines": [_line(line) for line in layer.lines]}


def _line(line: DrawnLine) -> dict[str, Any]:
    return {
        "id": line.id, "process": line.process, "d": "".join(region.svg(3) for region in line.regions),
        "nodes": line.nodes, "length": round(line.length, 2), "parts": len(line.regions),
    }  # fmt: skip


def _sheet(sheet: Sheet, layout: Layout) -> dict[str, Any]:
    return {
        "layer": sheet.layer, "width": layout.width, "height": layout.height, "copies": layout.copies,
        "sheets": layout.sheets, "mirrored": sheet.stock.mirrored, "colour": sheet.stock.colour,
        "places": [[round(p.e, 3), round(p.f, 3)] for p in layout.placements],
        "marks": [[round(x, 3), round(y, 3)] for x, y in layout.marks], "mark_diameter": layout.mark_diameter,
    }  # fmt: skip
