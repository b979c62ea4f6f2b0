"""The command line: inspect, trace, produce. Bad input is one sentence on standard error and exit code 2."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
import tempfile
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, NoReturn

from nibble_core.errors import InvalidTicket, NibbleError, NothingToTrace, UnreadableFile
from nibble_core.geometry.units import MM_PER_PX, parse_length
from nibble_core.processes import PROCESSES
from nibble_core.simulators import rehearsal_options

if TYPE_CHECKING:
    from nibble_core.graphics import Drawing
    from nibble_core.pipeline.read import Picture
    from nibble_core.pipeline.results import Work
    from nibble_core.pipeline.store import ResultStore
    from nibble_core.simulators.laser import Body
    from nibble_core.simulators.router import Cutter, Stage
    from nibble_core.ticket import Ticket

MODES = ("two-tone", "outer", "colours", "centre-lines", "panes", "paths")
_UNITS = {"mm": 1.0, "cm": 10.0, "in": 25.4}
LARGEST_FILE = 500_000_000


class _Parser(argparse.ArgumentParser):
    """Wrong options are one sentence, too."""

    def error(self, message: str) -> NoReturn:
        print(f"{message[:1].upper()}{message[1:]}. See docs/reference/cli.md.", file=sys.stderr)
        sys.exit(2)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    options = _parser().parse_args(arguments)
    try:
        options.run(options)
    except NibbleError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    except OSError as error:
        print(f"{error.filename or 'A file'}: {error.strerror or error}.", file=sys.stderr)
        return 2
    return 0


Commands = Any
"""What argparse adds commands to; it has no name for it."""


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="nibble", description="From a client's picture to job files.")
    commands = parser.add_subparsers(required=True, metavar="command")
    for add in (_add_inspect, _add_trace, _add_produce, _add_nest):
        add(commands)
    simulate = commands.add_parser("simulate", help="a machine that ships with Nibble")
    kinds = simulate.add_subparsers(required=True, metavar="machine")
    for add_to in (_add_laser, _add_router, rehearsal_options.add_press, rehearsal_options.add_cutter):
        add_to(kinds)
    return parser


def _add_inspect(commands: Commands) -> None:
    inspect = commands.add_parser("inspect", help="what a client's file is, as JSON")
    inspect.add_argument("file", type=File)
    _which_part(inspect)
    inspect.set_defaults(run=_inspect)


def _add_trace(commands: Commands) -> None:
    trace = commands.add_parser("trace", help="a picture to outlines at true size")
    trace.add_argument("file", type=File)
    trace.add_argument("--width", help="finished width, such as 100mm, 4in or 300px (default: 96 px an inch)")
    trace.add_argument("--mode", help=f"{', '.join(MODES)} (default: paths for a drawing, two-tone for a picture)")
    _which_part(trace)
    trace.add_argument("--strokes", choices=("line", "outline"), default="line", help="strokes as lines or as areas")
    trace.add_argument("--threshold", default="auto", help="auto, or a grey level from 0 (black) to 1 (white)")
    trace.add_argument("--colours", type=int, help="how many flat colours (mode colours)")
    trace.add_argument("--tolerance", help="largest deviation of smooth stretches, such as 0.05mm")
    trace.add_argument("--overlap", help="how far lower colours reach under upper ones, such as 0.2mm")
    trace.add_argument(
        "--same-ink", type=float, default=4.0, metavar="PERCENT",
        help="of a drawing: colours that differ by less are one ink (default: %(default)g)",
    )  # fmt: skip
    trace.add_argument("--keep-paper", action="store_true", help="a white background that fills the page is a shape")
    trace.add_argument("-o", "--output", type=File, required=True, help="OUT.svg, OUT.pdf, OUT.dxf or OUT.json")
    trace.add_argument("--format", choices=("dxf-polylines", "dxf-r12"), help="of a DXF for software without splines")
    trace.set_defaults(run=_trace)


def _add_produce(commands: Commands) -> None:
    produce = commands.add_parser("produce", help="all job files of a ticket")
    produce.add_argument("ticket", type=File)
    produce.add_argument("--artwork", type=File, nargs="*", action="extend", default=[], help="the client's files")
    produce.add_argument(
        "--formats", help="of every sheet, such as pdf,svg,dxf,dxf-polylines,dxf-r12,hpgl,png,combined"
    )
    produce.add_argument("-o", "--output", type=File, required=True, help="folder for the job files")
    produce.set_defaults(run=_produce)


def _add_nest(commands: Commands) -> None:
    nest = commands.add_parser("nest", help="copies of a ticket's sheets as tight as they go")
    nest.add_argument("ticket", type=File)
    nest.add_argument("--artwork", type=File, nargs="*", action="extend", default=[], help="the client's files")
    nest.add_argument("--seconds", type=float, default=5.0, help="how long to look for a better one (default: 5)")
    nest.add_argument("--sheet", help="of one sheet only, by its id")
    nest.add_argument("-o", "--output", type=File, required=True, help="the ticket with its placements")
    nest.set_defaults(run=_nest)


def _add_laser(kinds: Commands) -> None:
    laser = kinds.add_parser("laser", help="a laser: run a file, or listen at a port")
    laser.add_argument("file", type=File, nargs="?", help="a G-code file; without it, --port")
    laser.add_argument("--port", type=int, help="listen for programs at this port of this machine")
    laser.add_argument("--quick", type=float, default=1.0, help="times as fast as a real one, at a port (default: 1)")
    laser.add_argument("--lies", default="0,0,0,1,1", help="the printed sheet at a port: shift x,y, turn, growth x,y")
    laser.add_argument("--bed", default="600x400", help="its bed in mm (default: 600x400)")
    laser.add_argument(
        "--origin", default="lower left", help="corner of the bed, or “the centre” (default: lower left)"
    )
    laser.add_argument("--at", default="0,0", help="where the head stands on the bed from that corner (default: 0,0)")
    laser.add_argument("--acceleration", type=float, default=4000.0, help="mm/s² (default: 4000)")
    laser.add_argument("--fastest", type=float, default=600.0, help="mm/s of travels (default: 600)")
    laser.add_argument(
        "--jump", type=float, default=12.0, help="mm/s that its velocity may change at once (default: 12)"
    )
    laser.add_argument("--power", type=float, default=1000.0, help="the word of full power (default: 1000)")
    laser.add_argument("--raises", action="store_true", help="G-code moves its head up and down")
    laser.add_argument("-o", "--output", type=File, help="what was burnt, as PNG")
    laser.add_argument("--report", type=File, help="lengths, minutes, dropped parts, complaints, as JSON")
    laser.add_argument(
        "--thing", type=File, help="a round thing that its Y turns, as JSON; -o is then its wall unrolled"
    )
    laser.add_argument("--front", type=File, help="the thing as it looks, as PNG, with the side that faces --angle")
    laser.add_argument("--angle", type=float, default=180.0, help="degrees from the handle or seam (default: 180)")
    laser.set_defaults(run=_simulate_laser)


def _add_router(kinds: Commands) -> None:
    router = kinds.add_parser("router", help="a router: run a file on a board")
    router.add_argument("files", type=File, nargs="*", help="G-code files, run one after another on the same board")
    router.add_argument("--port", type=int, help="listen for programs at this port of this machine, without files")
    router.add_argument("--quick", type=float, default=1.0, help="times as fast as a real one, at a port (default: 1)")
    router.add_argument("--fitted", default="", help="the cutters put in by hand before each file, as 1,3,1")
    router.add_argument("--board", default="600x200x18", help="width x height x thickness in mm (default: 600x200x18)")
    router.add_argument("--tools", type=File, required=True, help="its cutters by number, as JSON")
    router.add_argument(
        "--corner", default="0,0", help="of the board, lower left, in the machine's axes (default: 0,0)"
    )
    router.add_argument("--top", type=float, default=0.0, help="height of its surface there (default: 0)")
    router.add_argument("--spoil", type=float, default=1.0, help="mm below the board that may be cut (default: 1)")
    router.add_argument("--clamp", action="append", default=[], help="left,bottom,right,top,height of a clamp")
    router.add_argument("--pitch", type=float, default=0.1, help="mm of a pixel (default: 0.1)")
    router.add_argument("-o", "--output", type=File, help="the heights, as a 16-bit PNG: 65535 is the surface")
    router.add_argument("--report", type=File, help="minutes, depths, loose parts, complaints, as JSON")
    router.set_defaults(run=_simulate_router)


def _which_part(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--part", default="", help="a file of a zip, “page 2” of a PDF, “picture 1” within a drawing")
    parser.add_argument("--unit", choices=("mm", "cm", "in", "pt"), help="of a DXF that does not say its own")


def _bytes(file: File) -> bytes:
    if not file.is_file():
        raise UnreadableFile(f"There is no file “{file.name}”.", "Check the name.")
    if file.stat().st_size > LARGEST_FILE:
        raise UnreadableFile(f"“{file.name}” is over 500 MB.", "Ask for a smaller one.")
    return file.read_bytes()


def _inspect(options: argparse.Namespace) -> None:
    from nibble_core.pipeline.guarded import read_guarded

    content = _bytes(options.file)
    picture = read_guarded(content, options.file.name, options.part, options.unit)
    facts = asdict(picture.facts)
    told: dict[str, Any] = {
        "file": options.file.name, "kind": picture.kind, "bytes": len(content),
        "sha256": hashlib.sha256(content).hexdigest(), **facts, "stated_ppi": picture.stated_ppi,
        "ppi_at_100_mm": round(picture.facts.ppi(100), 1), "notes": _losses(picture),
        "verdict": asdict(picture.verdict), "making": _making(picture),
        "part": picture.part, "parts": list(picture.parts),
    }  # fmt: skip
    if picture.drawing is not None:
        drawn = picture.drawing
        told["drawing"] = {
            "width_mm": round(drawn.drawing.width, 3), "height_mm": round(drawn.drawing.height, 3),
            "shapes": len(drawn.drawing.shapes), "nodes": sum(shape.nodes for shape in drawn.drawing.shapes),
            "has_unit": drawn.has_unit, "pages": drawn.pages, "left_out": dict(picture.leftovers),
            "layers": sorted({shape.layer for shape in drawn.drawing.shapes if shape.layer}),
            "spots": sorted({shape.spot for shape in drawn.drawing.shapes if shape.spot}),
            "text_without_outlines": [asdict(found) for found in drawn.lettering],
        }  # fmt: skip
    print(json.dumps(told, indent=1))


def _trace(options: argparse.Namespace) -> None:
    from nibble_core.formats.registry import OUTLINE_FORMATS
    from nibble_core.pipeline.guarded import read_guarded
    from nibble_core.pipeline.traced_drawing import with_outlined_strokes, with_overlap

    if options.mode is not None and options.mode not in MODES:
        raise InvalidTicket(f"“{options.mode}” is no way to trace.", f"Choose one of {', '.join(MODES)}.")
    wanted = options.format or options.output.suffix.lower().lstrip(".")
    form = OUTLINE_FORMATS.get(wanted)
    if form is None:
        ways = ", ".join(f".{one.ending}" for one in OUTLINE_FORMATS.values() if one.ending == one.key)
        raise InvalidTicket(f"“{options.output.name}” is no kind of outline file.", f"End it in one of {ways}.")
    threshold = _threshold(options.threshold)
    tolerance = _positive(options.tolerance, "tolerance") if options.tolerance else None
    if options.colours is not None and not 2 <= options.colours <= 24:
        raise InvalidTicket(f"{options.colours} colours cannot be told apart.", "Ask for 2 to 24.")
    if not 0 <= options.same_ink <= 50:
        raise InvalidTicket(f"Inks cannot differ by {options.same_ink:g} %.", "Choose 0 to 50.")
    content = _bytes(options.file)
    started = time.perf_counter()
    picture = read_guarded(content, options.file.name, options.part, options.unit)
    mode = options.mode or ("paths" if picture.drawing is not None else "two-tone")
    width = _positive(options.width, "width", "px") if options.width else None
    notes = _losses(picture)
    measured: dict[str, float] = {"worst_deviation_mm": 0.0, "mean_deviation_mm": 0.0}
    if mode == "paths":
        drawing = _own_paths(picture, options, width, notes)
    else:
        drawing, measured = _traced(picture, mode, width, threshold, tolerance, options, notes)
    if not drawing.shapes:
        raise NothingToTrace("The tracing finds nothing.", "Move the threshold, or trace colours.")
    if options.overlap:
        drawing = with_overlap(drawing, _positive(options.overlap, "overlap"))
    if options.strokes == "outline":
        drawing = with_outlined_strokes(drawing)
    seconds = time.perf_counter() - started
    options.output.write_bytes(form.outlines(drawing))
    told = {
        "nodes": sum(shape.nodes for shape in drawing.shapes), "regions": len(drawing.shapes),
        "width_mm": round(drawing.width, 4), "height_mm": round(drawing.height, 4), **measured,
        "seconds": round(seconds, 4), "notes": notes,
    }  # fmt: skip
    for note in notes:
        print(note, file=sys.stderr)
    print(json.dumps(told))


def _making(picture: Picture) -> dict[str, Any]:
    """How a picture of pixels was made, in figures and in words."""
    from nibble_core.pipeline.making_words import enlarged_in_words, making_in_words, saved_before

    squares = picture.facts.squares
    words = [enlarged_in_words(squares)] if squares.is_enlarged else []
    if picture.facts.blend:
        words.append(f"{enlarged_in_words(picture.facts.blend)} It is traced as that.")
    words += [f"{what} {done}" for _, what, done in making_in_words(picture.making)]
    if before := saved_before(picture.kind, picture.facts, picture.making):
        words.append(before)
    return {**asdict(picture.making), "told": words}


def _losses(picture: Picture) -> list[str]:
    """What of a client's file the outlines do not hold, in words: the file's own notes, text, pictures, shapes."""
    from nibble_core.formats.client_drawing import LEFTOVERS

    notes = list(picture.notes)
    if picture.drawing is None:
        return notes
    for found in picture.drawing.lettering:
        notes.append(f"Live text “{found.text}” is left out: its font {found.font} is not in the file.")
    if picture.drawing.pictures:
        count = len(picture.drawing.pictures)
        pictures = "A picture within is" if count == 1 else f"{count} pictures within are"
        notes.append(f"{pictures} left out: trace it by --part “picture 1”.")
    for reason, number in picture.leftovers:
        shapes = "1 shape" if number == 1 else f"{number} shapes"
        notes.append(f"{shapes} left out, {LEFTOVERS.get(reason, reason)}.")
    return notes


def _own_paths(picture: Picture, options: argparse.Namespace, width: float | None, notes: list[str]) -> Drawing:
    from dataclasses import replace

    from nibble_core.artwork.inks import with_joined_inks
    from nibble_core.artwork.leftovers import page_background

    if picture.drawing is None:
        raise NothingToTrace("This file is made of pixels: it has no paths.", "Leave --mode out, or trace it.")
    found = picture.drawing
    if found.kind == "DXF" and not found.has_unit and width is None and options.unit is None:
        sizes = ", ".join(f"{unit} {found.drawing.width * mm:.1f} mm wide" for unit, mm in _UNITS.items())
        raise InvalidTicket(
            f"“{options.file.name}” does not say its unit: in {sizes}.", "Give --unit mm, cm or in, or --width."
        )
    drawing = found.drawing if width is None else found.drawing.mapped(width / found.drawing.width)
    drawing = replace(drawing, shapes=tuple(with_joined_inks(drawing.shapes, options.same_ink / 100)))
    paper = page_background(drawing.shapes, drawing.width, drawing.height)
    if paper and not options.keep_paper:
        notes.append("A white background that fills the page is left out: --keep-paper keeps it.")
        drawing = replace(drawing, shapes=tuple(s for i, s in enumerate(drawing.shapes) if i not in paper))
    return drawing


def _traced(
    picture: Picture, mode: str, width: float | None, threshold: float | None, tolerance: float | None,
    options: argparse.Namespace, notes: list[str],
) -> tuple[Drawing, dict[str, float]]:  # fmt: skip
    """Shapes of the picture as it is, in mm, and how true they are, in mm."""
    from nibble_core.pipeline.clean import as_made
    from nibble_core.pipeline.trace import AS_TOLD, EVERY_STEP, steps_are_meant, traced_raster
    from nibble_core.ticket.artwork import Trace

    raster = as_made(picture)
    own = picture.own_width if picture.drawing is not None or picture.placed else picture.raster.width * MM_PER_PX
    whole = width or own
    mm_per_px = whole / raster.width
    making = EVERY_STEP if steps_are_meant(picture.facts, single=True) else AS_TOLD
    specification = Trace(mode=mode, threshold=threshold, colours=options.colours, making=making)
    allowed = None if tolerance is None else tolerance / mm_per_px
    drawing, found = traced_raster(raster, specification, whole, tolerance=allowed)
    worst, mean = found.deviation or (0.0, 0.0)
    told = {"worst_deviation_mm": round(worst * mm_per_px, 6), "mean_deviation_mm": round(mean * mm_per_px, 6)}
    both = found.two_way
    if both is not None:
        told |= {"left_out_mm": round(both.left_out * mm_per_px, 4), "added_mm": round(both.added * mm_per_px, 4)}
        if both.leaves_out:
            notes.append(f"Ink is left out: up to {both.left_out * mm_per_px:.2f} mm of it lies beyond every shape.")
        if both.adds:
            notes.append(f"A shape goes beyond the ink by up to {both.added * mm_per_px:.2f} mm.")
    if found.busy.reduced > 1:
        notes.append(f"The picture is so busy that it was traced at 1/{found.busy.reduced} of its pixels each way.")
    return drawing, told


def _threshold(text: str) -> float | None:
    if text == "auto":
        return None
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 < value <= 1:
        raise InvalidTicket(f"“{text}” is no threshold.", "Give auto, or a grey level above 0 and up to 1.")
    return value


def _positive(text: str, called: str, unit: str = "mm") -> float:
    value = parse_length(text, unit)
    if not 0 < value <= 100_000:
        raise InvalidTicket(f"A {called} of “{text}” cannot be made.", "Give one above 0 and under 100 m.")
    return value


def _produce(options: argparse.Namespace) -> None:
    from nibble_core.pipeline.files import make_files

    wanted = [one.strip() for one in options.formats.split(",") if one.strip()] if options.formats else None
    ticket, work = _worked_out(options)
    made = make_files(ticket, work, formats=wanted)
    _write_together(options.output, {file.name: file.content for file in made.files})
    refused = [{"name": one.name, "why": one.error.message} for one in made.refused]
    print(json.dumps({"files": [file.name for file in made.files], **({"refused": refused} if refused else {})}))
    if refused:
        sys.exit(3)


def _write_together(folder: File, files: dict[str, bytes]) -> None:
    """All files or none: they are written beside their places first."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=folder, prefix=".unfinished-") as beside:
        for name, content in files.items():
            (File(beside) / name).write_bytes(content)
        for name in files:
            (File(beside) / name).replace(folder / name)


