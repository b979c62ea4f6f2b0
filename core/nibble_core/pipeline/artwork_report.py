"""What Artwork, Clean and Trace say of one artwork."""

from __future__ import annotations

from nibble_core.artwork.blended import Blend
from nibble_core.artwork.enlarged import Squares
from nibble_core.artwork.facts import CLEAR, POOR_PPI, Facts, print_quality
from nibble_core.formats.client_drawing import LEFTOVERS
from nibble_core.formats.dxf_reader import UNITS
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.clean import worked_on
from nibble_core.pipeline.lettered import is_no_lettering, lettered, set_in_words
from nibble_core.pipeline.making_words import LIGHT, STEPS, enlarged_in_words, making_in_words, saved_before
from nibble_core.pipeline.notes import LOOK, TOLD, Draft, Mend, Note, setting
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.results import Work, WorkedArtwork
from nibble_core.pipeline.trace import AS_TOLD, EVERY_STEP, IN_GREY, TraceResult
from nibble_core.pipeline.within_report import lost_text, parts_of
from nibble_core.ticket import Change
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.model import Ticket

MODE_WORDS = {
    "two-tone": "trace two-tone", "outer": "only the outer shape", "colours": "trace colours",
    "centre-lines": "trace centre-lines", "panes": "trace the panes between lines", "paths": "use the paths",
}  # fmt: skip
SUITABLE = {
    "paths": ("paths", "outer"),
    "line drawing": ("two-tone", "centre-lines", "panes", "outer"),
    "filled shapes": ("two-tone", "outer"),
    "flat colours": ("colours", "outer", "two-tone"),
    "photo": ("outer",),
}
OTHERWISE = {STEPS: (("Every step is meant", EVERY_STEP),), LIGHT: (("They were mixed in grey", IN_GREY),)}
OF_PIXELS = ("two-tone", "outer", "centre-lines", "panes", "colours")
MANY_NODES = 20_000  # more than anybody draws
FEW_BOXES = 3  # of lettering, told one by one
WHITISH = 245  # levels


def report_artwork(draft: Draft, artwork: Artwork, ticket: Ticket, work: Work) -> None:
    """Facts at the finished size, the verdict, and what there is to decide."""
    if artwork.id not in work.artworks:
        return
    picture, (width, height) = work.artworks[artwork.id].picture.value, work.artworks[artwork.id].size
    here, facts = f"artworks/{artwork.id}", picture.facts
    draft.notes.append(_verdict(artwork, picture))
    hazards = picture.drawing.hazards if picture.drawing is not None else ()
    whole = _wanted_whole(artwork, ticket)
    for text in picture.notes:
        spoils = text in hazards and whole
        draft.notes.append(
            Note(text, "Ask for a PDF in which white knocks out, or print its pixels." if spoils else "", here,
                 LOOK if spoils else TOLD)
        )  # fmt: skip
    draft.notes += parts_of(artwork, picture, ticket, width)
    if whole and (picture.kind != "PDF" or picture.drawing is None):
        draft.notes.append(
            Note(
                f"“{artwork.name}” is no page of a PDF, so that its pixels are printed as they came.",
                "Ask for a PDF, or print the artwork or its shapes.", here,
            )
        )  # fmt: skip
    if picture.drawing is not None:
        _report_drawing(draft, artwork, ticket, picture, width, height)
        return
    own_width, own_height = facts.own_px
    ppi = px_used(artwork, own_width, own_height) / (width / 25.4)
    if facts.squares.is_enlarged:
        draft.notes.append(_squares(artwork, facts.squares))
    if facts.blend:
        draft.notes.append(_blend(artwork, facts.blend))
    draft.notes += _making(artwork, picture)
    draft.notes += _saved_before(artwork, picture)
    draft.notes += _too_many_pixels(artwork, ticket, own_width, own_height)
    draft.fact = f"{ppi:.0f} px/in"
    prints = any(layer.prints.kind != "nothing" for piece in ticket.pieces for layer in piece.layers)
    if prints and ppi < POOR_PPI:
        wanted = width / 25.4 * 200
        draft.notes.append(
            Note(
                f"This {picture.kind} is {own_width} px wide. At {width:.0f} mm it prints at {ppi:.0f} px "
                "per inch and will look like bricks.",
                f"Ask for one at least {wanted:.0f} px wide, make it smaller, or only cut it.", f"{here}/width", LOOK,
            )
        )  # fmt: skip
    verdict = picture.verdict
    draft.figures = [
        (f"{own_width} × {own_height}", f"px, {picture.kind}"),
        (f"{width:.1f} × {height:.1f}", "mm, finished"),
        (f"{ppi:.0f} px/in", f"prints {print_quality(ppi)}"),
        (verdict.kind, "kind of picture"),
        (_background(facts), "background"),
        (str(verdict.flat_colours), "flat colour" if verdict.flat_colours == 1 else "flat colours"),
        (f"{verdict.noise:.1f} levels", "noise in flat areas"),
        (", ".join(filter(None, (f"{verdict.softness:.1f} px", picture.making.edges))), "width of an edge"),
    ]


