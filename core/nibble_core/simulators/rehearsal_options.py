"""The options of ``simulate press`` and ``simulate cutter``; what they do is imported when it is asked for."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any


def add_press(kinds: Any) -> None:
    """The options of ``simulate press``."""
    press = kinds.add_parser("press", help="a press: a print PDF onto material, with its faults")
    press.add_argument("file", type=Path)
    press.add_argument("--ppi", type=float, default=300.0, help="pixels an inch of the picture (default: 300)")
    for name, (usual, words) in NUMBERS.items():
        press.add_argument(f"--{name.replace('_', '-')}", type=float, default=usual, help=words)
    press.add_argument("--mirrored", action="store_true", help="the sheet seen from behind")
    press.add_argument("--shift", default="0,0", help="mm to the right and down")
    press.add_argument("--cast", default="1,1,1", help="shares of red, green and blue that are left")
    press.add_argument("--scratch", action="append", default=[], metavar="X,Y,R", help="a place without ink, mm")
    press.add_argument("--plates", default="White,Varnish", help="inks that are plates, and no colours")
    press.add_argument("--seed", type=int, default=1, help="of the grain")
    press.add_argument("-o", "--output", type=Path, required=True, help="what was printed, as TIFF; plates on pages")
    press.add_argument("--report", type=Path, help="what the press did, as JSON")
    press.set_defaults(run=_press)


NUMBERS = {
    "across": (0.0, "per cent that it gets wider"), "along": (0.0, "per cent that it gets longer"),
    "skew": (0.0, "degrees of skew"), "bow": (0.0, "mm that the middle of its length lies aside"),
    "wave": (0.0, "mm of a slow wave"), "wave_length": (600.0, "mm of one wave"),
    "turn": (0.0, "degrees against the clock"), "gain": (0.0, "mm that ink spreads"), "blur": (0.0, "mm of softness"),
    "noise": (0.0, "levels of grain"),
}  # fmt: skip
"""Faults of a press that are one number: what it usually is, and its words."""


def add_cutter(kinds: Any) -> None:
    """The options of ``simulate cutter``."""
    cutter = kinds.add_parser("cutter", help="a cutter with a camera, a printed sheet in it: run a file, or listen")
    cutter.add_argument("file", type=Path, nargs="?", help="a cut file; without it, --port")
    cutter.add_argument("--port", type=int, help="listen for programs at this port of this machine")
    cutter.add_argument("--quick", type=float, default=1.0, help="times as fast as a real one, at a port (default: 1)")
    cutter.add_argument("--sheet", type=Path, required=True, help="the printed sheet, a picture that states its size")
    cutter.add_argument("--manifest", type=Path, required=True, help="manifest.json of the job: its marks and size")
    cutter.add_argument("--number", type=int, default=1, help="of the sheet within the manifest (default: 1)")
    cutter.add_argument("--first", help="mm in the picture where the first mark should be (default: 15 mm further in)")
    cutter.add_argument("--trails", type=float, default=0.0, help="mm that the tip trails its holder, of HP-GL")
    cutter.add_argument("--repeats", type=float, default=0.0, help="mm by which lines land elsewhere")
    cutter.add_argument("--backlash", type=float, default=0.0, help="mm of play when an axis turns back")
    cutter.add_argument("--clamp", action="append", default=[], metavar="X,Y,W,H", help="what holds the sheet, mm")
    cutter.add_argument("--seed", type=int, default=1, help="of what is by chance")
    cutter.add_argument("--truth", type=Path, help="the press's report, to measure by")
    cutter.add_argument("--meant", type=Path, help="the same cuts in a file that is not led for a trailing knife")
    cutter.add_argument("-o", "--output", type=Path, help="the sheet with what was cut, as PNG")
    cutter.add_argument("--report", type=Path, help="marks, lines and complaints, as JSON")
    cutter.set_defaults(run=_cutter)


def _press(options: argparse.Namespace) -> None:
    from nibble_core.simulators.rehearsal_commands import run_press

    run_press(options)


def _cutter(options: argparse.Namespace) -> None:
    from nibble_core.simulators.rehearsal_commands import run_cutter

    run_cutter(options)
