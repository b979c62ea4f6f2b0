"""What the ticket says at Artwork, Clean and Trace."""

from __future__ import annotations

from collections.abc import Iterable

from nibble_core.ticket.artwork import TOUCHES, Artwork
from nibble_core.ticket.saying import Sentence, Slot, slot

MOST_LISTED = 12
Parts = tuple[str | Slot, ...]


def artwork_sentences(artwork: Artwork) -> Iterable[Sentence]:
    """In the order of the stations."""
    yield from _size(artwork)
    yield from _clean(artwork)
    yield from _trace(artwork)


def _size(artwork: Artwork) -> Iterable[Sentence]:
    here = f"artworks/{artwork.id}"
    by = slot(here, artwork, "sized_by")
    value = slot(here, artwork, {"wide": "width", "high": "height"}.get(artwork.sized_by, "scale"))
    crop = artwork.crop
    stretched: Parts = (".",)
    if artwork.stretch != 1:
        way = "wider" if artwork.stretch > 1 else "narrower"
        stretched = (f", stretched {100 * abs(artwork.stretch - 1):.3g} % {way}.",)
    more: Parts = (
        "Stretched to ", slot(here, artwork, "stretch"), " of its width. Lay it ",
        slot(here, artwork, "turn"), ", ", slot(here, artwork, "facing"), ". Cut off ",
        slot(f"{here}/crop", crop, "left"), " on the left, ", slot(f"{here}/crop", crop, "right"), " on the right, ",
        slot(f"{here}/crop", crop, "top"), " at the top and ", slot(f"{here}/crop", crop, "bottom"), " at the bottom.",
    )  # fmt: skip
    yield Sentence(
        f"{artwork.id}-size", "artwork", ("Make “", slot(here, artwork, "name"), "” ", value, " ", by, *stretched), more
    )
    if artwork.unit != "as the file says":
        yield Sentence(f"{artwork.id}-unit", "artwork", ("Read its numbers as ", slot(here, artwork, "unit"), "."))
    if artwork.part:
        yield Sentence(f"{artwork.id}-part", "artwork", ("Use ", slot(here, artwork, "part"), " of the file."))
    yield Sentence(
        f"{artwork.id}-source", "artwork",
        ("Where it came from: ", slot(here, artwork, "source"), ". Who allowed its use: ",
         slot(here, artwork, "allowed_by"), "."),
    )  # fmt: skip


def _clean(artwork: Artwork) -> Iterable[Sentence]:
    here, clean = f"artworks/{artwork.id}/clean", artwork.clean
    way, tolerance = slot(here, clean, "background"), slot(here, clean, "tolerance")
    if clean.background == "keep":
        parts: Parts = ("Background: ", way, " all of it.")
    elif clean.background == "see-through":
        parts = ("Take the background away: ", way, " stays see-through.")
    elif clean.background == "subject":
        parts = ("Keep the ", way, ", and take all else away.")
    elif clean.background == "places":
        parts = ("Take away what is connected to the ", way, " clicked, with colours within ", tolerance, " of them.")
    elif clean.background == "one colour":
        parts = ("Take away ", way, " everywhere, within ", tolerance, " of it.")
    else:
        parts = ("Take the background away: ", way, ", with colours within ", tolerance, " of it.")
    yield Sentence(
        f"{artwork.id}-background",
        "clean",
        parts,
        (
            "Calm the pixels first: ",
            slot(here, clean, "calm"),
            ". Squares of equal pixels are ",
            slot(here, clean, "squares"),
            ". Of one enlarged smoothly ",
            slot(here, clean, "blends"),
            " are taken.",
        ),
    )
    for place in clean.places:
        words = f"A place at {place.x * 100:.0f} % across, {place.y * 100:.0f} % down."
        yield Sentence(place.id, "clean", (words,), owner=f"{here}/places/{place.id}")
    yield from _listed(
        [Sentence(stroke.id, "clean", (f"{stroke.kind.capitalize()}, {stroke.width:.1f} mm wide.",),
                  owner=f"{here}/strokes/{stroke.id}") for stroke in clean.strokes], "stroke", "clean", artwork.id,
    )  # fmt: skip
    yield Sentence(f"{artwork.id}-specks", "clean", ("Take away specks under ", slot(here, clean, "specks"), "."))
    tones = slot(here, clean, "tones")
    more: Parts = ()
    if clean.tones != "none":
        shadows: Parts = (
            () if clean.tones == "bands" else ("Shadows lie below ", slot(here, clean, "tone_threshold"), "; ")
        )
        more = (*shadows, "darkness ", slot(here, clean, "tone_darkness"), ".")
    if clean.tones == "line-like edges":
        more = (*more, " Lines of strength ", slot(here, clean, "line_strength"), " and detail ",
                slot(here, clean, "line_detail"), ".")  # fmt: skip
    if clean.tones == "none":
        parts = ("Flat tones: ", tones, ".")
    elif clean.tones == "bands":
        parts = ("Turn it into ", tones, " of ", slot(here, clean, "tone_count"), " tones, in ",
                 slot(here, clean, "pieces"), ".")  # fmt: skip
    else:
        parts = ("Turn it into ", tones, ", in ", slot(here, clean, "pieces"), ".")
    yield Sentence(f"{artwork.id}-tones", "clean", parts, more)


