"""Stage *examine*: what falls, what is weak, what a cutting error shows, and everything the checks find, by layer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.checks import lines as checks
from nibble_core.checks.lines import CutLine, Finding
from nibble_core.lines.bleed import WorstCase, worst_case
from nibble_core.lines.composing import area_of
from nibble_core.lines.dropout import DropOut, drop_out
from nibble_core.lines.necks import Neck, weakest
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.lines import DrawnLine, LayerResult, edge_line
from nibble_core.pipeline.prints import PrintResult, cut_parts
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.processes import FILM, PIECE, frees
from nibble_core.ticket.line import ITSELF, Cut, Line, OneElement, Source
from nibble_core.ticket.model import Machine, Stock
from nibble_core.ticket.piece import Element, Layer, Lettering, Piece, Printed

PLATE = 20.0  # mm of plate told round the openings of a stencil that has no edge of its own
TIDY = 0.002  # mm: vertices nearer than this to their chord tell the checks nothing


@dataclass(frozen=True, eq=False)
class Examined:
    """dropped: what the through cuts free. liner: whether the stock carries its parts. work: the finished piece of this
    layer. solid: what stays when weeded. weak: necks thinner than the stock holds. neck: the thinnest of all, if it has
    one. worst: what the stated cutting error shows; None without print."""

    dropped: DropOut
    liner: bool
    work: BaseGeometry
    solid: BaseGeometry
    weak: tuple[Neck, ...]
    neck: Neck | None
    worst: WorstCase | None
    findings: tuple[tuple[str, Finding], ...]
    """Each with the id of the element it is about, empty where it is about a line."""


@dataclass(frozen=True)
class Examination:
    """What a layer is judged by, beside its geometry."""

    layer: Layer
    stencil: bool
    elements: tuple[Element, ...]
    stock: Stock
    machine: Machine


def examine(
    store: ResultStore,
    piece: Piece,
    layer: Layer,
    stock: Stock,
    machine: Machine,
    composed: Keyed[PieceResult],
    drawn: Keyed[LayerResult],
    printed: Keyed[PrintResult],
    cancelled: Callable[[], bool],
) -> Keyed[Examined]:
    """Facts and findings of a layer's final lines. Raises Cancelled when ``cancelled()`` turns true."""
    by = Examination(layer, piece.stencil.kind == "a stencil", piece.elements, stock, machine)
    return stage(store, _examined, by, composed, drawn, printed, cancelled=cancelled)


