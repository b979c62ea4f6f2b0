"""What the Lines station says: how elements join, what the lines do, and what the checks found."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial

from nibble_core.checks.lines import Finding
from nibble_core.geometry import Box, Point
from nibble_core.geometry.units import format_number
from nibble_core.lines.composing import Join, Taker
from nibble_core.lines.hanging import Hanging
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.examine import Examined
from nibble_core.pipeline.falling import Fallen
from nibble_core.pipeline.joining import joining_bars
from nibble_core.pipeline.lines import DrawnLine, LayerResult
from nibble_core.pipeline.notes import LOOK, Draft, Mend, Note, setting
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sources import named_inks
from nibble_core.processes import ENGRAVE, FILM, GUIDE, KISS_CUT, PIECE, PROCESSES, THROUGH_CUT, frees
from nibble_core.text import set_line, shipped_font
from nibble_core.text.lettering import STRAIGHT
from nibble_core.ticket import Change, to_plain
from nibble_core.ticket.line import AS_THEY_ARE, ChosenColours, Cut
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Element, Layer, Lettering, Piece
from nibble_core.ticket.piece_sentences import element_name

LEVEL = 0.5  # degrees a piece may hang askew without a word
MOST_INKS = 8


def report_lines(draft: Draft, piece: Piece, ticket: Ticket, work: Work) -> None:
    """Fill in the station's fact, notes and figures of one piece."""
    layers = [work.layers[layer.id].drawn.value for layer in piece.layers if layer.id in work.layers]
    if not layers:
        return
    drawn = [line for layer in layers for line in layer.lines]
    draft.fact = "1 line" if len(drawn) == 1 else f"{len(drawn)} lines"
    if piece.id in work.pieces:
        _piece(draft, piece, work.pieces[piece.id].value, ticket)
    for layer in piece.layers:
        if layer.id in work.layers:
            _layer(draft, ticket, piece, layer, work)
    _figures(draft, piece, work, layers, drawn)


def _in_many_scripts(element: Element, where: str) -> tuple[Mend, ...]:
    """The font of many scripts for words whose own has not all their letters, where that has."""
    content, kind = element.content, "many scripts"
    if not isinstance(content, Lettering) or content.font == kind:
        return ()
    if set_line(shipped_font(kind), content.words, content.cap_height).missing:
        return ()
    return (setting("Set it in one that has them", f"{where}/content/font", kind),)


def _fallen(fallen: Fallen, element: Element, here: str) -> Note:
    """Words that reach beyond what they are cut out of, and what brings them within it."""
    where = f"{here}/elements/{element.id}"
    words = element.content.words if isinstance(element.content, Lettering) else ""

    def placed(by: tuple[float, float]) -> list[Change]:
        (x, y), (dx, dy) = fallen.middle, by
        values = {"across": "centred", "down": "centred", "x": round(x + dx, 2), "y": round(y + dy, 2)}
        return [Change(f"{where}/{name}", value) for name, value in values.items()]

    mends = []
    if fallen.moved is not None:
        mends.append(Mend("Move it in", tuple(placed(fallen.moved))))
    if fallen.smaller is not None and isinstance(element.content, Lettering):
        own, share = element.content, fallen.smaller
        size = Change(f"{where}/content/cap_height", math.floor(10 * own.cap_height * share) / 10)
        if own.along != STRAIGHT:
            size = Change(f"{where}/scale", math.floor(1000 * element.scale * share) / 1000)
        mends.append(Mend("Make it smaller", (size, *placed(fallen.smaller_moved))))
    return Note(
        f"{fallen.lost} of the {fallen.of} outlines of “{words}” reach beyond the shape that they are cut out of: "
        "what lies outside is lost.",
        "Make the words smaller, or move them in.", where, LOOK, tuple(mends),
    )  # fmt: skip


