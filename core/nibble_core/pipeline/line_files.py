"""The finished lines of a layer as a drawing of their own, for the files that Lines offers."""

from __future__ import annotations

from nibble_core.errors import NothingToCut
from nibble_core.geometry import Affine, Box, Bundle
from nibble_core.graphics import HAIRLINE, Drawing, Drawn, Shape, Stroke
from nibble_core.pipeline.compose import rgb
from nibble_core.pipeline.lines import DrawnLine, LayerResult, rings_of
from nibble_core.processes import PROCESSES, is_sent


def lines_drawing(layer: LayerResult, *, plain_perforation: bool = False) -> Drawing:
    """Every line that a machine is sent, as hairlines at true size, its origin the top left of the work.

    On layers named after the process, and after the line where it has a name. Engraved areas that are filled are
    areas. plain_perforation: perforations as whole lines, for machines that dash them themselves. Raises NothingToCut.
    """
    shapes = [
        shape for line in layer.lines if is_sent(line.process)
        for shape in _shapes(line, plain_perforation)
    ]  # fmt: skip
    last = layer.marks_process
    if layer.marks and last is not None:
        shapes += _strokes(Bundle.of([mark.outer for mark in layer.marks]), last.process, "alignment marks")
    if not shapes:
        raise NothingToCut("The layer has no line to write.", "Add a line, or switch one on.")
    box = Box.around([shape.bounds() for shape in shapes])
    to_corner = Affine.translation(-box.left, -box.top)
    return Drawing(box.width, box.height, tuple(shape.mapped(to_corner) for shape in shapes))


def _shapes(line: DrawnLine, plain_perforation: bool) -> list[Drawn]:
    name = f"{line.process} {line.name}".strip()
    if line.filled:
        return [Shape(region, rgb(PROCESSES[line.process].colour), name) for region in line.regions]
    whole = plain_perforation and line.dashes > 0 and bool(line.regions)
    return _strokes(rings_of(line.regions) if whole else line.paths, line.process, name)


def _strokes(paths: Bundle, process: str, name: str) -> list[Drawn]:
    return [Stroke(path, HAIRLINE, rgb(PROCESSES[process].colour), name) for path in paths]