def _examined(
    by: Examination, composed: PieceResult, drawn: LayerResult, printed: PrintResult, *, cancelled: Callable[[], bool]
) -> Examined:
    layer, stock = by.layer, by.stock
    prints = layer.prints
    rules = {line.id: line for line in layer.lines}
    lines = [_cut_line(line, rules[line.id]) for line in drawn.lines if not line.filled]
    through = [line for line in lines if frees(line.process) == PIECE]
    kiss = [line for line in lines if frees(line.process) == FILM]
    edge_of = edge_line(drawn.lines)
    edge = next((line for line in lines if edge_of is not None and line.id == edge_of.id), None)
    work: BaseGeometry = edge.area if edge is not None else drawn.shown
    stencil = by.stencil
    within = {line.id for line in layer.lines if _opens(line, stencil=stencil)}
    if stencil and edge is not None and edge.id in within:  # the sheet itself is the stencil's plate
        work = shapely.box(*edge.area.bounds).buffer(PLATE, join_style="mitre")
        edge = None
    openings = [line.area for line in through if (edge is None or line.id != edge.id) and line.id in within]
    if openings:
        work = work.difference(shapely.union_all(openings))
    kept = min(kiss, key=lambda line: abs(line.distance)) if kiss else edge
    dropped = drop_out([path for line in through for path in line.paths], work)
    solid = shapely.union_all([line.area for line in kiss]) if kiss else work
    found = [
        ("", finding)
        for line in lines if frees(line.process) in (PIECE, FILM)
        for finding in _cut_findings(by, line, drawn.shown, cancelled)
    ]  # fmt: skip
    weak: tuple[Neck, ...] = ()
    if edge is not None:
        weak, thin = checks.weak_parts(work, edge, stock.thinnest, stock.name, cancelled)
        found += [("", finding) for finding in thin]
        found += [("", finding) for finding in checks.near_edge(edge, stock.thinnest)]
        if isinstance(prints, Printed) and kept is not None:
            parts = cut_parts(drawn, composed)
            slack = checks.BEYOND + printed.grain
            over = printed.beyond(parts.buffer(slack))
            found += [("", finding) for finding in checks.printed_beyond(kept, parts, over, slack)]
        found += [("", finding) for finding in checks.lost_parts(dropped, edge, stock.liner)]
    found += [("", finding) for finding in checks.shared_lines(lines)]
    found += [("", finding) for finding in checks.crossing_lines(lines)]
    found += _letter_findings(by, composed, cancelled)
    worst = None
    if isinstance(prints, Printed) and edge is not None:
        nearest = min((line for line in (*kiss, *through)), key=lambda line: abs(line.distance), default=edge)
        if nearest.distance <= prints.cutting_error + TIDY:  # further out a white border is meant
            worst = worst_case(nearest.area, drawn.shown, prints.bleed, prints.cutting_error)
    thinnest = next(iter(weakest(work, cancelled=cancelled).necks), None)
    return Examined(dropped, stock.liner, work, solid, weak, thinnest, worst, tuple(found))


def _cut_findings(
    by: Examination, line: checks.CutLine, shown: BaseGeometry, cancelled: Callable[[], bool]
) -> list[Finding]:
    """What is wrong with one cut for its machine and stock."""
    smallest = max(by.machine.smallest_part, by.stock.smallest_part)
    return [
        *checks.small_parts(line, smallest, f"The {by.machine.name} on {by.stock.name}"),
        *checks.narrow_gaps(line, by.machine.narrowest_gap, cancelled),
        *checks.sharp_insides(line, by.machine.head.tightest),
        *checks.open_lines(line),
        *checks.inside_bleed(line, shown, by.layer.bleed),
    ]


def _letter_findings(
    by: Examination, composed: PieceResult, cancelled: Callable[[], bool]
) -> list[tuple[str, Finding]]:  # fmt: skip
    """Letters that are cut, and too thin for the stock, by the element that they are of."""
    found = []
    for element in by.elements:
        words = element.content.words if isinstance(element.content, Lettering) else ""
        cut = any(own.on and frees(own.process.kind) in (PIECE, FILM) and _follows(own.source, element.id)
                  for own in by.layer.lines)  # fmt: skip
        if words and cut and element.way in ("joined", "apart"):
            letters = shapely.union_all([area_of(s) for id, s in composed.composed.painted if id == element.id])
            thin = checks.thin_letters(letters, words, by.stock.thinnest, by.stock.name, cancelled)
            found += [(element.id, finding) for finding in thin]
    return found


def _opens(line: Line, *, stencil: bool) -> bool:
    """Whether what a line encloses is taken out of the piece, if it lies within its edge."""
    kind = line.source.kind
    return kind in ITSELF or (stencil and kind not in ("a simple shape", "another line"))


def _follows(source: Source, element: str) -> bool:
    """Whether a source takes shapes of an element as they are."""
    return source.kind in ITSELF and (not isinstance(source, OneElement) or source.of == element)


def _cut_line(line: DrawnLine, rule: Line) -> CutLine:
    area = line.area.simplify(TIDY) if line.regions else shapely.Polygon()
    may_cross = isinstance(rule.process, Cut) and rule.process.crossings == "may cross"
    return CutLine(line.id, line.process, line.name, line.regions, line.paths, area, rule.offset.distance, may_cross)