def _piece(draft: Draft, piece: Piece, composed: PieceResult, ticket: Ticket) -> None:
    here = f"pieces/{piece.id}"
    names = {artwork.id: artwork.name for artwork in ticket.artworks}
    elements = {element.id: element for element in piece.elements}
    for id, what, to_do in composed.words:
        mends = _in_many_scripts(elements[id], f"{here}/elements/{id}")
        draft.notes.append(Note(what, to_do, f"{here}/elements/{id}", LOOK, mends))
    draft.notes += [_fallen(one, elements[one.element], here) for one in composed.fallen]
    for join in composed.composed.joins:
        element = elements[join.id]
        draft.notes.append(_joined(join, element, element_name(element, names), f"{here}/elements/{join.id}"))
    draft.notes += [
        _takes_nothing(element_name(elements[taker.id], names), f"{here}/elements/{taker.id}", taker)
        for taker in composed.composed.takers if not taker.meets
    ]  # fmt: skip
    nested = composed.composed.nested
    if nested and len(piece.elements) > 1:
        lie = "lies" if nested == 1 else "lie"
        draft.notes.append(Note(f"{_count(nested, 'shape')} {lie} inside another shape.", where=here))
    if piece.stencil.kind == "a stencil":
        draft.notes += _stencil(piece, composed, f"{here}/stencil")
    _inks(draft, piece, composed, ticket)


def _joined(join: Join, element: Element, called: str, where: str) -> Note:
    """Whether an element that is to be joined touches the rest."""
    capital = f"{called[:1].upper()}{called[1:]}"
    if not join.short:
        touches = f"{_verb(called, 'touches', 'touch')} in {_count(join.touches, 'place')}"
        return Note(f"{capital} {touches}.", where=where)
    gap, place = join.short[0]
    several = len(join.short) > 1
    many = f"{len(join.short)} parts of {called} do" if several else f"{capital} {_verb(called, 'does', 'do')}"
    touches = f"It touches in {_count(join.touches, 'place')}. " if join.touches else ""
    widen = round(element.widen + gap + 0.1, 2)
    mends = (
        setting(f"Widen it by {widen:g} mm", f"{where}/widen", widen),
        setting("Let it lie apart", f"{where}/way", "apart"),
    )
    said = f"{many} not touch the rest: the furthest falls short by {gap:.2f} mm."
    return Note(said, f"{touches}Move it, or widen it.", where, LOOK, mends, (place.x, place.y))


def _stencil(piece: Piece, composed: PieceResult, where: str) -> list[Note]:
    """Whether bridges hold what would fall out."""
    if composed.islands:
        said = f"{_count(composed.islands, 'island')} would fall out of the stencil."
        return [Note(said, "Set more bridges.", where, LOOK)]
    if not composed.bridges:
        return []
    width = format_number(piece.stencil.width)
    return [Note(f"{_count(len(composed.bridges), 'bridge')} of {width} mm hold every island.", where=where)]


def _takes_nothing(called: str, where: str, taker: Taker) -> Note:
    """Of an element that is to take something away and meets nothing."""
    middle = (Change(f"{where}/across", "centred"), Change(f"{where}/down", "centred"),
              Change(f"{where}/x", 0.0), Change(f"{where}/y", 0.0))  # fmt: skip
    place, takes = taker.area.centroid, _verb(called, "takes", "take")
    return Note(
        f"{called[:1].upper()}{called[1:]} {takes} nothing away: the rest of the piece lies elsewhere.",
        "Drag it onto the piece.", where, LOOK,
        (Mend("Set it in the middle", middle), setting("Join it instead", f"{where}/way", "joined")),
        None if place.is_empty else (float(place.x), float(place.y)),
    )  # fmt: skip