def _nest(options: argparse.Namespace) -> None:
    from nibble_core.pipeline.nested import nested
    from nibble_core.pipeline.sheets import waste_share
    from nibble_core.pipeline.store import MemoryStore
    from nibble_core.sheet import Limits
    from nibble_core.ticket import to_plain

    if not 0 <= options.seconds <= 3600:
        raise InvalidTicket(f"{options.seconds:g} seconds cannot be nested.", "Give 0 to 3600.")
    store = MemoryStore()
    ticket, work = _worked_out(options, store=store)
    if options.sheet and all(sheet.id != options.sheet for sheet in ticket.sheets):
        known = ", ".join(sheet.id for sheet in ticket.sheets)
        raise InvalidTicket(f"There is no sheet “{options.sheet}”.", f"Choose one of {known}.")
    left_out = [problem for problem in work.problems if problem.station not in ("sheet", "machine")]
    if left_out:
        raise left_out[0].error
    chosen = [sheet for sheet in ticket.sheets if options.sheet in (None, sheet.id)]
    told: list[dict[str, Any]] = []
    for sheet in chosen:
        started = time.perf_counter()
        made = nested(
            ticket, sheet, work, Limits(options.seconds), lambda one: _worked_out(options, to_plain(one), store)[1]
        )
        ticket = made.ticket
        seconds = round(time.perf_counter() - started, 3)
        told.append({"sheet": sheet.id, "up": made.copies, "runs": made.runs, "length_mm": round(made.length, 3),
                     "seconds": seconds})  # fmt: skip
    plain = to_plain(ticket)
    _, work = _worked_out(options, plain, store)
    work.require_whole()
    options.output.write_text(json.dumps(plain, indent=1, ensure_ascii=False))
    used = [work.sheets[sheet.id].laid.value for sheet in chosen]
    shares = [waste_share(work, sheet.id) or 0.0 for sheet in chosen]
    whole = sum(laid.used_width * laid.used_height for laid in used)
    wasted = sum(share * laid.used_width * laid.used_height for share, laid in zip(shares, used, strict=True))
    print(json.dumps({
        "up": sum(one["up"] for one in told), "length_mm": round(sum(one["length_mm"] for one in told), 3),
        "waste_share": round(wasted / whole, 4), "seconds": round(sum(one["seconds"] for one in told), 3),
        "sheets": told,
    }))  # fmt: skip


