"""The starting set: made-up stocks and machines to choose from. Copied into a ticket when chosen."""

from __future__ import annotations

from nibble_core.ticket.model import Machine, Spot, Stock

_PLUM, _ORCHID = (0.0, 1.0, 0.0, 0.3), (0.3, 0.9, 0.0, 0.0)

_STOCKS = (
    Stock("matt-white-vinyl-1370", "matt white vinyl, 1370 mm roll", 1370, 1340, 3000, 1.0, "#ffffff", False),
    Stock("gloss-clear-vinyl-610", "gloss clear vinyl, 610 mm roll", 610, 580, 3000, 1.0, "#f3f6f6", False),
    Stock("label-paper-a3", "label paper, A3 sheet", 297, 287, 400, 0.8, "#fffdf6", False),
    Stock("shirt-film-navy-500", "navy shirt film, 500 mm roll", 500, 480, 2000, 1.2, "#1d2c52", True),
    Stock("window-film-black-610", "black window film, 610 mm roll", 610, 590, 2500, 1.0, "#20242a", False),
)
_MACHINES = (
    Machine(
        "wide-camera-cutter", "wide cutter with camera", 1300, 3000, 1.0,
        (Spot("through cut", "Nibble Through", _PLUM), Spot("kiss cut", "Nibble Kiss", _ORCHID)),
    ),
    Machine(
        "desk-cutter", "desk cutter, A3", 290, 410, 1.5,
        (Spot("through cut", "Desk Through", _PLUM), Spot("kiss cut", "Desk Kiss", _ORCHID)),
    ),
)  # fmt: skip

STOCKS = {stock.key: stock for stock in _STOCKS}
MACHINES = {machine.key: machine for machine in _MACHINES}