def _inks(draft: Draft, piece: Piece, composed: PieceResult, ticket: Ticket) -> None:
    """Inks and layers of a client's paths that no line uses yet, each with what its name may mean."""
    used = {(one.colour, one.named) for layer in piece.layers for line in layer.lines
            if isinstance(line.source, ChosenColours) for one in line.source.colours}  # fmt: skip
    layer = piece.layers[0] if piece.layers else None
    for number, (colour, name) in enumerate(named_inks(composed)[:MOST_INKS]):
        if layer is None or (colour, name) in used:
            continue
        meant = next((key for key, one in reversed(PROCESSES.items()) if any(w in name.lower() for w in one.meant)), "")
        sheets = ticket.sheets_of(layer.id)
        liner = all(sheet.stock.liner for sheet in sheets)
        usual = [KISS_CUT, THROUGH_CUT] if liner else [THROUGH_CUT]
        wanted = (
            [meant]
            if meant
            else [own for own in (*usual, ENGRAVE) if all(sheet.machine.makes(own) for sheet in sheets)]
        )
        add = partial(_ink_line, piece.id, layer, colour=colour, name=name, number=number)
        draft.notes.append(
            Note(
                f"The client’s “{name}” ({colour}) follows no line yet.", "Say what it is, once.",
                f"pieces/{piece.id}/layers/{layer.id}",
                mends=(
                    *(Mend(f"It is {PROCESSES[process].called}", (add(process),)) for process in wanted),
                    Mend("It is only printed", (add(GUIDE, on=False),)),
                ),
            )
        )  # fmt: skip


def _ink_line(
    piece: str, layer: Layer, process: str, *, colour: str, name: str, number: int, on: bool = True
) -> Change:
    """A line along a client's ink; one that is off only says that the ink is known."""
    taken = {line.id for line in layer.lines}
    id = next(f"ink{n}" for n in range(number, 1000) if f"ink{n}" not in taken)
    line = {
        "id": id, "process": process, "offset": to_plain(AS_THEY_ARE), "name": name[:60], "on": on,
        "source": {"kind": "chosen colours", "colours": [{"id": f"{id}c", "colour": colour, "named": name}]},
    }  # fmt: skip
    return Change(f"pieces/{piece}/layers/{layer.id}/lines", line, "add")


def _layer(draft: Draft, ticket: Ticket, piece: Piece, layer: Layer, work: Work) -> None:
    here = f"pieces/{piece.id}/layers/{layer.id}"
    result: LayerResult = work.layers[layer.id].drawn.value
    if not result.lines and not result.failed:
        behind = [sheet.behind for sheet in ticket.sheets_of(layer.id)]
        if behind and all(behind):
            draft.notes.append(Note("Nothing is cut from behind yet.", "Add a line for what is.", here))
        else:
            draft.notes.append(Note("No line is switched on: nothing will be cut.", "Add a line.", here, LOOK))
    for line in result.lines:
        draft.notes += _line(line, layer, piece, f"{here}/lines/{line.id}")
    if result.hanging is not None:
        draft.notes.append(_hanging(result.hanging, piece, f"pieces/{piece.id}/hanger"))
    told: list[Note] = []
    for examined in work.layers[layer.id].examined:
        told += [note for note in _examined(piece, layer, examined.value, work) if note not in told]
    draft.notes += told


def _line(line: DrawnLine, layer: Layer, piece: Piece, where: str) -> Iterator[Note]:
    """What became of one line."""
    copies = max(1, sum(element.rows * element.columns for element in piece.elements))
    if len(line.regions) > copies and frees(line.process) in (PIECE, FILM):
        if line.name or any(own.id == line.id and own.source.kind != "the outer shape" for own in layer.lines):
            yield Note(f"The {line.process} encloses {len(line.regions)} areas.", where=where)
        else:
            said = f"The {line.process} makes {len(line.regions)} separate pieces."
            to_do = "Close wider gaps or cut further out to join them, or drop what is not wanted."
            yield Note(said, to_do, where, LOOK)
    if line.leftovers:
        yield Note(f"{_count(line.leftovers, 'small part')} fell away by rule.", where=where)
    if line.led:
        clear = next(own.process.clearance for own in layer.lines
                     if own.id == line.id and isinstance(own.process, Cut))  # fmt: skip
        said = f"The {line.process} is led round other lines in {_count(line.led, 'place')}, {clear:g} mm clear."
        mend = setting("Let it cross", f"{where}/process/crossings", "may cross")
        yield Note(said, where=where, mends=(mend,))
    if line.dashes:
        yield Note(f"{_count(line.dashes, 'dash', 'es')}, no tie at a corner.", where=where)