def _simulate_laser(options: argparse.Namespace) -> None:
    from nibble_core.simulators import burnt

    body = _body(options)
    if options.file is None:
        _listen(options, body)
        return
    if options.thing:
        _simulate_turned(options, body)
        return
    laser, told = burnt.run(_bytes(options.file), body)
    plain = told.plain()
    if options.report:
        options.report.write_text(json.dumps(plain, indent=1))
    if options.output:
        import cv2

        fine = max(1.0, min(10.0, 6000 / max(body.width, body.height)))
        picture = burnt.picture(laser.steps, body, px_per_mm=fine)
        options.output.write_bytes(bytes(cv2.imencode(".png", picture)[1]))
    said = {"minutes": plain["minutes"], "dropped": len(told.dropped), "complaints": plain["complaints"]}
    print(json.dumps(said))


def _simulate_router(options: argparse.Namespace) -> None:
    import cv2
    import numpy as np

    from nibble_core.simulators import router

    try:
        width, height, thick = (float(part) for part in options.board.lower().split("x"))
        left, bottom = (float(part) for part in options.corner.split(","))
        clamps = tuple(tuple(float(part) for part in one.split(",")) for one in options.clamp)
        fitted = [int(part) for part in options.fitted.split(",")] if options.fitted else [0] * len(options.files)
    except ValueError as error:
        raise InvalidTicket(
            "A board is width x height x thickness in mm, a corner x,y, a clamp left,bottom,right,top,height, cutters "
            "numbers.",
            "Write 600x200x18, 0,0, 0,0,40,40,15 and 1,3,1.",
        ) from error
    pixels = width * height / max(options.pitch, 1e-6) ** 2
    if not (0 < width < 1e5 and 0 < height < 1e5 and 0 < thick < 1e4 and options.pitch > 0) or pixels > 1e8:
        raise InvalidTicket(
            "A board has no size of nothing, and at most 100 million pixels.", "Give a coarser --pitch."
        )
    if any(len(one) != 5 for one in clamps):
        raise InvalidTicket("A clamp has five numbers.", "Write left,bottom,right,top,height.")
    if len(fitted) != len(options.files):
        raise InvalidTicket("Each file has one cutter put in before it.", "Name as many as there are files.")
    zones = tuple((one[0], one[1], one[2], one[3], one[4]) for one in clamps)
    stage = router.Stage(width, height, thick, left, bottom, options.top, options.spoil, clamps=zones)
    rack = router.cutters_of(_bytes(options.tools))
    if not options.files:
        _listen_as_router(options, stage, rack)
        return
    surface, runs = router.whole(stage, options.pitch), []
    for file, cutter in zip(options.files, fitted, strict=True):
        runs.append(router.fed(_bytes(file), stage, rack, cutter))
        surface = router.cut(runs[-1], options.pitch, surface)
    told = {
        "minutes": round(sum(router.seconds(run) for run in runs) / 60, 3),
        "deepest_mm": round(float(-surface.min()), 3), "changes": sum(run.changes for run in runs),
        "loose": router.loose(surface, thick, options.pitch),
        "complaints": [
            {"file": file.name, "line": one.line, "says": one.words}
            for file, run in zip(options.files, runs, strict=True) for one in sorted(run.complaints)
        ],
    }  # fmt: skip
    if options.report:
        options.report.write_text(json.dumps(told, indent=1))
    if options.output:
        share = 1 + surface / (thick + options.spoil)
        image = np.rint(np.clip(share, 0, 1) * 65_535).astype(np.uint16)
        options.output.write_bytes(bytes(cv2.imencode(".png", image)[1]))
    print(json.dumps(told))


