"""The ticket says itself: rows of words and slots, the same on screen, on paper and in tests."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from nibble_core.geometry.units import say_length
from nibble_core.processes import CROSS_CUT, SHAPE, WEED_CUT, parts, takes
from nibble_core.ticket.artwork_sentences import artwork_sentences
from nibble_core.ticket.goods_sentences import held_sentence
from nibble_core.ticket.heads import BeamHead, ByBeam, ByKnife, Head, KnifeHead, RouterHead
from nibble_core.ticket.library import STARTING, Library
from nibble_core.ticket.model import Machine, Setting, Sheet, Stock, Ticket
from nibble_core.ticket.piece import Lettering
from nibble_core.ticket.piece_sentences import piece_sentences
from nibble_core.ticket.saying import STATIONS, Choice, Sentence, Slot, library_slot, slot
from nibble_core.ticket.turners import Chuck, Rollers

__all__ = ["STATIONS", "Choice", "Sentence", "Slot", "sentences"]


def sentences(ticket: Ticket, library: Library = STARTING) -> list[Sentence]:
    """Every sentence of the job, in the order of the stations. library: what stocks and machines can be chosen from."""
    said = [
        Sentence(
            "job", "artwork",
            ("Job ", slot("", ticket, "name"), " for ", slot("", ticket, "client"),
             ", due ", slot("", ticket, "due"), "."),
        )
    ]  # fmt: skip
    for artwork in ticket.artworks:
        said += [replace(sentence, about=artwork.id) for sentence in artwork_sentences(artwork)]
    for piece in ticket.pieces:
        names = {artwork.id: artwork.name for artwork in ticket.artworks}
        said += [replace(sentence, about=piece.id) for sentence in piece_sentences(piece, names, library)]
    for sheet in ticket.sheets:
        if ticket.turns(sheet):
            said += _turned(sheet, ticket)
        else:
            said += _second_side(sheet, ticket, library) if sheet.behind else _sheet(sheet, ticket, library)
        said += _machine(sheet, ticket, library)
        said += _colours(sheet, ticket)
    order = {station: index for index, station in enumerate(STATIONS)}
    # items of different layers or artworks may share an id; their paths never do
    told = [replace(sentence, id=sentence.owner or sentence.id) for sentence in said]
    return sorted(told, key=lambda sentence: order[sentence.station])


def sought_by(ticket: Ticket) -> str:
    """What a ticket says that somebody would look for it by, beside its name and client: words set in type, files,
    pieces, stocks and machines."""
    elements = [element.content for piece in ticket.pieces for element in piece.elements]
    said = [
        *(content.words for content in elements if isinstance(content, Lettering)),
        *(piece.name for piece in ticket.pieces), *(artwork.name for artwork in ticket.artworks),
        *(name for sheet in ticket.sheets for name in (sheet.stock.name, sheet.machine.name)),
    ]  # fmt: skip
    return "\n".join(dict.fromkeys(said))


def sheet_name(sheet: Sheet, ticket: Ticket) -> str:
    """What tells a sheet from the others of its job: its number, piece and layer; nothing where it is the only one."""
    if len(ticket.sheets) == 1:
        return ""
    first = copies_name(sheet.holds[0].layer, ticket)
    more = f" and {len(sheet.holds) - 1} more" if len(sheet.holds) > 1 else ""
    behind = f", behind sheet {ticket.number(ticket.first_side(sheet))}" if sheet.behind else ""
    return f"sheet {ticket.number(sheet)}{behind}, {first}{more}"


def copies_name(layer: str, ticket: Ticket) -> str:
    """What the copies of a layer are called: their piece, and their layer where it has several."""
    piece, own = ticket.piece_of_layer(layer), ticket.layer(layer)
    return f"{piece.name}, {own.name}" if len(piece.layers) > 1 and own.name else piece.name


def _sheet(sheet: Sheet, ticket: Ticket, library: Library) -> Iterable[Sentence]:
    yield _lay(sheet, ticket, library)
    yield _marks(sheet, ticket)
    margin = (sheet.stock.width - sheet.stock.usable_width) / 2
    if sheet.stock.kind == "a sheet" and ticket.prints_on(sheet):
        said = f"Print its pages as large as they are, {say_length(margin)} from the left and upper edges of the stock."
        yield Sentence(f"{sheet.id}-page", "sheet", (said,), about=sheet.id)
    yield from _weeding(sheet)
    facing = slot(f"sheets/{sheet.id}", sheet, "facing")
    if sheet.stock.mirrored:
        yield _mirror(sheet, "Mirrored, because this film is pressed on its face.")
    elif sheet.is_mirrored:
        yield _mirror(sheet, "Lay it ", facing, ": it is turned over, or seen from behind.")
    else:
        yield replace(_mirror(sheet, "Not mirrored."), more=(" Lay it ", facing, "."))


def _lay(sheet: Sheet, ticket: Ticket, library: Library) -> Sentence:
    """How many of what lie on a sheet, and how."""
    here = f"sheets/{sheet.id}"
    on = (" on ", _stock_slot(sheet, library), ", ", slot(here, sheet, "spacing"), " apart")
    way = slot(here, sheet, "arrangement")
    if not sheet.placed:  # what nobody has put anywhere cannot lie where it was put
        way = replace(way, choices=tuple(one for one in way.choices if one.value != "as placed"))
    often = (", ", slot(here, sheet, "runs"), " times over") if sheet.runs > 1 else ()
    where = (", ", way, *often, ".") if sheet.arrangement == "as placed" else (", in ", way, ".")
    more: tuple[str | Slot, ...] = ()
    if sheet.amount != "a full sheet":
        spare = () if sheet.spares else (", with ", slot(here, sheet, "spares"), " spare of each")
        more = (" Lay ", slot(here, sheet, "amount"), *spare, ".")
    cuts = (" Cut them ", slot(here, sheet, "shared"), ".")
    touching = not sheet.spacing or sheet.shared != "each on its own"
    where, more = ((*where, *cuts), more) if touching else (where, (*more, *cuts))
    wide = (" Work wider than the stock is made as ", slot(here, sheet, "panels"))
    lap: tuple[str | Slot, ...] = ()
    if sheet.panels != "one sheet":
        lap = (", overlapping by ", slot(here, sheet, "panel_overlap"), ", each seam moved by up to ",
               slot(here, sheet, "seam_reach"), " into a gap between shapes")  # fmt: skip
    more = (*more, *wide, *lap, ".", " When nested, copies are turned ", slot(here, sheet, "turns"))
    more = (*more, ", ", slot(here, sheet, "together"), ".") if len(sheet.holds) > 1 else (*more, ".")
    return Sentence(f"{sheet.id}-lay", "sheet", (*_counted(sheet, ticket), *on, *where), more, about=sheet.id)


def _counted(sheet: Sheet, ticket: Ticket) -> list[str | Slot]:
    """“Lay 60 kite and 20 badge and 2 spare of each”."""
    here, name = f"sheets/{sheet.id}", sheet_name(sheet, ticket)
    laid: list[str | Slot] = [f"{name[:1].upper()}{name[1:]}: lay " if name else "Lay "]
    for number, held in enumerate(sheet.holds):
        piece = ticket.piece_of_layer(held.layer)
        last = number == len(sheet.holds) - 1
        laid += ["" if not number else " and " if last else ", "]
        if sheet.own_quantity is None:
            laid += [slot(f"pieces/{piece.id}", piece, "quantity")]
        elif not number:
            laid += [slot(here, sheet, "own_quantity"), " each of" if len(sheet.holds) > 1 else " more"]
        laid += [f" {copies_name(held.layer, ticket)}"] if len(sheet.holds) > 1 else []
    if sheet.amount == "a full sheet":
        return [laid[0], slot(here, sheet, "amount"), " for ", *laid[1:]]
    if sheet.spares:
        laid += [" and ", slot(here, sheet, "spares"), " spare of each" if len(sheet.holds) > 1 else " spare"]
    return laid


def _marks(sheet: Sheet, ticket: Ticket) -> Sentence:
    """The marks round a sheet, what is printed beside them, and how large."""
    here = f"sheets/{sheet.id}"
    pairs: tuple[str | Slot, ...] = ()
    if not ticket.prints_on(sheet):
        marks: tuple[str | Slot, ...] = ("Nothing is printed, so it has no registration marks.",)
        return Sentence(f"{sheet.id}-marks", "sheet", marks, about=sheet.id)
    if not sheet.marks:
        marks = ("Put ", slot(here, sheet, "marks"), " registration marks round them: it is laid by eye.")
    else:
        marks = (
            "Put ", slot(here, sheet, "marks"), " registration marks round them, ",
            slot(here, sheet, "mark_shape"), " ", slot(here, sheet, "mark_diameter"),
            " across, ", slot(here, sheet, "mark_gap"), " from the work. Print ",
            slot(here, sheet, "caption"), " beside it.",
        )  # fmt: skip
        pairs = (" Add pairs along its longer sides so that marks are at most ", slot(here, sheet, "mark_every"),
                 " apart (0: no pairs). Beside the first mark put ", slot(here, sheet, "mark_key"), ".")  # fmt: skip
    marks, pairs = _with_print_size(sheet, marks, pairs)
    return Sentence(f"{sheet.id}-marks", "sheet", marks, pairs, about=sheet.id)


def _weeding(sheet: Sheet) -> Iterable[Sentence]:
    """Borders and lines for the waste, and the cut behind it."""
    here = f"sheets/{sheet.id}"
    border: tuple[str | Slot, ...] = ("Cut ", slot(here, sheet, "border"))
    if sheet.border != "no weed border":
        border = (*border, ", ", slot(here, sheet, "border_distance"), " away")
    border = (*border, " and ", slot(here, sheet, "weed_lines"))
    if sheet.weed_lines != "no weed lines":
        border = (*border, " into pieces of ", slot(here, sheet, "weed_size"), " at most, ",
                  slot(here, sheet, "weed_clear"), " clear of the copies")  # fmt: skip
    weeds = sheet.border != "no weed border" or sheet.weed_lines != "no weed lines"
    off = (" At the end of a roll, ", slot(here, sheet, "cross_cut"), ".")
    yield Sentence(
        f"{sheet.id}-border", "sheet", (*border, "."), off if sheet.cross_cut == "no cross-cut" else (),
        process=WEED_CUT if weeds else "", about=sheet.id,
    )  # fmt: skip
    if sheet.cross_cut != "no cross-cut":
        yield Sentence(
            f"{sheet.id}-cross", "sheet", ("Make ", slot(here, sheet, "cross_cut"), "."), process=CROSS_CUT,
            about=sheet.id,
        )  # fmt: skip


def _mirror(sheet: Sheet, *parts: str | Slot) -> Sentence:
    return Sentence(f"{sheet.id}-mirror", "sheet", parts, about=sheet.id)


def _turned(sheet: Sheet, ticket: Ticket) -> Iterable[Sentence]:
    """A sheet that is the wall of things which are turned: one run for each of them."""
    here, name = f"sheets/{sheet.id}", sheet_name(sheet, ticket)
    piece = ticket.piece_of_layer(sheet.holds[0].layer)
    count = slot(f"pieces/{piece.id}", piece, "quantity") if sheet.own_quantity is None else slot(
        here, sheet, "own_quantity"
    )  # fmt: skip
    made: tuple[str | Slot, ...] = (f"{name[:1].upper()}{name[1:]}: make " if name else "Make ", count)
    spare = (" and ", slot(here, sheet, "spares"), " to try on", f", each a {sheet.stock.name}, one run each.")
    yield Sentence(f"{sheet.id}-lay", "sheet", (*made, *spare), about=sheet.id)
    held = held_sentence(piece, sheet.id)
    if held is not None:
        yield held


def _turner(sheet: Sheet) -> Iterable[Sentence]:
    head, at = sheet.machine.head, f"sheets/{sheet.id}/machine/head"
    if not isinstance(head, BeamHead) or not isinstance(head.turner, Rollers):
        return
    turner, here = head.turner, f"{at}/turner"
    said: tuple[str | Slot, ...] = ("It lies on ", slot(at, head, "turner"),
                                    ", its rim ", slot(here, turner, "rim"))  # fmt: skip
    if isinstance(turner, Chuck):
        said = (*said, ", ", slot(here, turner, "a_turn"), " on its axis a turn")
    more = (" Turns are made ", slot(here, turner, "correction"), " of what was worked out; a test turn tells.")
    plain = turner.correction == 1
    yield Sentence(f"{sheet.id}-turner", "machine", (*said, ".", *(() if plain else more)), more if plain else (),
                   about=sheet.id)  # fmt: skip


def _second_side(sheet: Sheet, ticket: Ticket, library: Library) -> Iterable[Sentence]:
    here = f"sheets/{sheet.id}"
    number, first = ticket.number(sheet), ticket.first_side(sheet)
    chosen = _stock_slot(sheet, library)
    yield Sentence(
        f"{sheet.id}-lay", "sheet",
        (f"Sheet {number} is the second side of sheet {ticket.number(first)}, turned over ",
         slot(here, sheet, "turned"), ", on ", chosen, "."), about=sheet.id,
    )  # fmt: skip
    if isinstance(sheet.machine.head, RouterHead):
        pins: tuple[str | Slot, ...] = ("It is turned over on ", slot(here, sheet, "pins"))
        if sheet.pins != "no pins":
            pins = (*pins, ", ", slot(here, sheet, "pin_diameter"), " wide, ", slot(here, sheet, "pin_depth"),
                    " into the bed below")  # fmt: skip
        yield Sentence(f"{sheet.id}-pins", "sheet", (*pins, "."), about=sheet.id)
    more: tuple[str | Slot, ...] = ()
    if ticket.prints_on(sheet) and first.marks:
        marks: tuple[str | Slot, ...] = (
            "Its copies and marks lie behind those of the first. Print ", slot(here, sheet, "caption"), " beside it.",
        )  # fmt: skip
    else:
        marks = ("Its copies lie behind those of the first, which has no registration marks.",)
    if ticket.prints_on(sheet):
        marks, more = _with_print_size(sheet, marks, ())
    yield Sentence(f"{sheet.id}-marks", "sheet", marks, more, about=sheet.id)
    yield Sentence(
        f"{sheet.id}-mirror", "sheet", ("What it prints and cuts is seen through the sheet: mirrored.",), about=sheet.id
    )  # fmt: skip


def _with_print_size(
    sheet: Sheet, said: tuple[str | Slot, ...], more: tuple[str | Slot, ...]
) -> tuple[tuple[str | Slot, ...], tuple[str | Slot, ...]]:
    """How large the print file is, behind “more” where that is as it is drawn."""
    size = slot(f"sheets/{sheet.id}", sheet, "print_size")
    if sheet.print_size == "at true size":
        return said, (*more, " Print it ", size, ".")
    return (*said, " Print it ", size, f" of its press, {print_scale_words(sheet.print_scale)}."), more


def print_scale_words(scale: tuple[float, float]) -> str:
    """“99.70 % wide and 99.90 % long”."""
    across, down = (f"{100 * share:.2f} %" for share in scale)
    return f"{across} wide and {down} long"


def _stock_slot(sheet: Sheet, library: Library) -> Slot:
    """The stock of a sheet, among those of the shop, each with the machine that the sheet would change to."""

    def beside(stock: Stock) -> str:
        taker = library.taker(stock.key, sheet.machine.key)
        return "" if taker is None else f"; made on the {taker.name}"

    flat = [one for one in library.stocks if not one.is_round]
    return library_slot(f"sheets/{sheet.id}/stock", sheet.stock.key, sheet.stock.name, flat, beside)


def _colours(sheet: Sheet, ticket: Ticket) -> Iterable[Sentence]:
    """What the print's colours are meant for, where the stock has a profile of its own."""
    stock = sheet.stock
    if stock.profile and ticket.prints_on(sheet):
        way = slot(f"sheets/{sheet.id}/stock", stock, "rendering")
        said = (f"Print for the colour profile “{stock.profile_name}”, ", way, ".")
        yield Sentence(f"{sheet.id}-colours", "machine", said, about=sheet.id)


