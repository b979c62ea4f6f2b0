"""What making a sheet takes off its stock, and what is left to be kept."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.results import Work
from nibble_core.ticket.model import Sheet, Stock

LEAST_SIDE = 100.0  # mm: narrower offcuts are waste


@dataclass(frozen=True)
class Taken:
    """length: mm of a roll that go, 0 of sheets. offcut: what is worth keeping of each run, as a stock of its own;
    count: of them."""

    length: float
    offcut: Stock | None
    count: int


def stock_length(sheet: Sheet, work: Work) -> float:
    """mm along the stock that a sheet takes, with all its panels, as often as it is to be run; a second side none."""
    if sheet.behind:
        return 0.0
    laid = work.sheets[sheet.id].laid.value
    return laid.used_height * laid.times * max(1, len(work.sheets[sheet.id].panels))


def stock_area(sheet: Sheet, work: Work) -> float:
    """m² of stock that a sheet takes likewise: of a roll its whole width, of others what is laid."""
    if sheet.behind:
        return 0.0
    laid = work.sheets[sheet.id].laid.value
    if sheet.stock.kind == "a roll":
        return sheet.stock.width * stock_length(sheet, work) / 1e6
    return laid.used_width * laid.used_height * laid.times / 1e6


def material(sheet: Sheet, work: Work) -> tuple[str, float]:
    """How much of its stock a sheet takes, in words, and what that costs in the shop's money: of round things each one,
    of others their area."""
    if sheet.stock.is_round:
        times = work.sheets[sheet.id].laid.value.times
        return str(times), times * sheet.stock.price
    area = stock_area(sheet, work)
    return f"{area:.2f} m²", area * sheet.stock.price


def kept_area(sheet: Sheet, work: Work) -> float | None:
    """m² of it that become pieces; None where a piece has no edge."""
    laid = work.sheets[sheet.id].laid.value
    edges = {layer: edge_line(work.layers[layer].laid.value.lines) for layer in laid.layers}
    areas = [laid.copies_of(layer) * float(edge.area.area) for layer, edge in edges.items() if edge is not None]
    return sum(areas) * laid.times / 1e6 if len(areas) == len(edges) else None


def taken(sheet: Sheet, work: Work) -> Taken:
    """What a sheet takes when it is made as often as it is to be run."""
    stock, laid = sheet.stock, work.sheets[sheet.id].laid.value
    if stock.is_round:
        return Taken(0.0, None, 0)
    length = stock_length(sheet, work) if stock.kind == "a roll" else 0.0
    if sheet.behind or len(work.sheets[sheet.id].panels) > 1:
        return Taken(length, None, 0)
    beside = (stock.usable_width - laid.used_width, laid.used_height)
    if stock.kind == "a sheet":
        beside = (stock.usable_width - laid.used_width, stock.usable_length)
        below = (stock.usable_width, stock.usable_length - laid.used_height)
        beside = max(beside, below, key=lambda sides: min(sides) * max(sides) if min(sides) > 0 else 0.0)
    offcut = _offcut(stock, *beside) if min(beside) >= LEAST_SIDE else None
    return Taken(length, offcut, laid.times if offcut else 0)


def _offcut(stock: Stock, width: float, length: float) -> Stock:
    return replace(
        stock, key="offcut", name=f"{stock.name[:50]}, offcut {width:.0f} × {length:.0f} mm", kind="a sheet",
        width=width, usable_width=width, usable_length=length, length_left=None,
    )  # fmt: skip
