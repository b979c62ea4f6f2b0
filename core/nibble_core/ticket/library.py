"""The starting set: made-up stocks and machines to choose from. Copied into a ticket when chosen."""

from __future__ import annotations

from nibble_core.ticket.model import Machine, Spot, Stock

_PLUM, _ORCHID, _PLUM_LIGHT = (0.0, 1.0, 0.0, 0.3), (0.3, 0.9, 0.0, 0.0), (0.0, 0.6, 0.0, 0.3)
_VIOLET, _SLATE = (0.4, 0.6, 0.0, 0.0), (0.6, 0.6, 0.0, 0.3)
_OLIVE, _UMBER = (0.0, 0.0, 0.9, 0.5), (0.2, 0.5, 0.8, 0.4)

_STOCKS = (
    Stock("matt-white-vinyl-1370", "matt white vinyl, 1370 mm roll", 1370, 1340, 3000, 1.0, "#ffffff", False),
    Stock("gloss-clear-vinyl-610", "gloss clear vinyl, 610 mm roll", 610, 580, 3000, 1.0, "#f3f6f6", False),
    Stock("label-paper-a3", "label paper, A3 sheet", 297, 287, 400, 0.8, "#fffdf6", False),
    Stock("shirt-film-navy-500", "navy shirt film, 500 mm roll", 500, 480, 2000, 1.2, "#1d2c52", True),
    Stock("window-film-black-610", "black window film, 610 mm roll", 610, 590, 2500, 1.0, "#20242a", False),
    Stock("shirt-film-white-500", "white shirt film, 500 mm roll", 500, 480, 2000, 1.2, "#fafaf7", True),
    Stock("shirt-film-teal-500", "teal shirt film, 500 mm roll", 500, 480, 2000, 1.2, "#29848b", True),
    Stock(
        "stencil-polyester-300", "stencil polyester 0.25 mm, A3 sheet", 420, 290, 400, 1.0, "#e3eef0", False, 1.2, False
    ),
    Stock("birch-3mm", "birch plywood 3 mm, 600 × 400 mm", 600, 580, 380, 1.0, "#dcc39a", False, 1.6, False),
)
_MACHINES = (
    Machine(
        "wide-camera-cutter", "wide cutter with camera", 1300, 3000, 1.0, 0.25, 0.5, 300,
        (Spot("through cut", "Nibble Through", _PLUM), Spot("kiss cut", "Nibble Kiss", _ORCHID),
         Spot("perforate", "Nibble Perforate", _PLUM_LIGHT), Spot("score", "Nibble Score", _OLIVE),
         Spot("weed cut", "Nibble Weed", _VIOLET), Spot("cross-cut", "Nibble Cross", _SLATE)),
    ),
    Machine(
        "desk-cutter", "desk cutter, A3", 290, 410, 1.5, 0.35, 0.6, 100, formats=("pdf", "svg", "dxf"),
        spots=(Spot("through cut", "Desk Through", _PLUM), Spot("kiss cut", "Desk Kiss", _ORCHID),
         Spot("perforate", "Desk Perforate", _PLUM_LIGHT), Spot("score", "Desk Score", _OLIVE),
         Spot("weed cut", "Desk Weed", _VIOLET)),
    ),
    Machine(
        "small-laser", "small laser, 600 × 400 mm", 580, 380, 0.8, 0.05, 0.15, None, formats=("pdf", "svg", "dxf"),
        spots=(Spot("through cut", "Laser Cut", _PLUM), Spot("engrave", "Laser Engrave", _UMBER),
         Spot("perforate", "Laser Perforate", _PLUM_LIGHT), Spot("score", "Laser Score", _OLIVE)),
    ),
)  # fmt: skip

STOCKS = {stock.key: stock for stock in _STOCKS}
MACHINES = {machine.key: machine for machine in _MACHINES}
