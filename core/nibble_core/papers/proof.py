"""The proof for the client: each piece as it will be, its size and colours, and a line to sign. No production lines."""

from __future__ import annotations

from nibble_core.geometry.units import format_number
from nibble_core.graphics import Shape, hex_colour
from nibble_core.papers.drawing import draw_on_thing, draw_piece, has_second_side, piece_box
from nibble_core.papers.page import HAIR, INK, MARGIN, SOFT, STRONG, Page, leading, wrapped
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.quantities import number_of
from nibble_core.pipeline.results import Work
from nibble_core.ticket.goods import OnFlat
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Piece

MOST = 6  # pieces on a page
FOOT = 34.0  # mm that the last page keeps free for its signature
MOST_COLOURS = 12


def proof(ticket: Ticket, work: Work, *, code: str, shop: str = "", size: str = "a4") -> bytes:
    """A PDF of as many pages as the pieces take. code: of job and revision, so that what was approved can be found
    again."""
    page = Page(size, f"{ticket.name}, proof {code}")
    top = page.head(ticket.name, (f"Proof for {ticket.client}" if ticket.client else "Proof", shop, code)) + 6.5
    shown = [
        (piece, behind)
        for piece in ticket.pieces
        if piece_box(piece, work)
        for behind in ((False, True) if has_second_side(piece, ticket, work) else (False,))
    ]
    wide, foot = page.width - 2 * MARGIN, page.height - MARGIN - FOOT
    columns = 1 if len(shown) <= 2 else 2
    rows = max(1, -(-min(len(shown), MOST) // columns))
    for number, (piece, behind) in enumerate(shown):
        if number and not number % MOST:
            page.text(page.width - MARGIN, page.height - MARGIN, "goes on", size=9, colour=SOFT, right=True)
            top = page.turn()
        room = (wide - 8 * (columns - 1)) / columns, (foot - top) / rows - 4
        x = MARGIN + (number % columns) * (room[0] + 8)
        y = top + (number % MOST // columns) * (room[1] + 4)
        _piece(page, piece, ticket, work, x, y, *room, behind=behind)
    y = page.height - MARGIN - 26
    page.rule(MARGIN, y - 4, wide, weight=0.8)
    words = "Please look at spelling, colours, sizes and quantities. Colours on screen and paper differ from the stock."
    y = page.lines(MARGIN, y + 1, words, wide, size=9, colour=SOFT)
    for at, called in ((0.0, "Approved by"), (0.45, "Date"), (0.7, "Signature")):
        page.rule(MARGIN + at * wide, page.height - MARGIN - 4, (0.42 if not at else 0.22) * wide, weight=0.5)
        page.text(MARGIN + at * wide, page.height - MARGIN, called, size=8, colour=SOFT)
    return page.finished()


def _piece(
    page: Page, piece: Piece, ticket: Ticket, work: Work, x: float, y: float, width: float, height: float,
    *, behind: bool,
) -> None:  # fmt: skip
    box = piece_box(piece, work)
    assert box is not None
    on = 0.42 * width if isinstance(piece.goods, OnFlat) and not behind else 0.0
    made, tall = draw_piece(page, piece, ticket, work, x, y, width - on - 6, height - 24, lines=False, behind=behind)
    if on and isinstance(piece.goods, OnFlat):
        _, high = draw_on_thing(page, piece, ticket, work, x + width - on, y, on, height - 22)
        thing = piece.goods.thing
        where = f"On {piece.goods.kind}, {thing.below(piece.goods.down):g} mm {thing.rule}"
        page.text(x + width - on, y + high + 4, where, size=8, colour=SOFT)
    y += tall + 5
    name = f"{piece.name}, second side" if behind else piece.name
    for line in wrapped(name, width, 12, STRONG)[:2]:
        page.text(x, y, line, size=12, font=STRONG)
        y += leading(12)
    y -= leading(12)
    scale = made / box.width if box.width else 1.0
    true = "shown at its true size" if abs(scale - 1) < 1e-6 else f"shown at {100 * scale:.0f} %"
    wide, high = _finished_size(piece, work) or (box.width, box.height)
    inches = f"{format_number(wide / 25.4, 2)} × {format_number(high / 25.4, 2)} in"
    count = number_of(piece, ticket, work)
    pieces = "1 piece" if count == 1 else f"{count} pieces"
    said = f"{format_number(wide, 1)} × {format_number(high, 1)} mm ({inches}), {true}; {pieces}"
    y = page.lines(x, y + 5, said, width, size=9, colour=INK) - 5
    stocks = dict.fromkeys(sheet.stock.name for layer in piece.layers for sheet in ticket.sheets_of(layer.id))
    if stocks:
        page.lines(x, y + 5, f"On {', '.join(stocks)}", width, size=9, colour=SOFT)
    y -= 4.5
    at = x
    for colour in _colours(piece, work):
        page.box(at, y + 11.5, 4, 4, fill=colour, edge=HAIR)
        at += 5 + page.text(at + 5, y + 14.6, colour, size=7.5, colour=SOFT) + 3
        if at > x + width - 18:
            break


def _finished_size(piece: Piece, work: Work) -> tuple[float, float] | None:
    """Of what is cut out, if anything is."""
    edges = [edge_line(work.layers[layer.id].drawn.value.lines) for layer in piece.layers if layer.id in work.layers]
    bounds = [edge.area.bounds for edge in edges if edge is not None and not edge.area.is_empty]
    if not bounds:
        return None
    return max(b[2] for b in bounds) - min(b[0] for b in bounds), max(b[3] for b in bounds) - min(b[1] for b in bounds)


def _colours(piece: Piece, work: Work) -> list[str]:
    """The flat colours that are printed; none where nothing is."""
    found: dict[str, None] = {}
    for layer in piece.layers:
        if layer.id in work.layers:
            for item in work.layers[layer.id].print_drawn.value.items:
                if isinstance(item, Shape):
                    found[hex_colour(item.colour)] = None
    return list(found)[:MOST_COLOURS]