def _wanted_whole(artwork: Artwork, ticket: Ticket) -> bool:
    """Whether anything is to print the artwork as its client's page."""
    return any(
        layer.prints.kind == "the client’s page"
        for piece in ticket.pieces
        if any(element.artwork == artwork.id for element in piece.elements)
        for layer in piece.layers
    )


def _background(facts: Facts) -> str:
    if facts.see_through > CLEAR:
        return "see-through"
    if not facts.boxed:
        return "runs to the edges"
    return "a white box" if min(facts.border_colour) >= WHITISH else "a box of one colour"


def _squares(artwork: Artwork, squares: Squares) -> Note:
    text = enlarged_in_words(squares)
    at = f"artworks/{artwork.id}/clean/squares"
    if artwork.clean.squares == "single pixels":
        mend = setting("The squares are meant", at, "squares")
        return Note(text, "Its squares count as single pixels, so that edges come out smooth.", at, mends=(mend,))
    mend = setting("Take them as single pixels", at, "single pixels")
    return Note(text, "Its squares are traced as they are.", at, mends=(mend,))


def _blend(artwork: Artwork, blend: Blend) -> Note:
    text = enlarged_in_words(blend)
    at = f"artworks/{artwork.id}/clean/blends"
    if artwork.clean.blends == "its true pixels":
        mend = setting("Take all pixels", at, "all pixels")
        return Note(text, "It is traced as that; printed it is as smooth as it came.", at, mends=(mend,))
    return Note(text, "All its pixels are traced.", at, mends=(setting("Take its true pixels", at, "its true pixels"),))


def _too_many_pixels(artwork: Artwork, ticket: Ticket, width: int, height: int) -> list[Note]:
    """That a picture has more pixels than are cleaned and traced; they are kept where it is printed as it came."""
    fewer = worked_on(width, height)
    if fewer == (width, height):
        return []
    mends = tuple(
        setting(f"Print the client’s pixels: {layer.name or piece.name}", f"pieces/{piece.id}/layers/{layer.id}/prints",
                "the client’s pixels")
        for piece in ticket.pieces if any(element.artwork == artwork.id for element in piece.elements)
        for layer in piece.layers if layer.prints.kind == "the artwork"
    )  # fmt: skip
    text = f"It is cleaned and traced in {fewer[0]:,} × {fewer[1]:,} of its {width:,} × {height:,} pixels."
    return [Note(text, "Printed as it came it keeps them all.", f"artworks/{artwork.id}", mends=mends)]


def _making(artwork: Artwork, picture: Picture) -> list[Note]:
    """How the picture's edges were made, and the other ways to take them."""
    at, chosen = f"artworks/{artwork.id}/trace/making", artwork.trace.making
    if artwork.trace.mode not in OF_PIXELS:
        return []
    notes = []
    for kind, text, done in making_in_words(picture.making):
        if chosen != AS_TOLD:
            back = setting("As its pixels tell", at, AS_TOLD)
            notes.append(Note(text, f"Now: {chosen}.", at, mends=(back,)))
            continue
        mends = tuple(setting(words, at, way) for words, way in OTHERWISE.get(kind, ()))
        notes.append(Note(text, done, at, mends=mends))
    return notes


def _saved_before(artwork: Artwork, picture: Picture) -> list[Note]:
    text = saved_before(picture.kind, picture.facts, picture.making)
    if not text:
        return []
    at, calm = f"artworks/{artwork.id}/clean/calm", artwork.clean.calm
    if calm != "off":
        return [Note(text, f"It is calmed ({calm}).", at, mends=(setting("Leave it as it is", at, "off"),))]
    return [Note(text, "Tracing allows for it; in print it shows.", at, mends=(setting("Calm it", at, "light"),))]