def _hanging(hung: Hanging, piece: Piece, where: str) -> Note:
    """How a piece hangs by its hole."""
    wall, place = f"{hung.wall:.2f} mm of material round the hole", (hung.place.x, hung.place.y)
    if abs(hung.tilt) > LEVEL:
        said = f"It hangs {abs(hung.tilt):.1f}° askew; {wall}."
        level = Mend("Hang it level", (Change(f"{where}/place", []),))
        return Note(said, "Hang it straight above its balance point.", where, LOOK, (level,), place)
    if hung.wall < piece.hanger.wall - 0.01:
        to_do = f"{piece.hanger.wall:g} mm are wanted. Move it, or make the hole smaller."
        return Note(f"Only {wall}.", to_do, where, LOOK, place=place)
    return Note(f"It hangs level, with {wall}.", where=where)


def _examined(piece: Piece, layer: Layer, examined: Examined, work: Work) -> Iterator[Note]:
    here = f"pieces/{piece.id}/layers/{layer.id}"
    for element, finding in examined.findings:
        where = (
            f"pieces/{piece.id}/elements/{element}"
            if element
            else f"{here}/lines/{finding.line}"
            if finding.line
            else here
        )
        note = _note(finding, where)
        if finding.bars:
            distance = next((line.offset.distance for line in layer.lines if line.id == finding.line), 0.0)
            changes = joining_bars(piece, work.pieces[piece.id].value, finding.bars, distance)
            joined = "Join it by a bar" if len(finding.bars) == 1 else f"Join them by {len(finding.bars)} bars"
            note = replace(note, mends=(Mend(joined, changes), *note.mends))
        yield note
    worst = examined.worst
    if worst is not None and worst.widest > 0.005:
        needed = round(worst.needed + 0.05, 1)
        place = None if worst.where is None else (worst.where.x, worst.where.y)
        yield Note(
                f"If the cut is {worst.error:g} mm off, white slivers up to {worst.widest:.2f} mm wide show.",
                f"A bleed of {needed:g} mm leaves none.", f"{here}/prints/bleed", LOOK,
                (setting(f"Bleed {needed:g} mm", f"{here}/prints/bleed", needed),), place,
        )  # fmt: skip


def _note(finding: Finding, where: str) -> Note:
    mends: tuple[Mend, ...] = ()
    if finding.mend is not None:
        label, field, value = finding.mend
        mends = (setting(label, f"{where}/{field}", value),)
    place = None if finding.place is None else (finding.place.x, finding.place.y)
    more = tuple((other.x, other.y) for other in finding.more_places)
    return Note(finding.text, finding.what_to_do, where, finding.weight, mends, place, more_places=more)


def _figures(draft: Draft, piece: Piece, work: Work, layers: Sequence[LayerResult], drawn: Sequence[DrawnLine]) -> None:
    for process in PROCESSES:
        length = sum(line.length for line in drawn if line.process == process)
        if length:
            draft.figures.append((f"{length:.0f} mm", process))
    if drawn:
        draft.figures.append((str(sum(line.nodes for line in drawn)), "nodes"))
        box = Box.around([layer.box for layer in layers])
        draft.figures.append((f"{box.width:.1f} × {box.height:.1f}", "mm, the piece"))
    known = [work.layers[layer.id] for layer in piece.layers if layer.id in work.layers]
    examined = [one.value for layer in known for one in layer.examined[:1]]
    necks = [one.neck.width for one in examined if one.neck is not None]
    if necks:
        draft.figures.append((f"{min(necks):.1f} mm", "thinnest neck"))
    for layer in layers:
        if layer.hanging is not None:
            draft.figures.append((_place(layer.hanging.balance), "balance point, mm"))


def _place(point: Point) -> str:
    return f"{point.x:.1f}, {point.y:.1f}"


def _verb(called: str, one: str, several: str) -> str:
    """The form of a verb that goes with an element's name."""
    return several if called.startswith("the words") else one


def _count(number: int, what: str, plural: str = "s") -> str:
    return f"{number} {what}{'' if number == 1 else plural}"