def _listen_as_router(options: argparse.Namespace, stage: Stage, rack: Mapping[int, Cutter]) -> None:
    from nibble_core.simulators.in_time import listen
    from nibble_core.simulators.router_port import Running

    running = Running(stage, rack, options.quick, max(options.pitch, 0.2))
    listen(running, options.port, f"A router with a board of {options.board} mm", "G-code files")


def _simulate_turned(options: argparse.Namespace, body: Body) -> None:
    """A laser whose Y turns a round thing."""
    import cv2

    from nibble_core.simulators import burnt, turned

    thing = turned.thing_of(_bytes(options.thing))
    laser = burnt.fed(_bytes(options.file), replace(body, turns=True))
    facts, found = turned.judged(laser, thing)
    laser.complaints += found
    raw = laser.steps
    laser.steps = turned.on_surface(raw, thing)
    plain = burnt.report(laser).plain() | facts
    if options.report:
        options.report.write_text(json.dumps(plain, indent=1))
    image = turned.unrolled(raw, thing)
    if options.output:
        options.output.write_bytes(bytes(cv2.imencode(".png", image)[1]))
    if options.front:
        options.front.write_bytes(bytes(cv2.imencode(".png", turned.from_front(image, thing, options.angle))[1]))
    print(json.dumps({"minutes": plain["minutes"], "complaints": plain["complaints"], **facts}))