def px_used(artwork: Artwork, width_px: int, height_px: int) -> float:
    """Pixels across the used part, as it lies."""
    crop = artwork.crop
    if artwork.turn in ("a quarter right", "a quarter left"):
        return height_px * (1 - crop.top - crop.bottom)
    return width_px * (1 - crop.left - crop.right)


def _verdict(artwork: Artwork, picture: Picture) -> Note:
    verdict, here = picture.verdict, f"artworks/{artwork.id}"
    mends = [
        setting(MODE_WORDS[mode].capitalize(), f"{here}/trace/mode", mode)
        for mode in SUITABLE[verdict.kind] if mode != artwork.trace.mode
    ]  # fmt: skip
    if verdict.kind == "photo" and artwork.clean.tones == "none":
        mends.append(
            Mend("Turn it into flat tones", (Change(f"{here}/clean/tones", "solid shadows"),
                                             Change(f"{here}/trace/mode", "two-tone")))
        )  # fmt: skip
    weight = "told"
    if verdict.request:
        mends.append(Mend("Copy words for the client", copy=verdict.request))
        weight = LOOK
    now = f"Now: {MODE_WORDS[artwork.trace.mode]}."
    return Note(verdict.sentence, now, "", weight, tuple(mends))


def _report_drawing(
    draft: Draft, artwork: Artwork, ticket: Ticket, picture: Picture, width: float, height: float
) -> None:
    drawn, here = picture.drawing, f"artworks/{artwork.id}"
    assert drawn is not None
    shapes = drawn.drawing.shapes
    draft.fact = "1 path" if len(shapes) == 1 else f"{len(shapes)} paths"
    if drawn.lettering:
        draft.notes.append(lost_text(artwork, ticket, drawn, width))
    if not drawn.has_unit and drawn.kind == "DXF" and artwork.unit == "as the file says":
        sides = (drawn.drawing.width, drawn.drawing.height)
        mends = tuple(
            Mend(f"{unit}: {sides[0] * UNITS[unit]:.1f} × {sides[1] * UNITS[unit]:.1f} mm",
                 (Change(f"{here}/unit", unit), Change(f"{here}/sized_by", "of its own size"),
                  Change(f"{here}/scale", 1.0)))
            for unit in ("mm", "cm", "in")
        )  # fmt: skip
        draft.notes.append(Note("This drawing does not say its unit.", "Which size is right?", here, LOOK, mends))
    hidden = sum(count for _, count in picture.leftovers)
    if hidden:
        why = ", ".join(f"{count} {LEFTOVERS.get(reason, reason)}" for reason, count in picture.leftovers)
        things = "1 thing that nobody sees is" if hidden == 1 else f"{hidden} things that nobody sees are"
        draft.notes.append(Note(f"{things} left out: {why}.", "Show them on the table with “Left out”.", here))
    colours = {shape.colour for shape in shapes}
    layers = sorted({shape.layer for shape in shapes if shape.layer})
    spots = sorted({shape.spot for shape in shapes if shape.spot})
    draft.figures = [
        (draft.fact, drawn.kind),
        (f"{width:.1f} × {height:.1f}", "mm, finished"),
        (f"{picture.own_width:.1f} mm", "wide in the file"),
        (str(len(colours)), "colours"),
        (str(sum(shape.nodes for shape in shapes)), "nodes"),
    ]
    if layers:
        draft.figures.append((str(len(layers)), f"layers: {', '.join(layers)[:60]}"))
    if spots:
        draft.figures.append((str(len(spots)), f"spot colours: {', '.join(spots)[:60]}"))


def report_clean(draft: Draft, artwork: Artwork, work: Work) -> None:
    """How the background went."""
    own = work.artworks.get(artwork.id)
    if own is None or own.cleaned is None:
        return
    cleaned, here = own.cleaned.value, f"artworks/{artwork.id}/clean"
    words = {
        "flood": "background away", "places": "background away", "one colour": "one colour away",
        "subject": "subject kept", "see-through": "see-through", "keep": "background kept",
    }  # fmt: skip
    draft.fact = words[cleaned.way]
    if artwork.clean.tones != "none":
        draft.fact = artwork.clean.tones
    draft.figures = [(f"{100 * cleaned.taken:.0f} %", "of the picture is clear"), (cleaned.way, "how it went")]
    facts = own.picture.value.facts
    if cleaned.way == "keep" and artwork.clean.background == "by itself" and not facts.boxed:
        draft.notes.append(
            Note("The border of this picture is not plain, so all of it is kept.", "", f"{here}/background", mends=(
                setting("Keep the subject only", f"{here}/background", "subject"),
                setting("Take away from the border", f"{here}/background", "flood"),
            ))
        )  # fmt: skip
    if cleaned.doubt is not None:
        kind, x, y = cleaned.doubt
        place = x * own.size[0], y * own.size[1]
        draft.notes.append(_doubt(kind, place, artwork, here))
    if artwork.clean.background == "places" and not artwork.clean.places:
        draft.notes.append(
            Note("No place is clicked yet, so nothing goes.", "Click the background on the table.", here)
        )


