"""What ``simulate press`` and ``simulate cutter`` do."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import shapely
from PIL import Image, TiffImagePlugin
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from nibble_core.errors import InvalidTicket, UnreadableFile
from nibble_core.simulators.camera import INCH
from nibble_core.simulators.cut_files import CutFile, Unreadable, read_cut
from nibble_core.simulators.cutter import Blade, Complaint, Marks, Seen, clamped_words, cut, look_for, under_clamps
from nibble_core.simulators.cutter_port import Loaded, Running
from nibble_core.simulators.in_time import listen
from nibble_core.simulators.press import MARGIN, Distortion, Faults, PrintedSheet, Unprintable
from nibble_core.simulators.rehearsal_options import NUMBERS

PAGE_NAME = 285
"""TIFF 6.0, “PageName”."""
MOST_PIXELS = 150_000_000
LEAST_PPI, MOST_PPI = 50, 600
SHAPES = ("circles", "squares", "crosses", "corners")
OFF_BY = 3.0  # times that lines may reach beyond what the marks stand round
DARK = (40, 30, 120)


def run_press(options: argparse.Namespace) -> None:
    """Raises InvalidTicket for options that make no press, UnreadableFile for what it cannot print, OSError."""
    if not LEAST_PPI <= options.ppi <= MOST_PPI:
        raise InvalidTicket(f"A picture cannot have {options.ppi:g} pixels an inch.", "Ask for 50 to 600.")
    faults = Faults(
        **{name: getattr(options, name) for name in NUMBERS}, mirrored=options.mirrored,
        shift=_numbers(options.shift, 2, "--shift"), cast=_numbers(options.cast, 3, "--cast"),
        scratches=tuple(_numbers(one, 3, "--scratch") for one in options.scratch),
        plates=tuple(one.strip() for one in options.plates.split(",") if one.strip()), seed=options.seed,
    )  # fmt: skip
    try:
        sheet = PrintedSheet(options.file.read_bytes(), faults)
        left, top, right, bottom = box = sheet.reach
        pixels = (right - left) * (bottom - top) * (options.ppi / INCH) ** 2
        if pixels > MOST_PIXELS:
            most = int(options.ppi * (MOST_PIXELS / pixels) ** 0.5)
            raise InvalidTicket(f"At {options.ppi:g} pixels an inch this sheet is too large.", f"Ask for {most}.")
        pages = [("Print", sheet.picture(box, options.ppi))]
        pages += [(name, sheet.plate(name, box, options.ppi)) for name in sheet.plates]
    except Unprintable as error:
        raise UnreadableFile(str(error), "Give a print file.") from error
    with TiffImagePlugin.AppendingTiffWriter(str(options.output), True) as file:
        for name, page in pages:
            told = ImageFileDirectory_v2()
            told[PAGE_NAME] = name
            Image.fromarray(page).save(
                file, "TIFF", dpi=(options.ppi, options.ppi), compression="tiff_lzw", tiffinfo=told
            )
            file.newFrame()
    did = {
        "width_mm": round(sheet.width, 4), "height_mm": round(sheet.height, 4), "ppi": options.ppi,
        "left_mm": left, "top_mm": top, "plates": list(sheet.plates), "faults": asdict(faults),
    }  # fmt: skip
    if options.report:
        options.report.write_text(json.dumps(did, indent=1))
    print(json.dumps({"pixels": list(pages[0][1].shape[1::-1]), "plates": did["plates"]}))


def run_cutter(options: argparse.Namespace) -> None:
    """Raises InvalidTicket for options that make no cutter, UnreadableFile for files that are none of a cutter's,
    OSError."""
    sheet, marks, height = _job(options)
    picture, ppi = _sheet(options.sheet)
    first = _numbers(options.first, 2, "--first") if options.first else tuple(marks.places[0] + MARGIN)
    clamps = tuple((x, y, x + w, y + h) for x, y, w, h in (_numbers(one, 4, "--clamp") for one in options.clamp))
    if options.file is None:
        _listen(options, Loaded(
            picture, ppi, _camera(picture, ppi), marks, sheet, (float(first[0]), float(first[1])), clamps
        ))  # fmt: skip
        return
    try:
        file = read_cut(options.file.read_bytes(), options.file.suffix.lower().lstrip("."), height=height)
    except Unreadable as error:
        raise UnreadableFile(str(error), "Send the whole cut file of this job.") from error
    seen = Seen(complaints=judged(file, marks, sheet))
    if not any(one.stops for one in seen.complaints):
        before = seen.complaints
        seen = look_for(_camera(picture, ppi), marks, (float(first[0]), float(first[1])), ppi=ppi)
        seen.complaints[:0] = before
    told: dict[str, Any] = {
        "marks": [
            None if one is None else
            {key: round(value, 4) if isinstance(value, float) else value for key, value in asdict(one).items()}
            for one in seen.marks
        ],
        "complaints": [one.words for one in seen.complaints], "cut": False,
    }  # fmt: skip
    if seen.lies is not None and not any(one.stops for one in seen.complaints):
        clamped = under_clamps([seen.lies.forward(line.places) for line in file.lines], clamps)
        if clamped:
            seen.complaints.append(Complaint(clamped_words(clamped)))
            told["complaints"].append(clamped_words(clamped))
    if seen.lies is not None and not any(one.stops for one in seen.complaints):
        blade = Blade(options.trails, options.repeats, options.backlash, options.seed)
        lines = cut(file, seen.lies, blade)
        size = np.array(picture.shape[1::-1]) * INCH / ppi
        beyond = sum(bool((one.places < 0).any() or (one.places > size).any()) for one in lines)
        if beyond:
            told["complaints"].append(f"{beyond} lines were cut beyond the sheet.")
        told |= {
            "cut": True, "model": seen.lies.model, "shift_mm": [round(one, 4) for one in seen.lies.shift],
            "turn_deg": round(seen.lies.turn, 5), "across": round(seen.lies.across, 6),
            "down": round(seen.lies.down, 6), "marks_off_mm": round(seen.lies.worst, 4),
            "lines": _by_name(lines),
        }  # fmt: skip
        if options.truth:
            meant = (
                read_cut(options.meant.read_bytes(), options.meant.suffix[1:], height=height) if options.meant else file
            )
            told["off_mm"] = _off(options.truth, meant, lines)
        if options.output:
            _drawn(picture, lines, ppi).save(options.output)
    if options.report:
        options.report.write_text(json.dumps(told, indent=1))
    print(json.dumps({key: told[key] for key in ("cut", "complaints", "off_mm") if key in told}))


def _listen(options: argparse.Namespace, loaded: Loaded) -> None:
    blade = Blade(options.trails, options.repeats, options.backlash, options.seed)
    wide, high = loaded.size
    called = f"A cutter with a sheet of {wide:g} x {high:g} mm"
    listen(Running(loaded, options.quick, blade), options.port, called, "a cut file")


def judged(file: CutFile, marks: Marks, size: tuple[float, float]) -> list[Complaint]:
    """What a cutter says of a file before it looks at the sheet: another size, another scale."""
    every = np.vstack([line.places for line in file.lines])
    reach = every.max(0) - every.min(0)
    stand = marks.places.max(0) - marks.places.min(0)
    found = []
    if file.width is not None and max(abs(file.width - size[0]), abs((file.height or 0.0) - size[1])) > 0.5:
        found.append(Complaint(
            f"The cut file is {file.width:.1f} x {file.height or 0.0:.1f} mm, the job {size[0]:.1f} x {size[1]:.1f} "
            "mm: it belongs to another print."
        ))  # fmt: skip
    elif (reach > stand * OFF_BY + 20).any():
        found.append(Complaint(
            f"Its lines reach {reach.max() / max(stand.max(), 1e-9):.0f} times as far as the marks: the scale is off."
        ))  # fmt: skip
    elif (every.min(0) < marks.places.min(0) - 30).any() or (every.max(0) > marks.places.max(0) + 30).any():
        found.append(Complaint("Its lines lie far outside the marks: it belongs to another sheet."))
    return found


def _job(options: argparse.Namespace) -> tuple[tuple[float, float], Marks, float]:
    """Size and marks of the job's sheet, as a manifest tells them."""
    try:
        sheet = json.loads(options.manifest.read_text())["sheets"][options.number - 1]
        size = float(sheet["width_mm"]), float(sheet["height_mm"])
        places = np.array([(one["x_mm"], one["y_mm"]) for one in sheet["marks"]], float).reshape(-1, 2)
        shape, wide = str(sheet["mark_shape"]), float(sheet["mark_diameter_mm"])
    except (KeyError, IndexError, TypeError, ValueError) as error:
        raise UnreadableFile("This is no manifest of job files with such a sheet.", "Give manifest.json.") from error
    if len(places) < 2 or shape not in SHAPES:
        raise UnreadableFile("This sheet has no marks that a camera could find.", "Give it some at Sheet.")
    return size, Marks.of(places, shape, wide, size), size[1]


