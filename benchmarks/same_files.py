"""python -m benchmarks.same_files OLD NEW: whether two folders of job files hold the same lines in the same places.

Both are read by general libraries, none of them ours: PDF by pypdfium2, SVG by fontTools, DXF by ezdxf. Prints for each
file how far any line of one lies from the lines of the other, in mm.
"""

from __future__ import annotations

import ctypes
import re
import sys
import xml.etree.ElementTree as etree
from pathlib import Path

import ezdxf
import ezdxf.path
import numpy as np
import pypdfium2.raw as raw
import shapely
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path

STEPS = np.linspace(0, 1, 129)[1:, None]


def curve(points: list) -> list:
    a, b, c, d = (np.array(p, float) for p in points)
    u = 1 - STEPS
    return (u**3 * a + 3 * u * u * STEPS * b + 3 * u * STEPS**2 * c + STEPS**3 * d).tolist()


def of_svg(file: Path) -> list[list]:
    lines: list[list] = []
    for node in etree.fromstring(file.read_bytes()).iter("{http://www.w3.org/2000/svg}path"):
        pen = RecordingPen()
        parse_path(node.get("d"), pen)
        for operator, points in pen.value:
            if operator == "moveTo":
                lines.append([list(points[0])])
            elif operator == "lineTo":
                lines[-1].append(list(points[0]))
            elif operator == "curveTo":
                lines[-1] += curve([lines[-1][-1], *points])
            elif operator == "closePath":
                lines[-1].append(lines[-1][0])
    return lines


def of_dxf(file: Path) -> list[list]:
    document = ezdxf.readfile(file)
    tall = document.header["$EXTMAX"][1]
    flat = [ezdxf.path.make_path(e).flattening(0.0005) for e in document.modelspace()]
    return [[[v.x, tall - v.y] for v in line] for line in flat]


def of_pdf(file: Path) -> list[list]:
    document = raw.FPDF_LoadDocument(str(file).encode(), None)
    page = raw.FPDF_LoadPage(document, 0)
    tall = raw.FPDF_GetPageHeightF(page)
    lines: list[list] = []

    def walk(thing: object, count: int, get: object, outer: np.ndarray) -> None:
        for index in range(count):
            one = get(thing, index)
            m = raw.FS_MATRIX()
            raw.FPDFPageObj_GetMatrix(one, ctypes.byref(m))
            own = np.array([[m.a, m.b, 0], [m.c, m.d, 0], [m.e, m.f, 1]]) @ outer
            if raw.FPDFPageObj_GetType(one) == raw.FPDF_PAGEOBJ_FORM:
                walk(one, raw.FPDFFormObj_CountObjects(one), raw.FPDFFormObj_GetObject, own)
            elif raw.FPDFPageObj_GetType(one) == raw.FPDF_PAGEOBJ_PATH:
                take(one, own)

    def take(one: object, own: np.ndarray) -> None:
        handles: list = []
        for k in range(raw.FPDFPath_CountSegments(one)):
            segment = raw.FPDFPath_GetPathSegment(one, k)
            x, y = ctypes.c_float(), ctypes.c_float()
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            place = (np.array([x.value, y.value, 1]) @ own)[:2]
            place = [place[0] / 72 * 25.4, (tall - place[1]) / 72 * 25.4]
            kind = raw.FPDFPathSegment_GetType(segment)
            if kind == raw.FPDF_SEGMENT_MOVETO:
                lines.append([place])
            elif kind == raw.FPDF_SEGMENT_LINETO:
                lines[-1].append(place)
            else:
                handles.append(place)
                if len(handles) == 3:
                    lines[-1] += curve([lines[-1][-1], *handles])
                    handles = []
            if raw.FPDFPathSegment_GetClose(segment):
                lines[-1].append(lines[-1][0])

    walk(page, raw.FPDFPage_CountObjects(page), raw.FPDFPage_GetObject, np.eye(3))
    raw.FPDF_ClosePage(page)
    raw.FPDF_CloseDocument(document)
    return lines


READERS = {".pdf": of_pdf, ".svg": of_svg, ".dxf": of_dxf}


def lines_of(file: Path) -> np.ndarray:
    lines = READERS[file.suffix](file)
    points = np.concatenate([np.array(line, float) for line in lines if len(line) > 1])
    owner = np.repeat(np.arange(len(lines)), [len(line) if len(line) > 1 else 0 for line in lines])
    return np.asarray(shapely.linestrings(points, indices=np.unique(owner, return_inverse=True)[1]))


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """The furthest that a vertex of one lies from the lines of the other, mm."""
    dots = shapely.points(np.unique(shapely.get_coordinates(one).round(6), axis=0))
    edges = shapely.get_coordinates(other)
    owner = shapely.get_coordinates(other, return_index=True)[1]
    joined = owner[1:] == owner[:-1]
    pairs = shapely.linestrings(np.stack([edges[:-1][joined], edges[1:][joined]], 1))
    return float(shapely.distance(dots, pairs[shapely.STRtree(pairs).nearest(dots)]).max())


def main(old: Path, new: Path) -> None:
    for file in sorted(old.iterdir()):
        if file.suffix in READERS and (new / file.name).exists():
            one, other = lines_of(file), lines_of(new / file.name)
            worst = max(apart(one, other), apart(other, one))
            length = shapely.length(one).sum() - shapely.length(other).sum()
            print(f"{worst:.6f} mm apart, {length:+.4f} mm of line, {re.sub(r'^.*--', '', file.name)}")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
