"""Made-up flat things that pieces go on, at their true size, and where a piece sits on them by the trade's rules.
Round ones are records of the shop.

One entry says all there is to a thing; the screen gets them from the API.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Thing:
    """words: one line of explanation. outline and details: SVG path data in mm, y down: the body, and what is drawn on
    it. x, y: the place that pieces are measured from. down: mm that a piece usually sits below it. from_top: whether
    its upper edge is measured, or its middle. rule: where that is, in words."""

    words: str
    outline: str
    details: str
    x: float
    y: float
    down: float
    from_top: bool
    rule: str

    def below(self, stated: float | None) -> float:
        """mm that a piece sits below the place it is measured from: as stated, or as usual."""
        return self.down if stated is None else stated


THINGS: dict[str, Thing] = {
    "a shirt": Thing(
        "A grown-up’s shirt, laid flat.",
        "M190 0C215 42 345 42 370 0L470 36L560 190L478 238L448 190L448 720L112 720L112 190L82 238L0 190L90 36Z",
        "M190 0C215 42 345 42 370 0M204 4C228 58 332 58 356 4M112 190L112 214M448 190L448 214",
        280.0, 45.0, 75.0, True, "below the collar",
    ),
    "a window": Thing(
        "A shop window, seen from the street.",
        "M0 0L1200 0L1200 1500L0 1500Z",
        "M30 30L1170 30L1170 1470L30 1470ZM180 60L60 320M260 60L60 480",
        600.0, 620.0, 0.0, False, "below eye height",
    ),
    "a van door": Thing(
        "The rear door of a van.",
        "M60 0L760 0C790 0 800 20 800 60L800 1560L0 1560L0 60C0 20 20 0 60 0Z",
        "M90 90L710 90C730 90 735 100 735 120L735 600L65 600L65 120C65 100 70 90 90 90Z"
        "M700 860L760 860L760 900L700 900ZM40 1320L760 1320",
        390.0, 960.0, 0.0, False, "below the middle of the panel",
    ),
}  # fmt: skip
