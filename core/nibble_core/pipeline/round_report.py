"""What Sheet says of work on round things: what the bend did to it, what faces away, where it meets itself, and how it
will be burnt."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import shapely

from nibble_core.errors import NibbleError
from nibble_core.geometry import Box, Points
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.bending import Bending, bend_of, turning_of
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.label_bands import BLEEDS, is_band
from nibble_core.pipeline.notes import LOOK, MONEY, Draft, Note, setting
from nibble_core.pipeline.prints import PRINT_PPI
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.round_places import repeats, scaled_artwork
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.ticket.goods import Label, Made, OnRound
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Machine, Piece, Sheet, Ticket
from nibble_core.wrap import Bend

STEPS = 65  # places along each edge of the artwork's box
SLOWER = 0.03  # of its speed that a surface may run slower before it is told
CLOSES = 0.05  # mm


def report_goods(draft: Draft, piece: Piece, ticket: Ticket, work: Work) -> None:
    """Figures and notes of a piece on a round thing."""
    goods = piece.goods
    if not isinstance(goods, OnRound) or piece.id not in work.pieces:
        return
    composed = work.pieces[piece.id].value
    try:
        bend = bend_of(Bending.of(goods), composed.box)
    except NibbleError:  # told at Lines
        return
    here = f"pieces/{piece.id}/goods"
    draft.figures += [(said, words) for said, words in _widened(bend, composed.box)]
    if any(layer.prints.kind == "the client’s page" for layer in piece.layers):
        text = f"To be bent, the client’s page becomes pixels, {PRINT_PPI:.0f} an inch: its inks are mixed anew."
        draft.notes.append(Note(text, "Print its shapes to keep lines sharp.", here, LOOK))
    draft.notes += [
        *_over_itself(goods, bend, composed, here),
        *_away(piece, goods, bend, composed, here, ticket),
        *_closing(piece, goods, bend, composed, ticket),
    ]


def _widened(bend: Bend, box: Box) -> Iterator[tuple[str, str]]:
    """How much wider artwork became on the wall, in its middle, and at its top against its bottom, as the trade says
    it; and how high it is along the wall."""
    x = np.linspace(box.left, box.right, STEPS)

    def wide(y: float) -> float:
        places = bend.look.onto(np.column_stack([x, np.full(STEPS, y)]) - bend.middle)
        return float(np.ptp(places[:, 0])) * float(bend.wall.radius_along(places[STEPS // 2, 1]))

    top, middle, bottom = (wide(y) for y in (box.top, bend.middle[1], box.bottom))
    yield f"{100 * middle / max(box.width, 1e-9):.1f} %", "of its width on the wall"
    if abs(top - bottom) > 0.001 * middle:
        yield f"{100 * top / middle:.1f} to {100 * bottom / middle:.1f} %", "of that, from its top to its bottom"
    ends = bend.look.onto(np.array([[bend.middle[0], box.top], [bend.middle[0], box.bottom]]) - bend.middle)
    yield f"{ends[1, 1] - ends[0, 1]:.1f}", "mm high along the wall"


def _outline(composed: PieceResult) -> Points:
    """Places round all that a piece shows."""
    return np.asarray(shapely.get_coordinates(shapely.segmentize(composed.whole, 0.5)), float)


def _facing_away(goods: OnRound, bend: Bend, points: Points) -> float:
    """The most that any place faces away from an eye before the middle, degrees."""
    places = bend.look.onto(points - np.array(bend.middle))
    eye = math.inf
    if goods.seen.distance is not None:
        eye = float(bend.wall.radius_at(goods.faces.below)) + goods.seen.distance
    heights = bend.wall.height_along(places[:, 1])
    away = bend.wall.turned_away(eye, places[:, 0], heights, goods.faces.below)
    return math.degrees(float(away.max())) if len(away) else 0.0


def _away(piece: Piece, goods: OnRound, bend: Bend, composed: PieceResult, here: str, ticket: Ticket) -> Iterator[Note]:
    """Work that nobody who looks at its middle can see well, with the largest size that can be."""
    points = _outline(composed)
    if (
        not len(points)
        or is_band(goods.made)
        or (goods.faces.around != "once" and goods.seen.truth != "true to the eye")
    ):
        return  # what goes all round is looked at from all round
    most, worst = goods.seen.most_away, _facing_away(goods, bend, points)
    if worst <= most:
        return
    low, high = 0.01, 1.0
    middle = np.array(bend.middle)
    for _ in range(30):
        share = (low + high) / 2
        fits = _facing_away(goods, bend, middle + (points - middle) * share) <= most
        low, high = (share, high) if fits else (low, share)
    wide = math.floor(10 * low * composed.box.width) / 10
    yield Note(
        f"“{piece.name}” faces away by {worst:.0f}° at its sides, more than {most:g}°: who looks at its middle hardly "
        f"sees them. At {format_number(wide, 1)} mm wide it would not.",
        "Make it smaller, or let it face away further.", f"{here}/seen", LOOK, scaled_artwork(piece, low, ticket),
    )  # fmt: skip


def _over_itself(goods: OnRound, bend: Bend, composed: PieceResult, here: str) -> Iterator[Note]:
    """Artwork of a band that is wider than its wall is round."""
    around = 2 * math.pi * float(bend.wall.radius_at(goods.faces.below))
    wide = composed.box.width
    if is_band(goods.made) and isinstance(goods.made, Label) and wide > around + goods.made.lap + 2 * BLEEDS:
        said = f"It is {wide:.0f} mm wide and goes round {around:.0f} mm: beyond a whole turn it lies over itself."
        yield Note(said, "", here)


def _closing(piece: Piece, goods: OnRound, bend: Bend, composed: PieceResult, ticket: Ticket) -> Iterator[Note]:
    """Where a band meets itself, and the size at which its gaps are what was asked for."""
    points = _outline(composed)
    if goods.faces.around != "as a band" or not len(points):
        return
    angle = bend.look.onto(points - np.array(bend.middle))[:, 0]
    spread, radius = float(np.ptp(angle)), float(bend.wall.radius_at(goods.faces.below))
    times = len(repeats(goods.faces, (float(angle.min()), float(angle.max())), radius))
    gap = (2 * math.pi / times - spread) * radius
    here = f"pieces/{piece.id}/goods/faces"
    if abs(gap - goods.faces.gap) <= CLOSES:
        yield Note(f"It goes round {times} times and meets itself.", where=here)
        return
    share = (2 * math.pi / times - goods.faces.gap / radius) / spread
    yield Note(
        f"It goes round {times} times with gaps of {gap:.2f} mm; at {100 * share:.1f} % of its size they would be "
        f"{goods.faces.gap:g} mm.",
        "", here, LOOK if gap > goods.faces.gap + 1 else "told", scaled_artwork(piece, share, ticket),
    )  # fmt: skip


def report_turned(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    """Facts of a sheet that is the wall of things which are turned."""
    if sheet.id not in work.sheets:
        return
    laid, stock = work.sheets[sheet.id].laid.value, sheet.stock
    places = "one place" if laid.copies == 1 else f"{laid.copies} places"
    draft.fact = f"{laid.times} to turn, {places} on each"
    angles = [360 * (one.at.e / laid.width) for one in laid.placements]
    draft.figures += [
        (f"{laid.width:.1f}", "mm round the ring that turns are counted at"),
        (f"{laid.height:.1f}", "mm from rim to foot"),
        (" and ".join(f"{angle:.0f}°" for angle in angles[:4]), "from the handle or seam"),
    ]
    if stock.price:
        draft.figures.append((f"{laid.times * stock.price:.2f} {MONEY}", "cost of the things"))
    for held in sheet.holds:
        goods = ticket.goods_of(held.layer)
        if goods is not None and isinstance(goods.made, Made) and held.layer in work.layers:
            here = f"pieces/{ticket.piece_of_layer(held.layer).id}/goods/made"
            draft.notes += _burnt_unevenly(goods, goods.made, sheet.machine, held.layer, work, here)


def _burnt_unevenly(goods: OnRound, made: Made, machine: Machine, layer: str, work: Work, here: str) -> Iterator[Note]:
    """Out of focus, or slower than said, where the wall is narrower than its ring."""
    wall = wall_of(goods.thing.wall)
    chart = turning_of(made, wall)
    box = work.layers[layer].laid.value.box
    heights = wall.height_along(chart.lift(np.array([[0.0, box.top], [0.0, box.bottom]]))[:, 1])
    radii = wall.radius_at(np.linspace(float(heights[0]), float(heights[1]), STEPS))
    lean = math.degrees(math.atan(wall.slope_at(goods.faces.below)))
    if chart.levelled and abs(lean) >= 0.05:
        end = "foot" if lean < 0 else "rim"
        yield Note(f"Raise its {end} until the axis leans by {abs(lean):.1f}°: then its wall lies level.", where=here)
    elif not chart.levelled:
        sag = float(np.ptp(radii))
        depth = machine.head_as(BeamHead).focus_depth
        if sag > depth:
            mends = (setting("Lay its wall level", f"{here}/level", "with its wall level"),) if wall.is_cone else ()
            yield Note(
                f"Along this work the wall falls by {sag:.1f} mm; the beam is sharp over {depth:g} mm.",
                f"Tilt it by {abs(lean):.1f}°." if wall.is_cone else "Focus at half of it, and make it lower.",
                here, LOOK, mends,
            )  # fmt: skip
    slowest = float(radii.min()) / chart.radius
    if slowest < 1 - SLOWER and made.power == "the same all over":
        yield Note(
            f"Where it is narrow the wall runs at {100 * slowest:.0f} % of the speed that is said, and is burnt so "
            "much deeper.",
            "Give it less power there.", here, LOOK,
            (setting("Less power where it is narrow", f"{here}/power", "less where it is narrow"),),
        )  # fmt: skip
