"""The command line: inspect, trace, produce. Bad input is one sentence on standard error and exit code 2."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
import time
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path as File
from typing import NoReturn

from nibble_core.errors import InvalidTicket, NibbleError, NotBuiltYet, UnreadableFile
from nibble_core.geometry.units import MM_PER_PX, parse_length

MODES = ("two-tone", "outer", "colours", "centre-lines")
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


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="nibble", description="From a client's picture to job files.")
    commands = parser.add_subparsers(required=True, metavar="command")
    inspect = commands.add_parser("inspect", help="what a client's file is, as JSON")
    inspect.add_argument("file", type=File)
    inspect.set_defaults(run=_inspect)
    trace = commands.add_parser("trace", help="a picture to outlines at true size")
    trace.add_argument("file", type=File)
    trace.add_argument("--width", help="finished width, such as 100mm, 4in or 300px (default: 96 px an inch)")
    trace.add_argument("--mode", default="two-tone", help=", ".join(MODES))
    trace.add_argument("--threshold", default="auto", help="auto, or a grey level from 0 (black) to 1 (white)")
    trace.add_argument("--colours", type=int, help="how many flat colours (mode colours)")
    trace.add_argument("--tolerance", help="largest deviation of smooth stretches, such as 0.05mm")
    trace.add_argument("-o", "--output", type=File, required=True, help="OUT.svg or OUT.json")
    trace.set_defaults(run=_trace)
    produce = commands.add_parser("produce", help="all job files of a ticket")
    produce.add_argument("ticket", type=File)
    produce.add_argument("--artwork", type=File, nargs="+", required=True, help="the client's files")
    produce.add_argument("-o", "--output", type=File, required=True, help="folder for the job files")
    produce.set_defaults(run=_produce)
    return parser


def _bytes(file: File) -> bytes:
    if not file.is_file():
        raise UnreadableFile(f"There is no file “{file.name}”.", "Check the name.")
    if file.stat().st_size > LARGEST_FILE:
        raise UnreadableFile(f"“{file.name}” is over 500 MB.", "Ask for a smaller one.")
    return file.read_bytes()


def _inspect(options: argparse.Namespace) -> None:
    from nibble_core.pipeline.read import inspect

    content = _bytes(options.file)
    picture = inspect(content, options.file.name)
    facts = asdict(picture.facts)
    told = {
        "file": options.file.name, "kind": picture.kind, "bytes": len(content),
        "sha256": hashlib.sha256(content).hexdigest(), **facts, "stated_ppi": picture.stated_ppi,
        "ppi_at_100_mm": round(picture.facts.ppi(100), 1), "notes": list(picture.notes),
    }  # fmt: skip
    print(json.dumps(told, indent=1))


def _trace(options: argparse.Namespace) -> None:
    from nibble_core.formats import shapes_json, svg
    from nibble_core.graphics import Drawing
    from nibble_core.pipeline.read import inspect
    from nibble_core.pipeline.trace import ink_field
    from nibble_core.tracing import trace_two_tone

    threshold = _threshold(options.threshold)
    tolerance = _positive(options.tolerance, "tolerance") if options.tolerance else None
    if options.mode not in MODES:
        raise InvalidTicket(f"“{options.mode}” is no way to trace.", f"Choose one of {', '.join(MODES)}.")
    if options.mode in ("colours", "centre-lines"):
        raise NotBuiltYet(f"Tracing {options.mode} is not built yet.", "Choose two-tone or outer.")
    writers = {".svg": svg.write_drawing, ".json": shapes_json.write_drawing}
    if options.output.suffix.lower() not in writers:
        raise InvalidTicket(f"“{options.output.name}” is no kind of outline file.", "End it in .svg or .json.")
    raster = inspect(_bytes(options.file), options.file.name).raster
    width = _positive(options.width, "width", "px") if options.width else raster.width * MM_PER_PX
    mm_per_px = width / raster.width
    started = time.perf_counter()
    grey, suggested = ink_field(raster, options.mode)
    traced = trace_two_tone(
        grey, raster, level=suggested if threshold is None else threshold,
        tolerance=None if tolerance is None else tolerance / mm_per_px, filled=options.mode == "outer",
    )  # fmt: skip
    seconds = time.perf_counter() - started
    shapes = tuple(region.shape(mm_per_px) for region in traced.regions)
    worst, mean = traced.deviation()
    options.output.write_bytes(
        writers[options.output.suffix.lower()](Drawing(width, raster.height * mm_per_px, shapes))
    )
    told = {
        "nodes": sum(shape.region.node_count for shape in shapes), "regions": len(shapes),
        "worst_deviation_mm": round(worst * mm_per_px, 6), "mean_deviation_mm": round(mean * mm_per_px, 6),
        "seconds": round(seconds, 4),
    }  # fmt: skip
    print(json.dumps(told))


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
    from nibble_core.pipeline.files import write_files
    from nibble_core.pipeline.store import MemoryStore
    from nibble_core.pipeline.work import work_out
    from nibble_core.ticket import ticket_from_plain

    try:
        plain = json.loads(_bytes(options.ticket))
    except (ValueError, RecursionError) as error:
        raise InvalidTicket(f"“{options.ticket.name}” is not JSON.", "Give a ticket that Nibble wrote.") from error
    ticket = ticket_from_plain(plain)
    contents = {hashlib.sha256(content).hexdigest(): content for content in map(_bytes, options.artwork)}

    def source(sha256: str) -> bytes:
        if sha256 not in contents:
            called = next(artwork.name for artwork in ticket.artworks if artwork.file == sha256)
            raise UnreadableFile(f"The artwork “{called}” was not given.", "Name its file after --artwork.")
        return contents[sha256]

    files = write_files(ticket, work_out(ticket, source, MemoryStore()))
    options.output.mkdir(parents=True, exist_ok=True)
    for file in files:
        (options.output / file.name).write_bytes(file.content)
    print(json.dumps({"files": [file.name for file in files]}))


if __name__ == "__main__":
    sys.exit(main())