def _doubt(kind: str, place: tuple[float, float], artwork: Artwork, here: str) -> Note:
    """Cleaning that may have taken too much or too little, and where to look."""
    if kind == "edge":
        return Note("The subject’s edge is a guess here: what was taken away has the same colours.",
                    "Look at it over the artwork, and brush over what belongs to it and what does not.", here, LOOK,
                    place=place)  # fmt: skip
    if kind == "went":
        return Note("Something here was taken away that is unlike the rest of the background.",
                    "If it belongs to the subject, brush over it with “belongs”.", here, LOOK, place=place)  # fmt: skip
    lower = round(artwork.clean.tolerance / 4, 3)
    return Note("Something pale went with the background here.",
                "If it belongs to the drawing, lower the tolerance, or bring it back with the brush.", here, LOOK,
                (setting(f"Tolerance {100 * lower:g} %", f"{here}/tolerance", lower),), place)  # fmt: skip


def report_trace(draft: Draft, artwork: Artwork, ticket: Ticket, work: Work) -> None:
    """What was found, left out and mended, and how true it is."""
    own = work.artworks.get(artwork.id)
    if own is None or own.trace is None:
        return
    trace, here = own.trace.value, f"artworks/{artwork.id}/trace"
    draft.fact = f"{trace.nodes} nodes"
    draft.notes += _left_out(artwork, trace, here)
    verdict = own.picture.value.verdict
    if verdict.kind == "line drawing" and artwork.trace.mode == "two-tone" and artwork.trace.edges == "both edges":
        draft.notes.append(
            Note("These are drawn lines: each comes out twice, once along each of its sides.", "Take instead", here,
                 mends=(setting("their outer edge", f"{here}/edges", "outer edge"),
                        setting("their inner edge", f"{here}/edges", "inner edge"),
                        setting("their middle", f"{here}/mode", "centre-lines"),
                        setting("the panes between them", f"{here}/mode", "panes")))
        )  # fmt: skip
    if artwork.trace.mode != "paths":
        draft.notes += _lettering(artwork, ticket, own, trace, here)
    for id in trace.lost:
        draft.notes.append(
            Note(
                "A touch-up by hand has lost its place: no such region is there now.",
                "Take it back; or bring its region back, and it works again.",
                f"artworks/{artwork.id}/touch_ups/{id}", LOOK,
            )
        )  # fmt: skip
    draft.notes += _grainy(artwork, trace, here)
    if own.cleaned is not None:
        draft.notes += _against_the_pixels(trace, trace.width / own.cleaned.value.raster.width, here)
    strokes = sum(1 for shape in trace.kept if hasattr(shape, "width"))
    draft.figures = [
        (str(len(trace.kept)), "strokes" if strokes and strokes == len(trace.kept) else "shapes"),
        (str(trace.nodes), "nodes"),
    ]
    if trace.worst_deviation is not None and trace.mean_deviation is not None:
        draft.figures += [
            (f"{trace.worst_deviation:.3f} mm", "worst deviation"),
            (f"{trace.mean_deviation:.4f} mm", "mean deviation"),
        ]
    if trace.palette:
        draft.figures.append((str(len(trace.palette)), "flat colours"))
    count = sum(count for _, count in trace.mended)
    draft.figures.append((str(count), "flaws mended" if count != 1 else "flaw mended"))


