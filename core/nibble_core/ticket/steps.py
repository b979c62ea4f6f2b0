"""What one press does to pieces, layers and sheets: each a kind of step with the changes that it makes of a ticket.

A step names items by their ids; it is taken on the newest ticket and raises InvalidTicket where one is gone.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import count
from typing import ClassVar, Literal

from nibble_core.errors import InvalidTicket
from nibble_core.processes import PIECE, frees, parts
from nibble_core.ticket.changes import Change
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.ids import free_ids, fresh_ids
from nibble_core.ticket.line import (
    AS_THEY_ARE,
    ITSELF,
    Carving,
    Cut,
    FoldLines,
    Line,
    Offset,
    OneElement,
    Score,
    Source,
    Surround,
    ThroughCut,
)
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Layer, Piece, Prints
from nibble_core.ticket.places import Chosen, Span, alike
from nibble_core.ticket.serial import MOST, to_plain

OVERLAP = 0.5  # mm that a lower colour goes on below the others, once a piece is split


@dataclass(frozen=True)
class CopyLine:
    """The line again, right after itself."""

    layer: str
    line: str
    kind: Literal["copy line"] = "copy line"
    said: ClassVar[str] = "a line copied"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece, layer = _layer(ticket, self.layer)
        at = layer.lines.index(_line(layer, self.line))
        copy = replace(layer.lines[at], id=next(free_ids("k", layer.lines)))
        before = layer.lines[at + 1].id if at + 1 < len(layer.lines) else None
        return [Change(f"pieces/{piece.id}/layers/{layer.id}/lines", to_plain(copy), "add", before)]


@dataclass(frozen=True)
class DrawFold:
    """One more fold line, as fractions of the piece's box: of the line in hand or the first that has any, of a new one
    where there is none."""

    layer: str
    x: float
    y: float
    x2: float
    y2: float
    line: str = ""
    kind: Literal["draw fold"] = "draw fold"
    said: ClassVar[str] = "fold line drawn"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece, layer = _layer(ticket, self.layer)
        here = f"pieces/{piece.id}/layers/{layer.id}/lines"
        for line in sorted(layer.lines, key=lambda one: one.id != self.line):
            if isinstance(line.source, FoldLines):
                fold = Span(next(free_ids("f", line.source.folds)), self.x, self.y, self.x2, self.y2)
                return [Change(f"{here}/{line.id}/source/folds", to_plain(fold), "add")]
        folds = FoldLines((Span("f1", self.x, self.y, self.x2, self.y2),))
        return [Change(here, to_plain(Line(next(free_ids("k", layer.lines)), folds, process=Score())), "add")]


@dataclass(frozen=True)
class AddLayer:
    """One more layer, with a sheet like that of the first. It starts with the uppermost of the piece's flat colours,
    lowest first, that no other has chosen; a piece of one colour is split by its regions, which are clicked."""

    piece: str
    colours: tuple[str, ...] = ()
    kind: Literal["add layer"] = "add layer"
    said: ClassVar[str] = "a layer added"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece = _piece(ticket, self.piece)
        taken = [own.colour for one in piece.layers for own in one.colours]
        colours = _colours(self.colours)
        free = [one for one in colours if not any(alike(one, own) for own in taken)]
        made = replace(
            piece.layers[0], id=next(fresh_ids("l", _layer_ids(ticket))), name=f"no. {len(piece.layers) + 1}",
            overlap=0.0, regions=(), colours=(Chosen("c1", free[-1]),) if free and len(colours) > 1 else (),
        )  # fmt: skip
        made = replace(made, shows="chosen colours" if made.colours else "chosen regions")
        return [
            Change(f"pieces/{piece.id}/layers", to_plain(made), "add"),
            *_with_sheets(ticket, [(piece.layers[0].id, made.id)]),
        ]


@dataclass(frozen=True)
class SplitByColour:
    """A layer for each of the piece's colours, lowest first: the first on the layer there is, every other with a sheet
    of its own. Each is of one stock that has the colour: it prints nothing, and its cut runs along the shapes
    themselves. Further lines stay with the lowest layer."""

    piece: str
    colours: tuple[str, ...]
    kind: Literal["split by colour"] = "split by colour"
    said: ClassVar[str] = "split into layers by colour"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece = _piece(ticket, self.piece)
        lowest, *others = _colours(self.colours) or [""]
        if not others:
            raise InvalidTicket("This piece has one colour only.", "Add a layer and click its regions.")
        first = piece.layers[0]
        here = f"pieces/{piece.id}/layers"
        ids = fresh_ids("l", _layer_ids(ticket))
        cut, *further = _cut_first(first.lines)
        sheets = ticket.sheets_of(first.id)
        cut = _along_the_shapes(cut, liner=bool(sheets) and all(one.stock.liner for one in sheets))
        layers = [
            Layer(next(ids), Prints(), (cut,), one, shows="chosen colours", colours=(Chosen("c1", one),))
            for one in others
        ]
        return [
            Change(f"{here}/{first.id}/prints", to_plain(Prints())),
            Change(f"{here}/{first.id}/lines", to_plain((cut, *further))),
            Change(f"{here}/{first.id}/shows", "chosen colours"),
            Change(f"{here}/{first.id}/name", lowest),
            Change(f"{here}/{first.id}/overlap", OVERLAP),
            Change(f"{here}/{first.id}/colours", to_plain((Chosen("c1", lowest),))),
            *(Change(here, to_plain(one), "add") for one in layers),
            *_with_sheets(ticket, [(first.id, one.id) for one in layers]),
            Change(f"pieces/{piece.id}/alignment", "three triangles"),
        ]


def _cut_first(lines: Sequence[Line]) -> list[Line]:
    """Lines with the first that parts material before the others; with a cut of its own where none does."""
    cut = next((one for one in lines if parts(one.process.kind)), Line(next(free_ids("k", lines))))
    return [cut, *(one for one in lines if one is not cut)]


def _along_the_shapes(line: Line, *, liner: bool) -> Line:
    """A cut along the shapes of its layer, as they are; only the film is cut where a liner carries it."""
    as_it_is = line.source.kind in ITSELF and not line.offset.distance
    made = line if as_it_is else replace(line, source=Source(kind="the shapes"), offset=AS_THEY_ARE)
    return replace(made, process=Cut()) if liner and frees(made.process.kind) == PIECE else made


@dataclass(frozen=True)
class RemoveLayer:
    """A layer taken away, with the sheets that hold nothing else and the second sides laid behind these."""

    layer: str
    kind: Literal["remove layer"] = "remove layer"
    said: ClassVar[str] = "a layer removed"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece, layer = _layer(ticket, self.layer)
        if len(piece.layers) == 1:
            raise InvalidTicket("A piece keeps at least one layer.", "Remove the piece instead.")
        gone = {layer.id}
        emptied = {one.id for one in ticket.sheets if {held.layer for held in one.holds} <= gone}
        behind = [one for one in ticket.sheets if one.behind in emptied]
        with_it = {held.layer for one in behind for held in one.holds} - gone
        layers = [own for own in piece.layers if own.id in gone | with_it]
        if len(layers) == len(piece.layers):
            raise InvalidTicket("The piece’s other layers lie behind this one.", "Remove the piece instead.")
        return [
            *(Change(f"sheets/{one.id}", operation="remove") for one in behind),
            *_without([one for one in ticket.sheets if one not in behind], gone),
            *(Change(f"pieces/{piece.id}/layers/{own.id}", operation="remove") for own in layers),
        ]


@dataclass(frozen=True)
class CopyPiece:
    """The piece once more, to be made differently from the same artwork, with sheets of its own."""

    piece: str
    kind: Literal["copy piece"] = "copy piece"
    said: ClassVar[str] = "a piece added, made of the same"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece = _piece(ticket, self.piece)
        ids = dict(zip((one.id for one in piece.layers), fresh_ids("l", _layer_ids(ticket)), strict=False))
        name = _numbered(piece.name, [one.name for one in ticket.pieces])
        made = replace(
            piece, id=next(free_ids("p", ticket.pieces)), name=name,
            layers=tuple(replace(one, id=ids[one.id]) for one in piece.layers),
        )  # fmt: skip
        return [Change("pieces", to_plain(made), "add"), *_with_sheets(ticket, list(ids.items()))]


def _numbered(name: str, taken: Collection[str]) -> str:
    """A name with the first number that nothing of the kind has yet: “owl 2” after “owl”."""
    stem = re.sub(r" \d{1,4}$", "", name)[:NAMED]
    return next(made for number in count(2) if (made := f"{stem} {number}") not in taken)


NAMED = 74  # letters of a piece's name that leave room for its number


@dataclass(frozen=True)
class MakePlug:
    """A piece that fits into a groove, turned over: an inlay. Its shapes stand on walls that lean as the groove's do,
    ``GLUE_GAP`` smaller all round; it goes in until ``GLUE_DEPTH`` from a flat bottom, and is sawn off above the board.
    It has a board of its own, mirrored."""

    layer: str
    line: str
    kind: Literal["make plug"] = "make plug"
    said: ClassVar[str] = "a plug made for the groove"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece, layer = _layer(ticket, self.layer)
        line = _line(layer, self.line)
        groove = line.process
        if not isinstance(groove, Carving) or groove.up_to:
            raise InvalidTicket("A plug is made for a groove.", "Choose a line that is carved.")
        within = groove.start + max(groove.deepest - groove.start - GLUE_DEPTH, 0.7 * (groove.deepest - groove.start))
        plug = replace(
            line, id="k1", on=True, rank=1, offset=replace(line.offset, distance=line.offset.distance - GLUE_GAP),
            process=replace(groove, deepest=within - groove.start + SAW_GAP, start=within - groove.start, up_to="k2"),
        )  # fmt: skip
        edge = Line("k2", Surround(), Offset(distance=PLUG_MARGIN), ThroughCut(ties=4, tie_width=6.0, tab_height=3.0))
        elements = piece.elements
        if isinstance(line.source, OneElement):
            (only,) = [one for one in elements if one.id == line.source.of] or elements[:1]
            elements = (replace(only, way="joined", beside="", across="where it is", down="where it is", x=0.0, y=0.0),)
        taken = [one.name for one in ticket.pieces]
        name = f"{piece.name[: NAMED - 5]} plug"
        made = Piece(
            next(free_ids("p", ticket.pieces)), _numbered(name, taken) if name in taken else name, piece.quantity,
            elements,
            (replace(layer, id=next(fresh_ids("l", _layer_ids(ticket))), prints=Prints(), lines=(plug, edge)),),
        )  # fmt: skip
        sheets = _sheets_for(ticket, [(layer.id, made.layers[0].id)])
        turned = [_added(replace(one, facing="mirrored")) for one in sheets]
        return [Change("pieces", to_plain(made), "add"), *turned]


GLUE_GAP, GLUE_DEPTH = 0.05, 0.5  # mm between walls, and above a flat bottom
SAW_GAP = 1.5  # mm between the board and what is sawn off
PLUG_MARGIN = 10.0  # mm of board round a plug's shapes


@dataclass(frozen=True)
class RemovePiece:
    """A piece taken away with its sheets."""

    piece: str
    kind: Literal["remove piece"] = "remove piece"
    said: ClassVar[str] = "a piece removed"

    def changes(self, ticket: Ticket) -> list[Change]:
        piece = _piece(ticket, self.piece)
        if len(ticket.pieces) == 1:
            raise InvalidTicket("A job keeps at least one piece.", "Put the job away instead.")
        gone = {one.id for one in piece.layers}
        return [*_without(ticket.sheets, gone), Change(f"pieces/{piece.id}", operation="remove")]


@dataclass(frozen=True)
class MoreOfTheSame:
    """One more sheet like another, for copies that are wanted again or were spoilt: one of each."""

    sheet: str
    kind: Literal["more of the same"] = "more of the same"
    said: ClassVar[str] = "some more of the same added"

    def changes(self, ticket: Ticket) -> list[Change]:
        sheet = _sheet(ticket, self.sheet)
        made = sheet_like(sheet, next(free_ids("s", ticket.sheets)), [held.layer for held in sheet.holds], sheet.behind)
        return [_added(replace(made, amount="as many as wanted", spares=0, own_quantity=1))]


@dataclass(frozen=True)
class GiveSecondSide:
    """A second side for a sheet: behind each of its pieces a layer of its own, which prints and cuts nothing yet."""

    sheet: str
    kind: Literal["give second side"] = "give second side"
    said: ClassVar[str] = "a second side added"

    def changes(self, ticket: Ticket) -> list[Change]:
        sheet = _sheet(ticket, self.sheet)
        held = {one.layer for one in sheet.holds}
        pieces = [piece for piece in ticket.pieces if any(layer.id in held for layer in piece.layers)]
        behind = list(zip(pieces, fresh_ids("l", _layer_ids(ticket)), strict=False))
        made = sheet_like(sheet, next(free_ids("s", ticket.sheets)), [id for _, id in behind], sheet.id)
        # what a first side alone has cut
        made = replace(
            made, border="no weed border", weed_lines="no weed lines", cross_cut="no cross-cut", caption="nothing"
        )
        layers = [
            Change(f"pieces/{piece.id}/layers", to_plain(Layer(id, Prints(), name="second side")), "add")
            for piece, id in behind
        ]
        return [*layers, _added(made)]


@dataclass(frozen=True)
class TakeSecondSide:
    """A second side taken away, with the layers that lie on it."""

    sheet: str
    kind: Literal["take second side"] = "take second side"
    said: ClassVar[str] = "the second side taken away"

    def changes(self, ticket: Ticket) -> list[Change]:
        sheet = _sheet(ticket, self.sheet)
        if not sheet.behind:
            raise InvalidTicket("This sheet is no second side.", "Choose the one behind it.")
        held = {one.layer for one in sheet.holds}
        layers = [
            Change(f"pieces/{piece.id}/layers/{layer.id}", operation="remove")
            for piece in ticket.pieces
            for layer in piece.layers
            if layer.id in held and len(piece.layers) > 1
        ]
        return [Change(f"sheets/{sheet.id}", operation="remove"), *layers]


@dataclass(frozen=True)
class BringLayer:
    """A layer brought onto a sheet, from every other one it lies on."""

    sheet: str
    layer: str
    kind: Literal["bring layer"] = "bring layer"
    said: ClassVar[str] = "layer brought onto the sheet"

    def changes(self, ticket: Ticket) -> list[Change]:
        sheet = _sheet(ticket, self.sheet)
        _layer(ticket, self.layer)
        if any(one.layer == self.layer for one in sheet.holds):
            raise InvalidTicket("It lies on this sheet already.", "Raise its quantity for more copies.")
        held = Held(next(free_ids("h", sheet.holds)), self.layer)
        others = [one for one in ticket.sheets_of(self.layer) if one.id != sheet.id]
        return [Change(f"sheets/{sheet.id}/holds", to_plain(held), "add"), *_without(others, {self.layer})]


@dataclass(frozen=True)
class GiveOwnSheet:
    """A layer of a shared sheet laid on a sheet of its own, like that one."""

    sheet: str
    layer: str
    kind: Literal["give own sheet"] = "give own sheet"
    said: ClassVar[str] = "a sheet of its own given"

    def changes(self, ticket: Ticket) -> list[Change]:
        sheet = _sheet(ticket, self.sheet)
        _layer(ticket, self.layer)
        made = sheet_like(sheet, next(free_ids("s", ticket.sheets)), [self.layer], sheet.behind)
        return [_added(made), *_without([sheet], {self.layer})]


Step = (
    CopyLine | DrawFold | AddLayer | SplitByColour | RemoveLayer | CopyPiece | RemovePiece
    | MakePlug | MoreOfTheSame | GiveSecondSide | TakeSecondSide | BringLayer | GiveOwnSheet
)  # fmt: skip


def sheet_like(like: Sheet, id: str, layers: Iterable[str], behind: str = "") -> Sheet:
    """A sheet as another is, laid anew: with these layers in a grid, once, or behind a sheet."""
    holds = tuple(Held(f"h{k}", layer) for k, layer in enumerate(layers, 1))
    return replace(like, id=id, holds=holds, arrangement="a grid", placed=(), runs=1, behind=behind)


def _with_sheets(ticket: Ticket, copies: Sequence[tuple[str, str]]) -> list[Change]:
    """Sheets for layers that are copied of others, as (old id, new id): each like the one that the old lies on, a
    second side behind the new sheet of what it lay behind."""
    return [_added(sheet) for sheet in _sheets_for(ticket, copies)]


def _sheets_for(ticket: Ticket, copies: Sequence[tuple[str, str]]) -> list[Sheet]:
    ids = free_ids("s", ticket.sheets)
    laid = [(sheet, new) for old, new in copies for sheet in ticket.sheets_of(old)[:1]]
    made: dict[str, str] = {}
    sheets = []
    for sheet, layer in sorted(laid, key=lambda one: bool(one[0].behind)):
        own = sheet_like(sheet, next(ids), [layer], made.get(sheet.behind, ""))
        made[sheet.id] = own.id
        sheets.append(own)
    return sheets


def _without(sheets: Iterable[Sheet], layers: Collection[str]) -> list[Change]:
    """Sheets without some layers; one that holds nothing else goes altogether."""
    changes = []
    for sheet in sheets:
        gone = [one for one in sheet.holds if one.layer in layers]
        if gone and len(gone) == len(sheet.holds):
            changes.append(Change(f"sheets/{sheet.id}", operation="remove"))
            continue
        placed = [one for one in sheet.placed if one.layer in layers]
        changes += [Change(f"sheets/{sheet.id}/placed/{one.id}", operation="remove") for one in placed]
        changes += [Change(f"sheets/{sheet.id}/holds/{one.id}", operation="remove") for one in gone]
    return changes


def _added(sheet: Sheet) -> Change:
    return Change("sheets", to_plain(sheet), "add")


def _piece(ticket: Ticket, id: str) -> Piece:
    """Raises InvalidTicket when it is gone, or has no layer to go by."""
    found = next((one for one in ticket.pieces if one.id == id and one.layers), None)
    if found is None:
        raise _gone()
    return found


def _layer(ticket: Ticket, id: str) -> tuple[Piece, Layer]:
    for piece in ticket.pieces:
        for layer in piece.layers:
            if layer.id == id:
                return piece, layer
    raise _gone()


def _line(layer: Layer, id: str) -> Line:
    found = next((one for one in layer.lines if one.id == id), None)
    if found is None:
        raise _gone()
    return found


def _sheet(ticket: Ticket, id: str) -> Sheet:
    found = next((one for one in ticket.sheets if one.id == id), None)
    if found is None:
        raise _gone()
    return found


def _colours(told: Collection[str]) -> list[str]:
    """Colours that a press brings with it, checked. Raises InvalidTicket."""
    if len(told) > MOST["colours"]:
        raise InvalidTicket(f"{len(told)} colours are too many.", f"At most {MOST['colours']} are told apart.")
    rule = rule_of(Chosen, "colour")
    assert rule is not None
    return [rule.check(one) for one in told]


def _gone() -> InvalidTicket:
    return InvalidTicket("What this is about is not there any more.", "Look again.")


def _layer_ids(ticket: Ticket) -> list[str]:
    return [layer.id for piece in ticket.pieces for layer in piece.layers]