def _trace(artwork: Artwork) -> Iterable[Sentence]:
    at, trace = f"artworks/{artwork.id}/trace", artwork.trace
    mode, smallest, hole = (slot(at, trace, name) for name in ("mode", "smallest", "smallest_hole"))
    threshold = slot(at, trace, "threshold")
    fit: Parts = (
        "Stay within ", slot(at, trace, "deviation"), " of the pixels, with ", slot(at, trace, "corners"),
        " corners, smoothed by ", slot(at, trace, "smooth"), ". Its edges: ", slot(at, trace, "making"), ".",
    )  # fmt: skip
    more = fit
    if trace.mode == "outer":
        parts: Parts = ("Trace the ", mode, " edge of the drawing, dropping parts under ", smallest, ".")
    elif trace.mode == "colours":
        parts = ("Trace ", mode, ", ", slot(at, trace, "colours"), " of them, paper colour ", slot(at, trace, "paper"),
                 ", dropping parts under ", smallest, ".")  # fmt: skip
        more = (*fit, " In its files lower colours reach ", slot(at, trace, "overlap"), " under upper ones.")
    elif trace.mode == "centre-lines":
        parts = ("Trace the ", mode, " of lines darker than ", threshold, ", dropping those under ", smallest, ".")
        more = ("Stay within ", slot(at, trace, "deviation"), " of the measured middle.")
    elif trace.mode == "panes":
        parts = ("Trace the ", mode, " between lines darker than ", threshold, ", dropping parts under ", smallest, ".")
    elif trace.mode == "paths":
        parts = ("Use the client’s ", mode, " as they are, strokes as ", slot(at, trace, "strokes"), ".")
        more = ("Colours that differ by less than ", slot(at, trace, "same_ink"), " are one ink.")
    else:
        parts = ("Trace ", mode, " shapes, ink below ", threshold, ", dropping parts under ", smallest,
                 " and holes under ", hole, ".")  # fmt: skip
        more = (*fit, " Of drawn lines take ", slot(at, trace, "edges"), "; leave out tones below ",
                slot(at, trace, "lightest"), ".")  # fmt: skip
    yield Sentence(f"{artwork.id}-trace", "trace", parts, more)
    for area in trace.areas:
        words = (
            f"Only what lies from {100 * min(area.x, area.x2):.0f} to {100 * max(area.x, area.x2):.0f} % across and "
            f"{100 * min(area.y, area.y2):.0f} to {100 * max(area.y, area.y2):.0f} % down is traced."
        )
        yield Sentence(area.id, "trace", (words,), owner=f"{at}/areas/{area.id}")
    for one in trace.recolours:
        words = f"Colour {_hex(one.colour)} becomes {_hex(one.to)}."
        yield Sentence(one.id, "trace", (words,), owner=f"{at}/recolours/{one.id}")
    for none in artwork.wordless:
        words = f"What lies at {none.x * 100:.0f} % across, {none.y * 100:.0f} % down is no lettering."
        yield Sentence(none.id, "trace", (words,), owner=f"artworks/{artwork.id}/wordless/{none.id}")
    said = []
    for touch in artwork.touch_ups:
        place = f" at {touch.x * 100:.0f} % across, {touch.y * 100:.0f} % down"
        reach = "" if touch.alike == "only this" else f", and every region {touch.alike}"
        words = f"{_TOUCH_WORDS.get(touch.kind, touch.kind)} by hand{place}{reach}."
        said.append(Sentence(touch.id, "trace", (words,), owner=f"artworks/{artwork.id}/touch_ups/{touch.id}"))
    yield from _listed(said, "touch-up", "trace", artwork.id)


def _listed(said: list[Sentence], called: str, station: str, id: str) -> Iterable[Sentence]:
    """The last few of a long list, with a count of those before."""
    earlier = len(said) - MOST_LISTED
    if earlier > 0:
        words = f"{earlier} earlier {called}{'s' if earlier > 1 else ''}; undo reaches them."
        yield Sentence(f"{id}-{called}-earlier", station, (words,))
    yield from said[-MOST_LISTED:]


def _hex(colour: tuple[int, int, int]) -> str:
    return "#{:02x}{:02x}{:02x}".format(*colour)


_TOUCH_WORDS = {
    "drop": "Drop the region", "keep": "Keep the region", "fill hole": "Fill the hole", "open hole": "Open the hole",
    "rub out": "Rub out", "fill in": "Fill in", "join": "Join two regions", "straighten": "Straighten the edge",
    "smooth": "Smooth the edge", "arc": "Make the edge an arc", "circle": "Make a true circle",
    "ellipse": "Make a true ellipse", "outline": "Outline set",
}  # fmt: skip
assert set(_TOUCH_WORDS) == set(TOUCHES)