def _body(options: argparse.Namespace) -> Body:
    from nibble_core.simulators.laser import Body

    try:
        width, height = (float(part) for part in options.bed.lower().split("x"))
        x, y = (float(part) for part in options.at.split(","))
    except ValueError as error:
        raise InvalidTicket(
            f"A bed is width x height in mm and a place x,y; “{options.bed}” and “{options.at}” are not.",
            "Write 600x400 and 0,0.",
        ) from error
    numbers = (width, height, options.acceleration, options.fastest, options.jump, options.power, options.quick)
    if not all(0 < number < 1e7 for number in numbers):
        raise InvalidTicket("A machine has no size, speed or power of nothing.", "Give numbers above 0.")
    corners = {
        "lower left": (0.0, 0.0), "upper left": (0.0, -height), "lower right": (-width, 0.0),
        "upper right": (-width, -height), "the centre": (-width / 2, -height / 2),
    }  # fmt: skip
    if options.origin not in corners:
        raise InvalidTicket(f"“{options.origin}” is no origin.", f"Choose {', '.join(corners)}.")
    left, bottom = corners[options.origin]
    return Body(
        width, height, left - x, bottom - y, options.acceleration, options.fastest, options.jump, options.power,
        options.raises, through=tuple(key for key, one in PROCESSES.items() if one.through),
    )  # fmt: skip