def _listed(endings: tuple[str, ...]) -> str:
    """“PDF, SVG and DXF”."""
    *others, last = (_CALLED.get(ending, ending.upper()) for ending in endings) if endings else ("no",)
    return f"{', '.join(others)} and {last}" if others else last


def _made_on(name: str, machine: Machine) -> str:
    does = machine.head.does
    return f"{name[:1].upper()}{name[1:]}: {does} on the " if name else f"{does.capitalize()} on the "


def _pace(here: str, head: Head) -> tuple[str | Slot, ...]:
    if not isinstance(head, KnifeHead):
        return ()
    speed = slot(f"{here}/head", head, "speed")
    if head.speed is None:
        return ("Its speed is ", speed, ": no time is counted.")
    return ("Time is counted at ", speed, ".")


_CALLED = {
    "gcode": "G-code",
    "hpgl": "HP-GL",
    "combined": "print-and-cut PDF",
    "dxf-r12": "DXF release 12",
    "dxf-polylines": "DXF (polylines)",
}


def _machine(sheet: Sheet, ticket: Ticket, library: Library) -> Iterable[Sentence]:
    here, machine = f"sheets/{sheet.id}/machine", sheet.machine
    name = sheet_name(sheet, ticket)
    yield Sentence(
        f"{sheet.id}-machine", "machine",
        (_made_on(name, machine),
         library_slot(here, machine.key, machine.name, library.machines),
         f". It is sent {_listed(machine.formats)} files."),
        _pace(here, machine.head), about=sheet.id,
    )  # fmt: skip
    if isinstance(machine.head, BeamHead):
        at = f"sheets/{sheet.id}"
        order: tuple[str | Slot, ...] = ("Run it ", slot(at, sheet, "grouping"), ", with ",
                                         slot(at, sheet, "micro_ties"))  # fmt: skip
        if sheet.micro_ties != "no micro-ties":
            order = (*order, " ", slot(at, sheet, "micro_tie"), " wide")
        origin = (
            " Coordinates start at the ",
            slot(f"{here}/head", machine.head, "origin"),
            " of ",
            slot(f"{here}/head", machine.head, "origin_of"),
            ".",
        )
        yield Sentence(f"{sheet.id}-order", "machine", (*order, "."), origin, about=sheet.id)
    if ticket.turns(sheet):
        yield from _turner(sheet)
    if isinstance(machine.head, RouterHead):
        head, on_head = machine.head, f"{here}/head"
        rack = ", ".join(one.name for one in head.cutters) or "none yet"
        zero: tuple[str | Slot, ...] = ("Its cutters: ", rack, "; they are changed ", slot(on_head, head, "changes"),
                                        ". Depths count from ", slot(on_head, head, "zero"),
                                        ", the origin is the ", slot(on_head, head, "origin"), " of ",
                                        slot(on_head, head, "origin_of"), ".")  # fmt: skip
        feeds = (" In this stock they run at ", slot(f"sheets/{sheet.id}/stock", sheet.stock, "feeds"),
                 " of their feeds; its grain runs ", slot(f"sheets/{sheet.id}/stock", sheet.stock, "grain"),
                 ".")  # fmt: skip
        plain = sheet.stock.feeds == 1 and sheet.stock.grain_angle is None
        said = zero if plain else (*zero, *feeds)
        yield Sentence(f"{sheet.id}-rack", "machine", said, feeds if plain else (), about=sheet.id)
    for clamp in sheet.clamps:
        at = f"sheets/{sheet.id}/clamps/{clamp.id}"
        yield Sentence(
            f"{sheet.id}-clamp-{clamp.id}", "machine",
            ("Keep clear of the clamp ", slot(at, clamp, "x"), " from the left of the bed and ", slot(at, clamp, "y"),
             " from its back, ", slot(at, clamp, "width"), " wide and ", slot(at, clamp, "height"), " deep."),
            owner=at, about=sheet.id,
        )  # fmt: skip
    used = {line.process.kind for held in sheet.holds for line in ticket.layer(held.layer).lines if line.on}
    used |= {WEED_CUT} if sheet.border != "no weed border" or sheet.weed_lines != "no weed lines" else set()
    used |= {CROSS_CUT} if sheet.cross_cut != "no cross-cut" else set()
    for spot in machine.spots:
        if spot.process in used:
            pen = f", pen {machine.pen(spot.process)}" if "hpgl" in machine.formats else ""
            words = f"{spot.process.capitalize()} lines are written as spot colour “{spot.ink}”{pen}"
            own = next((one for one in sheet.settings if one.process == spot.process), None)
            at = f"sheets/{sheet.id}/settings/{own.id}" if own else ""
            yield Sentence(
                f"{sheet.id}-spot-{spot.process}", "machine",
                *_made(words, at, own, sheet.machine),
                process=spot.process, about=sheet.id,
            )  # fmt: skip


