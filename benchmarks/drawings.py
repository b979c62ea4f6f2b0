"""Clients' drawings: nasty SVG files against an independent renderer (resvg), and a million nodes in time and memory."""

from __future__ import annotations

import io
import math
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import resvg_py
from PIL import Image

from nibble_core.formats.svg_reader import read_svg
from nibble_core.geometry.regions import union
from nibble_core.graphics.stroking import region_of
from nibble_core.tracing.deviation import distances, evenly
from nibble_core.tracing.iso import iso_rings

PER_MM = 70
NODES = 1_000_000


def run() -> None:
    print(f"nasty SVG files: mm between our paths and the edges resvg paints at {PER_MM} px/mm, both ways")
    worst = 0.0
    for name, body in NASTY.items():
        off = apart(f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {body}</svg>')
        worst = max(worst, off)
        print(f"  {name:28}{off:.4f}")
    print(f"  worst {worst:.4f}")
    start = time.perf_counter()
    told = subprocess.run([sys.executable, "-m", "benchmarks.drawings"], capture_output=True, text=True, check=True)
    print(f"{NODES:,} nodes: {told.stdout.strip()}, {time.perf_counter() - start:.1f} s with starting Python")


def apart(svg: str) -> float:
    """Largest distance, mm, of sharp-edged black ink on nothing from what is read; corners, which pixels round, within
    two pixels left to the paths' own side."""
    drawing = read_svg(svg.encode(), "nasty.svg").drawing
    png = bytes(resvg_py.svg_to_bytes(svg_string=svg, dpi=PER_MM * 25.4))
    alpha = np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))[..., 3]
    painted = iso_rings(1 - alpha.astype(np.float32) / np.float32(255), 0.5, smallest_area=4)
    area = union([region for shape in drawing.shapes for region in region_of(shape)], 0.0005)
    rings = [np.asarray(ring.coords)[:-1] * PER_MM for part in area.geoms for ring in (part.exterior, *part.interiors)]
    return float(distances(np.vstack([evenly(ring, 0.5) for ring in painted]), rings).max()) / PER_MM


def million() -> None:
    """Read a million nodes in this process and tell the time and the largest memory."""
    angles = np.linspace(0, 2 * math.pi, 1000, endpoint=False)
    parts = []
    for k in range(NODES // 1000):
        x, y = 20 + 30 * (k % 32) + 12 * np.cos(angles), 20 + 30 * (k // 32) + 12 * np.sin(angles)
        parts.append(f'<path d="M{"L".join(f"{a:.3f} {b:.3f}" for a, b in zip(x, y, strict=True))}Z"/>')
    content = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000">' + "".join(parts) + "</svg>"
    ).encode()
    start = time.perf_counter()
    drawing = read_svg(content, "million.svg").drawing
    taken = time.perf_counter() - start
    # unlike getrusage's, this peak is not inherited from the process that started this one
    status = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
    peak = int(status["VmHWM"].split()[0]) / 1024
    print(f"{sum(shape.nodes for shape in drawing.shapes):,} read in {taken:.1f} s, {peak:.0f} MB at most")


NASTY = {
    "arcs with flags run together": 'width="30mm" height="20mm" viewBox="0 0 30 20"><path d="M5 10a5 5 0 1120 0 5,5 0 01-20 0z"/>',
    "arcs too small for their ends": 'width="30mm" height="20mm" viewBox="0 0 30 20"><path d="M5 10A2 1 30 0 1 25 10Z"/>',
    "relative, smooth, no spaces": 'width="40mm" height="30mm" viewBox="0 0 40 30"><path d="m5-0.0e0m0 15c5-20,10-20 15 0s10,20 15,0v10h-30z"/>',
    "quadratics running on": 'width="40mm" height="30mm" viewBox="0 0 40 30"><path d="M4 15Q9 2 14 15T24 15T34 15V26H4Z"/>',
    "nested transforms": 'width="40mm" height="40mm" viewBox="0 0 40 40"><g transform="translate(20,20)rotate(30)"><g transform="skewX(20) scale(1.5 .7)"><rect x="-8" y="-8" width="16" height="16" rx="3" transform="matrix(1 .2 -.3 .9 1 2)"/></g></g>',
    "use of a symbol": 'width="40mm" height="40mm" viewBox="0 0 40 40"><symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="4"/></symbol><use xlink:href="#s" x="4" y="6" width="20" height="26"/>',
    "units of every kind": 'width="50mm" height="50mm"><rect x="1cm" y="10mm" width="72pt" height="3pc"/><circle cx="1in" cy="40mm" r="5mm"/>',
    "percentages and a view box": 'width="50mm" height="30mm" viewBox="10 10 100 60" preserveAspectRatio="xMinYMax meet"><rect x="20%" y="30%" width="50%" height="25%"/>',
    "even-odd and overlaps": 'width="40mm" height="40mm" viewBox="0 0 40 40"><path fill-rule="evenodd" d="M20 3L31 36L3 15H37L9 36Z"/>',
    "style sheet and inheritance": 'width="40mm" height="30mm" viewBox="0 0 40 30"><style>g.a > rect{fill:#000} .no{display:none}</style><g class="a" fill="none"><rect x="4" y="4" width="12" height="12"/><rect class="no" x="2" y="2" width="36" height="26"/></g>',
    "clip of a clip": 'width="40mm" height="40mm" viewBox="0 0 40 40"><clipPath id="b"><circle cx="24" cy="20" r="12"/></clipPath><clipPath id="a" clip-path="url(#b)"><circle cx="16" cy="20" r="12"/></clipPath><rect width="40" height="40" clip-path="url(#a)"/>',
    "clip in box units": 'width="40mm" height="40mm" viewBox="0 0 40 40"><clipPath id="a" clipPathUnits="objectBoundingBox"><ellipse cx=".5" cy=".5" rx=".5" ry=".3"/></clipPath><rect x="5" y="8" width="30" height="24" clip-path="url(#a)"/>',
    "mitre, round and bevelled": 'width="60mm" height="30mm" viewBox="0 0 60 30"><g fill="none" stroke="#000" stroke-width="3"><path d="M5 25L12 5L19 25"/><path stroke-linejoin="round" stroke-linecap="round" d="M24 25L31 5L38 25"/><path stroke-linejoin="bevel" stroke-linecap="square" d="M43 25L50 5L56 24"/></g>',
    "dashes with an offset": 'width="60mm" height="20mm" viewBox="0 0 60 20"><path fill="none" stroke="#000" stroke-width="2" stroke-dasharray="6 3 1" stroke-dashoffset="4" d="M4 15C20 -8 40 28 56 5"/>',
    "curve with a cusp, stroked": 'width="40mm" height="40mm" viewBox="0 0 40 40"><path fill="none" stroke="#000" stroke-width="2" d="M5 32C50 6 -10 6 35 32"/>',
    "svg within svg": 'width="60mm" height="40mm" viewBox="0 0 60 40"><svg x="10" y="5" width="30" height="30" viewBox="0 0 100 100"><path d="M10 10H90V90H50V40H10Z"/></svg>',
    "stroke scaled unevenly": 'width="50mm" height="40mm" viewBox="0 0 50 40"><g transform="translate(25 20) scale(2 .8)"><circle r="9" fill="none" stroke="#000" stroke-width="2"/></g>',
}  # fmt: skip

if __name__ == "__main__":
    million()