def _listen(options: argparse.Namespace, body: Body) -> None:
    from nibble_core.simulators import turned
    from nibble_core.simulators.in_time import listen
    from nibble_core.simulators.laser_port import Lies, Running

    try:
        x, y, turn, across, along = (float(part) for part in options.lies.split(","))
    except ValueError as error:
        raise InvalidTicket(
            f"“{options.lies}” does not say how a sheet lies.", "Write 1.5,-0.8,0.2,1.001,1."
        ) from error
    lies = Lies((x, y), turn, across, along)
    thing = turned.thing_of(_bytes(options.thing)) if options.thing else None
    called = f"A laser of {body.width:g} x {body.height:g} mm"
    listen(Running(body, options.quick, lies, thing), options.port, called, "a G-code file")


def _worked_out(
    options: argparse.Namespace, plain: Any = None, store: ResultStore | None = None
) -> tuple[Ticket, Work]:
    """The ticket of a file, or the one given, and everything that follows from it."""
    from nibble_core.pipeline.guarded import read_guarded
    from nibble_core.pipeline.read import keep_all_read
    from nibble_core.pipeline.store import MemoryStore
    from nibble_core.pipeline.work import work_out
    from nibble_core.ticket import ticket_from_plain

    if plain is None:
        try:
            plain = json.loads(_bytes(options.ticket))
        except (ValueError, RecursionError) as error:
            raise InvalidTicket(f"“{options.ticket.name}” is not JSON.", "Give a ticket that Nibble wrote.") from error
    ticket = ticket_from_plain(plain)
    contents = {hashlib.sha256(content).hexdigest(): content for content in map(_bytes, options.artwork)}

    def source(sha256: str) -> bytes:
        if sha256 not in contents:
            called = next((artwork.name for artwork in ticket.artworks if artwork.file == sha256), "")
            raise UnreadableFile(f"The artwork “{called}” was not given.", "Name its file after --artwork.")
        return contents[sha256]

    store = store or MemoryStore()
    keep_all_read(store, ticket.artworks, source, read_guarded)
    return ticket, work_out(ticket, source, store)


if __name__ == "__main__":
    sys.exit(main())
