"""Changes as data: a value set at a path, or an item added, moved or removed; with the words undo shows.

A path runs through field names and item ids, never positions: ``pieces/p1/layers/l1/lines/k2/distance``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any

from nibble_core.errors import InvalidTicket
from nibble_core.processes import LINE, parts, takes
from nibble_core.ticket.adding import BELOW
from nibble_core.ticket.artwork import BrushStroke, Clean, Place, Recolour, TouchUp
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.goods import ROUND
from nibble_core.ticket.library import STARTING, Library
from nibble_core.ticket.line import AS_THEY_ARE, ITSELF, Engraving, Hatching, Line, Source, Surround
from nibble_core.ticket.model import Accepted, Sheet, Ticket
from nibble_core.ticket.piece import STRAIGHT, Element, Lettering, Printed, Prints
from nibble_core.ticket.serial import as_kind, ticket_from_plain, to_plain, type_at
from nibble_core.ticket.stock import ROUND_THING

OPERATIONS = ("set", "add", "move", "remove")


@dataclass(frozen=True)
class Change:
    """One change. ``set``: value at path; of an item of a list the whole item, which keeps its id. ``add``: value (an
    item with an id) into the list at path, before the item ``before`` or at its end. ``move``: the item at path,
    likewise. ``remove``: the item at path."""

    path: str
    value: Any = None
    operation: str = "set"
    before: str | None = None

    @property
    def touched(self) -> str:
        """The path whose value this change settles, for telling concurrent changes apart."""
        if self.operation == "add" and isinstance(self.value, Mapping):
            return f"{self.path}/{self.value.get('id')}"
        return self.path


def apply(ticket: Ticket, changes: Iterable[Change], library: Library = STARTING) -> Ticket:
    """The ticket after all changes, checked as a whole. library: what stocks and machines are named by.

    Raises InvalidTicket; the given ticket never changes.
    """
    plain, several = _opened(ticket), False
    for change in changes:
        if change.operation not in OPERATIONS:
            raise InvalidTicket(f"“{change.operation}” is no change.", f"Use {', '.join(OPERATIONS)}.")
        before = _copied(plain) if _is_composed(change.value) else plain
        try:
            _apply_one(plain, change, library)
        except (AttributeError, KeyError, TypeError):  # what follows from a value presumes a whole one of its place
            if change.operation != "set":
                raise
            whole = _made_whole(_copied(before), change)
            if whole == change.value:
                raise
            plain = before
            _apply_one(plain, replace(change, value=whole), library)
        several |= _is_composed(change.value)
    made = ticket_from_plain(plain)
    # values that leave others to their defaults are judged as they will be kept: what cannot be read again is told now,
    # not when the job is opened
    return ticket_from_plain(_opened(made)) if several else made


def _opened(ticket: Ticket) -> Any:
    """Its plain values, but for the copies on its sheets: thousands of them, which are made plain when one changes."""
    bare = replace(ticket, sheets=tuple(replace(sheet, placed=()) for sheet in ticket.sheets))
    plain = to_plain(bare)
    for sheet, of in zip(plain["sheets"], ticket.sheets, strict=True):
        sheet["placed"] = list(of.placed)
    return plain


def _copied(plain: Any) -> Any:
    """Dicts and lists anew, whatever else they hold shared."""
    if isinstance(plain, dict):
        return {name: _copied(value) for name, value in plain.items()}
    return [_copied(item) for item in plain] if isinstance(plain, list) else plain


def _is_composed(value: Any) -> bool:
    return isinstance(value, (Mapping, list, tuple))


def _made_whole(plain: Any, change: Change) -> Any:
    """A value that is set, with the defaults of what it leaves out. Raises InvalidTicket where it is none of its
    place."""
    *way, last = [part for part in change.path.split("/") if part]
    _step_along(plain, way, change.path)[last] = change.value
    return _step_along(to_plain(ticket_from_plain(plain)), way, change.path)[last]


def _apply_one(plain: Any, change: Change, library: Library) -> None:
    *way, last = [part for part in change.path.split("/") if part] or [""]
    holder: Any = plain
    kind: type = Ticket
    for part in way:
        below = _step(holder, part, change.path)
        if isinstance(holder, dict) and is_dataclass(kind):
            kind = type_at(kind, part, holder)
        holder = below
    if change.operation == "set" and isinstance(holder, list):
        _replace(holder, last, change)
        return
    if change.operation == "set":
        if not isinstance(holder, dict) or last not in holder:
            raise InvalidTicket("There is no such place in the ticket any more.", "Look again.", where=change.path)
        made = change.value
        rule = rule_of(kind, last)
        if rule is not None and rule.types and isinstance(made, str):
            made = as_kind(rule, made, holder[last])
        if kind in _FOLLOWING and _kind(made) != _kind(holder[last]):
            _FOLLOWING[kind](holder, last, _kind(made))
        if kind is Lettering and last == "along":
            _go_round(_step_along(plain, way[:-1], change.path), holder[last], made)
        if kind is Clean and last == "tones":
            _trace_tones(_step_along(plain, way[:2], change.path)["trace"], made)
        before = _goods_of(plain, way)
        holder[last] = _from_library(last, made, library) if rule is None else made
        if last in RECORDS and isinstance(change.value, str) and "settings" in holder:
            _settle(holder, last, library)
        if way[:1] == ["pieces"] and "goods" in way[2:3]:
            _agree(plain, way[1])
        if _goods_of(plain, way) != before:
            settle_goods(plain, _step_along(plain, way[:2], change.path), library)
        return
    if change.operation == "add":
        items = _step(holder, last, change.path)
        _insert(items, change.value, change.before, change.path)
        return
    if not isinstance(holder, list):
        raise InvalidTicket("Only items of a list can be moved or removed.", "", where=change.path)
    item = _step(holder, last, change.path)
    holder.remove(item)
    if change.operation == "move":
        _insert(holder, item, change.before, change.path)


def _agree(ticket: Any, changed: str) -> None:
    """Pieces that lie on one turned sheet go on one thing, made one way."""
    pieces = {piece["id"]: piece for piece in ticket["pieces"]}
    goods = pieces.get(changed, {}).get("goods", {})
    if "made" not in goods:
        return
    layers = {layer["id"]: piece["id"] for piece in ticket["pieces"] for layer in piece["layers"]}
    for sheet in ticket["sheets"]:
        held = {layers.get(one["layer"]) for one in sheet["holds"]}
        for other in held - {changed} if changed in held and sheet["stock"]["kind"] == ROUND_THING else ():
            if other and pieces[other]["goods"]["kind"] == goods["kind"]:
                pieces[other]["goods"] |= {"thing": goods["thing"], "made": goods["made"]}


def _goods_of(ticket: Any, way: list[str]) -> tuple[str, str, str] | None:
    """What the piece on a way into the ticket is made for: kind, thing and how; None of other ways."""
    if way[:1] != ["pieces"] or len(way) < 2:
        return None
    piece = next((one for one in ticket["pieces"] if one["id"] == way[1]), None)
    goods: Any = piece["goods"] if piece else {"kind": ""}
    return goods["kind"], goods.get("thing", {}).get("key", ""), _kind(goods.get("made", {})) or ""


def settle_goods(ticket: Any, piece: Any, library: Library) -> None:
    """What follows from a piece put on a round thing, or taken off it: its sheets are the wall of that thing, on a
    machine that turns it, and what would cut it through engraves its shapes; or they are of flat stock again."""
    goods, layers = piece["goods"], {layer["id"] for layer in piece["layers"]}
    things = {one.key: one for one in library.stocks if one.is_round}
    if goods["kind"] == ROUND and goods["thing"]["key"] not in things and things:
        goods["thing"] = to_plain(library.stock(next(iter(things))))
    turned = goods["kind"] == ROUND and goods["made"]["kind"] == "turned under a laser"
    for sheet in ticket["sheets"]:
        if not layers & {held["layer"] for held in sheet["holds"]}:
            continue
        if turned:
            _put_on_turner(sheet, goods["thing"], library)
        elif sheet["stock"]["kind"] == ROUND_THING:
            flat = next((one for one in library.stocks if not one.is_round), None)
            if flat is not None:
                sheet["stock"] = to_plain(library.stock(flat.key))
                _settle(sheet, "stock", library)
    if turned:
        for layer in piece["layers"]:
            layer["prints"] = to_plain(Prints())
            cuts = [line for line in layer["lines"] if parts(line["process"]["kind"])]
            for number, line in enumerate(cuts):
                line["on"] = line["on"] and not number  # what is engraved once is enough
                own = {"source": Source(kind="the shapes"), "offset": replace(AS_THEY_ARE, distance=0.0)}
                own |= {"process": Engraving(Hatching())}
                line |= {name: to_plain(one) for name, one in own.items()}


def _put_on_turner(sheet: Any, thing: Any, library: Library) -> None:
    """A sheet becomes the wall of a thing, on the first machine that has settings for it, or turns anything."""
    sheet["stock"] = thing
    machine = sheet["machine"]
    able = [library.machine(key) for key in library.takers(thing["key"])]
    able += [one for one in library.machines if one.turns]
    if able and machine["key"] not in {one.key for one in able}:
        sheet["machine"] = machine = to_plain(able[0])
    sheet |= {
        "settings": to_plain(library.settings_of(machine["key"], thing["key"])), "marks": 0, "arrangement": "a grid",
        "placed": [], "runs": 1, "border": "no weed border", "weed_lines": "no weed lines", "panels": "one sheet",
        "cross_cut": "no cross-cut", "caption": "nothing", "shared": "each on its own", "micro_ties": "no micro-ties",
        "behind": "", "grouping": "copy by copy",
    }  # fmt: skip


def _settle(sheet: Any, chosen: str, library: Library) -> None:
    """What follows from a stock or machine chosen for a sheet: a machine that takes the stock, how it makes it, and its
    marks."""
    machine = sheet["machine"]
    if chosen == "stock":
        taker = library.taker(sheet["stock"]["key"], machine["key"])
        sheet["machine"] = machine if taker is None else to_plain(taker)
    else:
        sheet["stock"]["machines"] = list(library.takers(sheet["stock"]["key"]))
    if chosen == "machine" or sheet["machine"] is not machine:
        machine = sheet["machine"]
        head = machine["head"]
        sheet |= {"marks": head.get("mark_count", 0), "mark_shape": head.get("mark_shape", sheet["mark_shape"])}
    sheet["settings"] = to_plain(library.settings_of(machine["key"], sheet["stock"]["key"]))


def _line_follows(line: Any, changed: str, to: Any) -> None:
    """What follows for a line from another source or process. Shapes are followed as they are, all of them, until the
    operator says otherwise; so is what becomes an engraving, whose distance was that of a cut."""
    if changed == "source" and to in ITSELF and _kind(line["source"]) not in ITSELF:
        line["offset"].update(THEMSELVES)
    if changed == "process" and takes(to) != LINE:
        line["offset"].update(THEMSELVES, distance=0.0)
        if _kind(line["source"]) == "the outer shape":
            line["source"] = to_plain(Source(kind="the shapes"))


def _element_follows(element: Any, changed: str, to: Any) -> None:
    """A shift is from one place: another place begins without it."""
    if changed in ("across", "down") and to != "where it is":
        element["x" if changed == "across" else "y"] = 0.0


ROUND_IT = {"across": "centred", "down": "centred", "x": 0.0, "y": 0.0}


def _go_round(words: Any, was: Any, to: Any) -> None:
    """Words on a circle go round what they stand beside; straight again, they stand below it."""
    if was == STRAIGHT and to != STRAIGHT:
        words.update(ROUND_IT)
    elif was != STRAIGHT and to == STRAIGHT and all(words[name] == value for name, value in ROUND_IT.items()):
        words.update(down="below it", y=BELOW)


_FOLLOWING: Mapping[type, Callable[[Any, str, Any], None]] = {Line: _line_follows, Element: _element_follows}
"""What another choice in an item takes with it."""
TONES_TRACED = {"solid shadows": "two-tone", "line-like edges": "two-tone", "bands": "colours"}


def _trace_tones(trace: Any, tones: Any) -> None:
    """Tones that were made flat are traced by their shapes; the outer edge alone would show none of them."""
    if trace["mode"] == "outer" and isinstance(tones, str):
        trace["mode"] = TONES_TRACED.get(tones, "outer")


THEMSELVES = {name: getattr(AS_THEY_ARE, name) for name in ("close_gaps", "holes", "smallest_hole")}
"""What a line is set to when it is to follow shapes: all of them, until the operator says otherwise."""


def _kind(plain: Any) -> Any:
    """Of a plain value that comes in kinds."""
    return plain.get("kind") if isinstance(plain, Mapping) else plain


def _step_along(holder: Any, way: Iterable[str], path: str) -> Any:
    for part in way:
        holder = _step(holder, part, path)
    return holder


def _step(holder: Any, part: str, path: str) -> Any:
    if isinstance(holder, dict) and part in holder:
        return holder[part]
    if isinstance(holder, list):
        for number, item in enumerate(holder):
            if _id_of(item) == part:
                holder[number] = item = to_plain(item)
                return item
    raise InvalidTicket("There is no such place in the ticket any more.", "Look again.", where=path)


def _replace(items: list[Any], id: str, change: Change) -> None:
    """Another item in the place of one."""
    places = [k for k, item in enumerate(items) if _id_of(item) == id]
    if not places:
        raise InvalidTicket("There is no such place in the ticket any more.", "Look again.", where=change.path)
    if not isinstance(change.value, dict) or change.value.get("id") != id:
        raise InvalidTicket("An item keeps its id.", "", where=change.path)
    items[places[0]] = change.value


def _id_of(item: Any) -> Any:
    return item.get("id") if isinstance(item, dict) else getattr(item, "id", None)


def _insert(items: Any, item: Any, before: str | None, path: str) -> None:
    if not isinstance(items, list) or not isinstance(item, dict) or "id" not in item:
        raise InvalidTicket("An item with an id can be added to a list only.", "", where=path)
    ids = [_id_of(other) for other in items]
    if None in ids:
        raise InvalidTicket("This list holds plain values: set it whole.", "", where=path)
    if item["id"] in ids:
        raise InvalidTicket("That item is there already.", "", where=path)
    places = [i for i, other in enumerate(ids) if other == before]
    items.insert(places[0] if places else len(items), item)


RECORDS = ("stock", "machine", "thing")


def _from_library(name: str, value: Any, library: Library) -> Any:
    """A stock or machine named by its key is copied in whole."""
    if name not in RECORDS or not isinstance(value, str):
        return value
    return to_plain(library.machine(value) if name == "machine" else library.stock(value))


SCALED = ("distance", "close_gaps", "join_islands", "smallest_hole", "hole_distance", "inside_radius")


def scaled_distances(ticket: Ticket, factor: float) -> list[Change]:
    """Changes that make every distance of every line, and each layer's bleed, ``factor`` times as large. Raises
    InvalidTicket when the factor is none."""
    if not 0.01 <= factor <= 100:
        raise InvalidTicket("Distances can be scaled to between 1 and 10 000 %.", "Change them one by one.")
    owners: list[tuple[str, Any, tuple[str, ...]]] = []
    for piece in ticket.pieces:
        for layer in piece.layers:
            here = f"pieces/{piece.id}/layers/{layer.id}"
            if isinstance(layer.prints, Printed):
                owners.append((f"{here}/prints", layer.prints, ("bleed",)))
            for line in layer.lines:
                owners.append((f"{here}/lines/{line.id}/offset", line.offset, SCALED))
                if isinstance(line.source, Surround):
                    owners.append((f"{here}/lines/{line.id}/source", line.source, ("radius",)))
    values = [(f"{path}/{name}", getattr(owner, name)) for path, owner, names in owners for name in names]
    return [Change(path, round(value * factor, 3)) for path, value in values if value]


def overlap(one: str, other: str) -> bool:
    """Whether two touched paths are the same place or one lies within the other."""
    return one == other or one.startswith(other + "/") or other.startswith(one + "/")


def words(ticket: Ticket, change: Change, library: Library = STARTING) -> str:
    """What a change does, as undo shows it: “kiss cut: distance to 2.4 mm”."""
    way = [part for part in change.path.split("/") if part]
    owner: Any = ticket
    process = ""
    name = way[-1] if way else ""
    for part in way[:-1] if change.operation in ("set", "add") else way:
        owner = _descend(owner, part)
        if isinstance(owner, Line):
            process = owner.process.kind
    if change.operation == "set" and isinstance(owner, tuple):
        before, now = _descend(owner, name), change.value if isinstance(change.value, Mapping) else {}
        locked = now.get("locked", False)
        done = "moved" if getattr(before, "locked", locked) == locked else "locked" if locked else "unlocked"
        return f"{_ITEMS.get(way[-2], 'item')} {done}"
    if change.operation == "set":
        rule = rule_of(owner, name) if is_dataclass(owner) else None
        if isinstance(change.value, list):
            return _counted(len(change.value), _ITEMS.get(name, name.removesuffix("s").replace("_", " ")))
        if rule is None:
            value = _from_library(name, change.value, library)
            said = f"{name} to {value.get('name', '') if isinstance(value, Mapping) else value}"
            chosen = name == "stock" and isinstance(owner, Sheet) and isinstance(change.value, str)
            taker = library.taker(change.value, owner.machine.key) if chosen else None
            return said if taker is None else f"{said}, machine to {taker.name}, which takes it"
        if rule.kind == "flag":
            return f"{process or rule.called} {'on' if change.value else 'off'}"
        called = rule.called if not process or name == "process" else f"{process}: {rule.called}"
        said = f"{called} to {rule.say(rule.check(_kind(change.value) if rule.types else change.value))}"
        if isinstance(owner, Clean) and name == "tones" and ticket.artwork(way[1]).trace.mode == "outer":
            traced = TONES_TRACED.get(str(change.value))
            return f"{said}, tracing to {traced}" if traced else said
        return said
    if change.operation == "add":
        if name in _ADDED_WORDS:
            return _ADDED_WORDS[name]
        item = change.value if isinstance(change.value, Mapping) else {}
        if name == "accepted":
            return f"accepted: “{str(item.get('said', ''))[:200]}”"
        if name in _ADDED:
            return _ADDED[name].get(str(item.get("kind", "drop")), f"{item.get('kind', name)} by hand")
        return f"{_kind(item.get('process')) or item.get('name') or name} added"
    if isinstance(owner, TouchUp | BrushStroke):
        return _TAKEN_BACK.get(owner.kind, f"{owner.kind} taken back")
    if way[-2:-1] == ["wordless"]:
        return "lettering boxed again"
    if isinstance(owner, Place | Recolour):
        return "place taken back" if isinstance(owner, Place) else "colour set back"
    if isinstance(owner, Accepted):
        return f"no longer accepted: “{owner.said[:200]}”"
    group = way[-2] if len(way) > 1 else ""
    if change.operation == "remove" and group in ("holds", "placed"):
        return {"holds": "layer taken off the sheet", "placed": "copy taken off"}[group]
    if change.operation == "remove" and group in _ADDED_WORDS and group != "sheets":
        return f"{_ITEMS.get(group, 'item')} taken back"
    called = process or getattr(owner, "name", "") or ("sheet" if isinstance(owner, Sheet) else "item")
    return f"{called} {'moved' if change.operation == 'move' else 'removed'}"


def _counted(number: int, what: str) -> str:
    """What a list was set to: “3 ties set”."""
    several = _SEVERAL.get(what, f"{what}s")
    return f"{number or 'no'} {what if number == 1 else several} set"


_ADDED = {
    "touch_ups": {
        "drop": "region dropped",
        "keep": "region kept",
        "fill hole": "hole filled",
        "open hole": "hole opened",
    },
    "strokes": {},
    "places": {"drop": "background place added"},
    "recolours": {"drop": "colour changed"},
}
_ADDED_WORDS = {
    "tie_marks": "tie set", "kerf_marks": "side of the kerf set by hand", "hole_marks": "hole set by hand",
    "folds": "fold line drawn", "bridges": "bridge set",
    "place": "hanger moved", "regions": "region chosen", "colours": "colour chosen", "elements": "element added",
    "areas": "area chosen", "wordless": "no lettering: put away",
    "seams": "seam set by hand", "clamps": "clamp set",
    "holds": "layer brought onto the sheet", "placed": "copy placed", "sheets": "sheet added",
}  # fmt: skip
_SEVERAL = {"copy": "copies"}
_ITEMS = {
    "placed": "copy", "seams": "seam", "clamps": "clamp",
    "tie_marks": "tie", "kerf_marks": "side of the kerf", "hole_marks": "hole", "folds": "fold line",
    "bridges": "bridge", "place": "hanger’s place",
    "regions": "region", "colours": "colour", "elements": "element",
    "areas": "area",
}  # fmt: skip
_TAKEN_BACK = {"drop": "region brought back", "keep": "region no longer kept", "fill hole": "hole open again"}


def _descend(owner: Any, part: str) -> Any:
    if isinstance(owner, tuple):
        return next((item for item in owner if getattr(item, "id", None) == part), None)
    return getattr(owner, part, None) if is_dataclass(owner) and part in {rule.name for rule in fields(owner)} else None
