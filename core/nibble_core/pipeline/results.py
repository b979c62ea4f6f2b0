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
class Work:
    """Results by the id of what they belong to; missing ones are explained by a problem further left."""

    pictures: dict[str, Keyed[Picture]] = field(default_factory=dict)
    sizes: dict[str, tuple[float, float]] = field(default_factory=dict)
    cleaned: dict[str, Keyed[Cleaned]] = field(default_factory=dict)
    traces: dict[str, Keyed[TraceResult]] = field(default_factory=dict)
    pieces: dict[str, Keyed[PieceResult]] = field(default_factory=dict)
    drawn: dict[str, Keyed[LayerResult]] = field(default_factory=dict)
    """The lines of each layer, flat, as they are drawn and looked at."""
    shown: dict[str, Keyed[PrintResult]] = field(default_factory=dict)
    """Its print, likewise."""
    layers: dict[str, Keyed[LayerResult]] = field(default_factory=dict)
    """Its lines as they are laid out: bent, where the piece goes on a round thing."""
    prints: dict[str, Keyed[PrintResult]] = field(default_factory=dict)
    """Its print, likewise."""
    examined: dict[str, list[Keyed[Examined]]] = field(default_factory=dict)
    """Of each layer against every sheet it lies on, in their order."""
    sheets: dict[str, Keyed[LaidSheet]] = field(default_factory=dict)
    borders: dict[str, Keyed[Bundle]] = field(default_factory=dict)
    """Weed borders of sheets that have one, in the sheet's coordinates."""
    bent: set[str] = field(default_factory=set)
    """Layers that are laid out otherwise than they are drawn: on round things."""
    footprints: dict[str, Keyed[BaseGeometry]] = field(default_factory=dict)
    """All that a copy of a layer fills; see ``footprints``."""
    panels: dict[str, list[Panel]] = field(default_factory=dict)
    """Of each laid sheet, from left to right: one where it is made whole."""
    seams: dict[str, list[Seam]] = field(default_factory=dict)
    """Where the panels of a sheet meet."""
    plates: dict[str, tuple[Region, ...]] = field(default_factory=dict)
    """White or varnish of layers that have one, in the piece's coordinates."""
    presses: dict[str, Press] = field(default_factory=dict)
    """Of sheets whose stock has a colour profile."""
    crowded: dict[str, list[Near]] = field(default_factory=dict)
    """Copies of sheets “as placed” that lie nearer than their spacing, the nearest first."""
    beyond: dict[str, list[str]] = field(default_factory=dict)
    """Ids of those that lie beyond the edge of their sheet."""
    weeds: dict[str, Keyed[Bundle]] = field(default_factory=dict)
    """Weed lines, likewise."""
    burnt: dict[str, Keyed[BeamLines]] = field(default_factory=dict)
    """What a beam follows on each layer of a sheet, where its machine has one."""
    beams: dict[str, Keyed[BeamRun]] = field(default_factory=dict)
    """Every move of it, where its settings tell power and speed."""
    carved: dict[str, dict[str, Keyed[CarvedLayer]]] = field(default_factory=dict)
    """What a router does on each layer of a sheet, by sheet and layer."""
    routes: dict[str, Keyed[RouterRun]] = field(default_factory=dict)
    """Every move of it."""
    pins: dict[str, Keyed[PinHoles]] = field(default_factory=dict)
    """What a board of two sides is turned over on, by its first."""
    between: dict[str, Keyed[Between]] = field(default_factory=dict)
    """What is left between two sides, by the second."""
    programs: dict[tuple[str, str], Keyed[Program]] = field(default_factory=dict)
    """What the machine of a sheet does, by sheet and way of sharing, once it was asked for; see ``keyed_program``."""
    problems: list[Problem] = field(default_factory=list)

    def require_whole(self) -> None:
        """Raises the first problem, if there is one."""
        if self.problems:
            raise self.problems[0].error
