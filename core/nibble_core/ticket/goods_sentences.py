"""What a piece that goes on a round thing says of itself."""

from __future__ import annotations

from collections.abc import Iterable

from nibble_core.ticket.goods import Faces, Label, Made, OnFlat, OnRound, Seen
from nibble_core.ticket.library import Library
from nibble_core.ticket.piece import Piece
from nibble_core.ticket.saying import Choice, Parts, Sentence, Slot, slot


def goods_sentences(piece: Piece, library: Library) -> Iterable[Sentence]:
    """Of a piece on a flat thing: on which, where, in which colour. Of one on a round thing: on which, made how, bent
    how, lying where."""
    goods, here = piece.goods, f"pieces/{piece.id}/goods"
    if isinstance(goods, OnFlat):
        usual = f" ({goods.thing.down:g} mm)" if goods.down is None else ""
        yield Sentence(f"{piece.id}-thing", "lines", (
            "It goes on ", slot(f"pieces/{piece.id}", piece, "goods"), ", ", slot(here, goods, "down"),
            f"{usual} {goods.thing.rule}, ", slot(here, goods, "colour"), ".",
        ))  # fmt: skip
    if not isinstance(goods, OnRound):
        return
    made: Parts = ("It goes on ", slot(f"pieces/{piece.id}", piece, "goods"), ", the ", _thing(here, goods, library),
                   ", ", slot(here, goods, "made"))  # fmt: skip
    own = goods.made
    if isinstance(own, Label):
        made = (*made, ", ", slot(f"{here}/made", own, "edge"))
        if own.edge == "cut as a band all round":
            made = (*made, " from ", slot(f"{here}/made", own, "upper"), " to ", slot(f"{here}/made", own, "lower"),
                    " below the rim, with a lap of ", slot(f"{here}/made", own, "lap"))  # fmt: skip
    yield Sentence(f"{piece.id}-goods", "lines", (*made, "."))
    yield Sentence(f"{piece.id}-bent", "lines", *_bent(f"{here}/seen", goods.seen))
    yield Sentence(f"{piece.id}-faces", "lines", _faces(f"{here}/faces", goods.faces))


def held_sentence(piece: Piece, sheet: str) -> Sentence | None:
    """How a thing lies in the machine that turns it, at its sheet; None of what is not turned."""
    goods, here = piece.goods, f"pieces/{piece.id}/goods/made"
    if not isinstance(goods, OnRound) or not isinstance(goods.made, Made):
        return None
    own = goods.made
    more: Parts = (" Its power is ", slot(here, own, "power"), ".")
    said, plain = _held(here, own), own.power == "the same all over"
    return Sentence(
        f"{sheet}-held", "sheet", said if plain else (*said, *more), more if plain else (), about=sheet
    )  # fmt: skip


def _thing(here: str, goods: OnRound, library: Library) -> Slot:
    """The thing, among the round ones of the shop."""
    things = [one for one in library.stocks if one.is_round]
    choices = tuple(Choice(one.key, one.name, _measures(one.wall.shape)) for one in things)
    return Slot(f"{here}/thing", "choice", goods.thing.key, goods.thing.name, "thing", choices=choices)


def _measures(shape: str) -> str:
    return f"Its wall is {shape}."


def _bent(here: str, seen: Seen) -> tuple[Parts, Parts]:
    parts: Parts = ("Bend it ", slot(here, seen, "truth"))
    if seen.truth == "true to the eye":
        parts = (*parts, ", seen from ", slot(here, seen, "distance"), " before it")
    elif seen.truth == "stretched by hand":
        parts = (*parts, ", to ", slot(here, seen, "top"), " of its width at the top and ",
                 slot(here, seen, "bottom"), " at the bottom")  # fmt: skip
    return (*parts, "."), (" Say so where it faces away by more than ", slot(here, seen, "most_away"), ".")


def _faces(here: str, faces: Faces) -> Parts:
    parts: Parts = ("Its middle lies ", slot(here, faces, "below"), " below the rim, facing ",
                    slot(here, faces, "facing"))  # fmt: skip
    if faces.facing == "a stated angle":
        parts = (*parts, ", ", slot(here, faces, "at"))
    parts = (*parts, ", ", slot(here, faces, "around"))
    if faces.around == "at equal angles":
        parts = (*parts, ", ", slot(here, faces, "times"), " times")
    elif faces.around == "at stated angles":
        parts = (*parts, ": ", slot(here, faces, "angles"), " degrees on")
    elif faces.around == "as a band":
        parts = (*parts, " with gaps of ", slot(here, faces, "gap"), " at least")
    return (*parts, ".")


def _held(here: str, made: Made) -> Parts:
    parts: Parts = ("It lies ", slot(here, made, "level"), ", and rollers touch it at ", slot(here, made, "ring"))
    return (*parts, "." if made.ring is None else " across.")