def _lettering(artwork: Artwork, ticket: Ticket, own: WorkedArtwork, trace: TraceResult, here: str) -> list[Note]:
    """What looks like lettering and is traced: a place each, or all as one where there are many."""
    boxes = lettered(artwork, own.picture.value, own.size, trace)
    groups = [[box] for box in boxes] if len(boxes) <= FEW_BOXES else [boxes]
    notes = []
    for group in groups:
        places = "A place looks" if len(group) == 1 else f"{len(group)} places look"
        none = "It is no lettering" if len(group) == 1 else "None of them is lettering"
        changes = set_in_words(artwork, group[0], trace, ticket, own.size) if len(group) == 1 else ()
        again = (Mend("Set it again in words", changes),) if changes else ()
        middles = [((box.left + box.right) / 2, (box.top + box.bottom) / 2) for box in group]
        notes.append(
            Note(f"{places} like lettering, boxed on the table.",
                 "Set it again in a font: traced letters come out lumpy.", here,
                 mends=(*again, Mend(none, is_no_lettering(artwork, group, own.size))), place=middles[0],
                 more_places=tuple(middles[1:]))
        )  # fmt: skip
    return notes


def _grainy(artwork: Artwork, trace: TraceResult, here: str) -> list[Note]:
    """A trace of so many nodes that nobody drew it."""
    if trace.nodes <= MANY_NODES or artwork.trace.mode not in ("two-tone", "colours"):
        return []
    clean = f"artworks/{artwork.id}/clean"
    mends = [setting("Trace its outer edge", f"{here}/mode", "outer")]
    if artwork.clean.tones == "none":
        mends.insert(0, setting("Make it solid shadows", f"{clean}/tones", "solid shadows"))
    if artwork.clean.calm != "strong":
        mends.insert(0, setting("Calm it at Clean", f"{clean}/calm", "strong"))
    return [
        Note(f"The trace has {trace.nodes:,} nodes: it follows grain, or a photo.".replace(",", " "),
             "Calm the picture first, make its tones flat, or cut only its outer edge.", here, LOOK,
             mends=tuple(mends))
    ]  # fmt: skip


def _against_the_pixels(trace: TraceResult, mm_per_px: float, here: str) -> list[Note]:
    """Ink that no shape covers, or what shapes cover without ink; and how a busy picture was brought to an end."""
    notes = []
    both = trace.two_way
    if both is not None and both.leaves_out and both.left_out_at is not None:
        place = both.left_out_at[0] * mm_per_px, both.left_out_at[1] * mm_per_px
        notes.append(
            Note(f"Ink is left out here: up to {both.left_out * mm_per_px:.2f} mm of it lies beyond every shape.",
                 "Look at it over the artwork; move the threshold, or fill it in by hand.", here, LOOK, place=place)
        )  # fmt: skip
    if both is not None and both.adds and both.added_at is not None:
        place = both.added_at[0] * mm_per_px, both.added_at[1] * mm_per_px
        notes.append(
            Note(f"A shape goes beyond the ink here, by up to {both.added * mm_per_px:.2f} mm.",
                 "Look at it over the artwork; state a smaller deviation, or rub it out by hand.", here, LOOK,
                 place=place)
        )  # fmt: skip
    if trace.busy.reduced > 1:
        notes.append(
            Note(f"The picture is so busy that it was traced at 1/{trace.busy.reduced} of its pixels each way.",
                 "Calm it or take specks away at Clean to have all of them.", here)
        )  # fmt: skip
    if trace.busy.hurried:
        notes.append(
            Note(f"{trace.busy.hurried} of the smallest outlines were fitted quickly: they take a few nodes more.",
                 "Take specks away at Clean to have all polished.", here)
        )  # fmt: skip
    return notes


def _left_out(artwork: Artwork, trace: TraceResult, here: str) -> list[Note]:
    notes = []
    small = sum(1 for one in trace.shapes if one.dropped == "small")
    if small:
        specks = "1 speck" if small == 1 else f"{small} specks"
        limit = format_number(artwork.trace.smallest)
        notes.append(Note(f"{specks} under {limit} mm left out.", "Click one to keep it.", f"{here}/smallest"))
    frames = sum(1 for one in trace.shapes if one.dropped == "frame")
    if frames:
        notes.append(Note("A box or frame round the drawing is left out.", "Click it to keep it.", here))
    paper = sum(1 for one in trace.shapes if one.dropped == "paper")
    if paper:
        areas = "1 area" if paper == 1 else f"{paper} areas"
        notes.append(
            Note(f"{areas} in the paper’s colour left out.", "Click one to keep it.", f"{here}/paper",
                 mends=(setting("Keep them all", f"{here}/paper", "kept"),))
        )  # fmt: skip
    return notes
