"""What a ticket has led to so far: results by the id of what they belong to, and why others are missing."""

from __future__ import annotations

from dataclasses import dataclass, field

from shapely.geometry.base import BaseGeometry

from nibble_core.artwork.background import Cleaned
from nibble_core.errors import NibbleError
from nibble_core.geometry import Bundle, Region
from nibble_core.graphics import Press
from nibble_core.pipeline.beam_results import BeamLines, BeamRun
from nibble_core.pipeline.carve_results import Between, CarvedLayer, PinHoles, RouterRun
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.examine import Examined
from nibble_core.pipeline.lines import LayerResult
from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.prints import PrintResult
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed
from nibble_core.pipeline.trace import TraceResult
from nibble_core.sheet import LaidSheet, Near, Panel, Seam
from nibble_core.toolpaths.program import Program


@dataclass
class Problem:
    """Why a station is blocked; ``where`` is a path into the ticket, ``mends`` ways out."""

    station: str
    where: str
    error: NibbleError
    mends: tuple[Mend, ...] = ()


@dataclass
class WorkedArtwork:
    """Of an artwork that could be read. size: width and height of the finished picture, mm. What is missing is
    explained by a problem."""

    picture: Keyed[Picture]
    size: tuple[float, float]
    cleaned: Keyed[Cleaned] | None = None
    trace: Keyed[TraceResult] | None = None


@dataclass
class WorkedLayer:
    """Of a layer whose piece could be composed. drawn and print_drawn: its lines and its print flat, as they are drawn
    and looked at; laid and print_laid: as they are laid out, which is bent where the piece goes on a round thing.
    footprint: all that a copy of it fills, see ``footprints``. bent: whether it is laid out otherwise than it is
    drawn. plate: white or varnish, in the piece's coordinates. examined: against every sheet it lies on, in their
    order; nothing while it is drawn as a preview."""

    drawn: Keyed[LayerResult]
    print_drawn: Keyed[PrintResult]
    laid: Keyed[LayerResult]
    print_laid: Keyed[PrintResult]
    footprint: Keyed[BaseGeometry]
    bent: bool = False
    plate: tuple[Region, ...] = ()
    examined: list[Keyed[Examined]] = field(default_factory=list)


@dataclass
class WorkedSheet:
    """Of a sheet that is laid; coordinates are the sheet's. press: where its stock has a colour profile. border and
    weed_lines: where it has them. panels: from left to right, one where it is made whole; seams: where they meet.
    crowded: copies “as placed” that lie nearer than their spacing, the nearest first; beyond: the ids of those beyond
    the edge. beam_lines: what a beam follows on each layer; beam_run: every move of it, where its settings tell power
    and speed. carved: what a router does on each layer; router_run: every move of it. pins: what a board of two sides
    is turned over on, of its first; between: what is left between two sides, of the second. programs: by their keys,
    once they were asked for; see ``keyed_program``."""

    laid: Keyed[LaidSheet]
    press: Press | None = None
    border: Keyed[Bundle] | None = None
    weed_lines: Keyed[Bundle] | None = None
    panels: list[Panel] = field(default_factory=list)
    seams: list[Seam] = field(default_factory=list)
    crowded: list[Near] = field(default_factory=list)
    beyond: list[str] = field(default_factory=list)
    beam_lines: Keyed[BeamLines] | None = None
    beam_run: Keyed[BeamRun] | None = None
    carved: dict[str, Keyed[CarvedLayer]] = field(default_factory=dict)
    router_run: Keyed[RouterRun] | None = None
    pins: Keyed[PinHoles] | None = None
    between: Keyed[Between] | None = None
    programs: dict[str, Keyed[Program]] = field(default_factory=dict)


@dataclass
class Work:
    """The graph of results: those of each artwork, piece, layer and sheet by its id. One that is missing, as a whole or
    in part, is explained by a problem further left."""

    artworks: dict[str, WorkedArtwork] = field(default_factory=dict)
    pieces: dict[str, Keyed[PieceResult]] = field(default_factory=dict)
    layers: dict[str, WorkedLayer] = field(default_factory=dict)
    sheets: dict[str, WorkedSheet] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)

    @property
    def traces(self) -> dict[str, Keyed[TraceResult]]:
        """Of the artworks that could be traced."""
        return {id: own.trace for id, own in self.artworks.items() if own.trace is not None}

    def trace_of(self, artwork: str) -> Keyed[TraceResult] | None:
        """Nothing where it could not be read or holds no shapes."""
        return self.artworks[artwork].trace if artwork in self.artworks else None

    def beam_run_of(self, sheet: str) -> Keyed[BeamRun] | None:
        """Nothing where the machine has no beam, or something that it needs is missing."""
        return self.sheets[sheet].beam_run if sheet in self.sheets else None

    def router_run_of(self, sheet: str) -> Keyed[RouterRun] | None:
        """Nothing where the machine is no router, or something that it needs is missing."""
        return self.sheets[sheet].router_run if sheet in self.sheets else None

    def require_whole(self) -> None:
        """Raises the first problem, if there is one."""
        if self.problems:
            raise self.problems[0].error