def _sheet(file: Path) -> tuple[np.ndarray, float]:
    Image.MAX_IMAGE_PIXELS = None
    try:
        with Image.open(file) as image:
            ppi = float(image.info["dpi"][0])
            if image.width * image.height > 2 * MOST_PIXELS or not 20 < ppi < 5000:
                raise UnreadableFile(
                    "This picture is not a printed sheet of a size that a cutter takes.", "Look again."
                )
            return np.asarray(image.convert("RGB")), ppi
    except KeyError as error:
        raise UnreadableFile("This picture does not say how many pixels an inch it has.", "Print it anew.") from error
    except (OSError, SyntaxError, ValueError) as error:
        raise UnreadableFile("This is not a picture of a sheet.", "Give what the press printed.") from error


def _camera(picture: np.ndarray, ppi: float) -> Any:
    """Parts of a picture; what lies beyond it is bare."""

    def look(box: tuple[float, float, float, float], asked: float) -> np.ndarray:
        left, top, right, bottom = box
        columns, rows = (max(1, round((far - near) / INCH * asked)) for near, far in ((left, right), (top, bottom)))
        scale = ppi / asked
        matrix = np.array([[scale, 0, (left * ppi / INCH) + 0.5 * scale - 0.5],
                           [0, scale, (top * ppi / INCH) + 0.5 * scale - 0.5]])  # fmt: skip
        return np.asarray(cv2.warpAffine(
            picture, matrix, (columns, rows), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT, borderValue=(255, 255, 255),
        ))  # fmt: skip

    return look