def _made(
    words: str, at: str, own: Setting | None, machine: Machine
) -> tuple[tuple[str | Slot, ...], tuple[str | Slot, ...]]:
    """How a process is made, and what is behind “more”."""
    if own is not None and isinstance(own.how, ByBeam):
        return (f"{words}: ", *_beam(f"{at}/how", own.process, own.how)), _beam_more(f"{at}/how", own.how, machine)
    if own is not None and isinstance(own.how, ByKnife):
        return (f"{words}: ", *_setting(f"{at}/how", own.how)), _knife(f"{at}/how", own.how)
    return (f"{words}.",), ()


def _beam(here: str, process: str, own: ByBeam) -> tuple[str | Slot, ...]:
    said: tuple[str | Slot, ...] = (slot(here, own, "power"), ", ", slot(here, own, "speed"), ", passes ",
                                    slot(here, own, "passes"))  # fmt: skip
    if parts(process):
        said = (*said, ", kerf ", slot(here, own, "kerf"), ", ", slot(here, own, "lead"))
        if own.lead != "no lead-in":
            said = (*said, " ", slot(here, own, "lead_length"), " long")
    elif takes(process) == SHAPE:
        said = (*said, ", overscan ", slot(here, own, "overscan"))
    return (*said, ".")


def _beam_more(here: str, own: ByBeam, machine: Machine) -> tuple[str | Slot, ...]:
    return (
        " It runs ", slot(here, own, "air"), ", the head ", slot(here, own, "focus"), f" above {machine.head.above}",
        "; it pierces for ",
        slot(here, own, "pierce"), " s from ", slot(here, own, "pierce_height"),
        ", after warming up for ", slot(here, own, "warm_up"), " s.",
    )  # fmt: skip


def _setting(here: str, own: ByKnife) -> tuple[str | Slot, ...]:
    grams = "" if own.force is None else " g"
    return ("force ", slot(here, own, "force"), f"{grams}, speed ", slot(here, own, "speed"), ", passes ",
            slot(here, own, "passes"), ".")  # fmt: skip


def _knife(here: str, own: ByKnife) -> tuple[str | Slot, ...]:
    return (" The tip of the blade trails by ", slot(here, own, "blade_offset"),
            " and is swivelled at corners over ", slot(here, own, "corner"),
            ", overcut ", slot(here, own, "overcut"), ".")  # fmt: skip