def _by_name(lines: Sequence[Any]) -> dict[str, dict[str, float]]:
    found: dict[str, dict[str, float]] = {}
    for line in lines:
        own = found.setdefault(line.called, {"lines": 0, "length_mm": 0.0})
        own["lines"] += 1
        own["length_mm"] = round(own["length_mm"] + line.length, 3)
    return found


def _off(report: Path, file: CutFile, lines: Sequence[Any]) -> dict[str, float]:
    """Between each place where a cut belongs on the print and the nearest cut, by what the press says it did."""
    try:
        did = json.loads(report.read_text())
        known = {one.name for one in fields(Faults)}
        made: dict[str, Any] = {
            key: tuple(value) if isinstance(value, list) else value for key, value in did["faults"].items()
        }
        faults = Faults(**{key: value for key, value in made.items() if key in known})
        truth = Distortion(float(did["width_mm"]), float(did["height_mm"]), faults)
        corner = np.array([float(did["left_mm"]), float(did["top_mm"])])
    except (KeyError, TypeError, ValueError) as error:
        raise UnreadableFile("This is no report of the press.", "Give what --report wrote.") from error
    cuts = np.array([shapely.LineString(truth.back(line.places + corner)) for line in lines])
    tree = shapely.STRtree(cuts)
    places = shapely.points(np.concatenate([line.places for line in file.lines]))
    every = shapely.distance(places, cuts[tree.nearest(places)])
    return {
        "mean": round(float(every.mean()), 4), "p95": round(float(np.quantile(every, 0.95)), 4),
        "worst": round(float(every.max()), 4),
    }  # fmt: skip


def _drawn(picture: np.ndarray, lines: Sequence[Any], ppi: float) -> Image.Image:
    drawn = np.array(picture)
    for line in lines:
        track = np.rint((line.places * ppi / INCH - 0.5) * 16).astype(np.int32)
        cv2.polylines(drawn, [track], False, DARK, max(1, round(ppi / 150)), cv2.LINE_AA, 4)
    return Image.fromarray(drawn)


def _numbers(text: str, count: int, option: str) -> Any:
    try:
        numbers = tuple(float(one) for one in text.split(","))
    except ValueError:
        numbers = ()
    if len(numbers) != count:
        raise InvalidTicket(f"{option} takes {count} numbers, such as {','.join(['0'] * count)}.", "Write them so.")
    return numbers
