"""Shapes of what the screens are told of a job's work; see ``production.view``, which fills them. Lengths in mm."""

from typing import Literal

from ninja import Field, Schema

from jobs.api import ChangeIn


class MendOut(Schema):
    label: str
    changes: list[ChangeIn]
    copy_text: str = Field(validation_alias="copy")


class NoteOut(Schema):
    text: str
    what_to_do: str
    where: str
    weight: str
    mends: list[MendOut]
    place: tuple[float, float] | None
    more_places: list[tuple[float, float]]
    of: str
    key: str
    accepted: str


class FigureOut(Schema):
    """A value with its label, and the id of the artwork, piece or sheet it is about."""

    value: str
    label: str
    about: str


class StationOut(Schema):
    """facts: those of each artwork, piece or sheet, by id."""

    key: str
    state: str
    fact: str
    notes: list[NoteOut]
    figures: list[FigureOut]
    facts: dict[str, str]


class ShapeOut(Schema):
    d: str
    colour: str
    rgb: tuple[int, int, int]
    x: float
    y: float
    place: tuple[float, float]
    size: float
    dropped: str
    nodes: int
    stroke: float | None
    holes: int


class ArtworkOut(Schema):
    width: float
    height: float | None
    original: str
    cleaned: str
    pixels: tuple[int, int] | None
    anchor: tuple[float, float, float, float, float, float] | None
    kind: str
    shapes: list[ShapeOut]
    lost: list[str]
    level: float | None
    lettering: list[tuple[float, float, float, float]]
    left_out: str
    palette: list[str]
    tones: list[float]
    parts: int


class SliceOut(Schema):
    """Some of a line's dashes, and the box round them."""

    d: str
    box: tuple[float, float, float, float]


class LineOut(Schema):
    """``d``: its paths; those of very many dashes are told in ``slices``, and ``d`` is then the plain line they lie
    on. filled: whether they fill an area; wide: mm that each is, 0 for a hairline; area: its
    outline; picture: whether its strokes are the dots of one."""

    id: str
    process: str
    d: str
    nodes: int
    length: float
    parts: int
    name: str
    ties: list[tuple[float, float]]
    dashes: int
    slices: list[SliceOut]
    filled: bool
    wide: float
    picture: bool
    area: str


class PrintOut(Schema):
    """A picture of width by height mm brought to the piece by its matrix, or a painted shape."""

    kind: str
    url: str
    width: float
    height: float
    matrix: tuple[float, float, float, float, float, float]
    d: str
    colour: str


class PieceShapeOut(Schema):
    element: str
    d: str
    colour: str
    stroke: float | None


class RegionOut(Schema):
    d: str
    nodes: int


class HoleOut(Schema):
    """A hole of the piece, or a bay that a line closes off (its id); the place within it as fractions of the frame; the
    widest circle it holds, mm."""

    d: str
    x: float
    y: float
    width: float
    line: str


class TakerOut(Schema):
    """An element that is cut out, or is the common part: its outline, and whether it meets the piece at all."""

    element: str
    d: str
    meets: bool


class FaceOut(Schema):
    d: str
    kind: str
    island: bool


class HangingOut(Schema):
    balance: tuple[float, float]
    place: tuple[float, float]
    wall: float
    tilt: float


class LooksOut(Schema):
    """What the views show: what falls, necks thinner than the stock holds (both ends, width), the finished piece, what
    stays solid when weeded, and the white a cutting error would show with the bleed that leaves none."""

    falls: list[FaceOut]
    weak: list[tuple[float, float, float, float, float]]
    neck: tuple[float, float, float, float, float] | None
    work: str
    solid: str
    slivers: str
    error: float
    needed: float


class LayerOut(Schema):
    """fills: outlines of all that a copy fills on its sheet, x and y in turn, mm; none in a preview."""

    box: tuple[float, float, float, float]
    frame: tuple[float, float, float, float]
    lines: list[LineOut]
    prints: list[PrintOut]
    shapes: list[PieceShapeOut]
    shown: str
    edge: str
    fills: list[list[float]]
    regions: list[RegionOut]
    holes: list[HoleOut]
    takers: list[TakerOut]
    bridges: list[tuple[float, float, float, float]]
    marks: str
    marks_process: str
    plate: str
    hanging: HangingOut | None
    minutes: float | None
    looks: LooksOut | None


class PlacementsOut(Schema):
    """Where the copies of a layer lie: maps of its coordinates to the sheet's."""

    layer: str
    matrices: list[tuple[float, float, float, float, float, float]]


class DrawingLineOut(Schema):
    process: str
    d: str


class DrawingOut(Schema):
    """A job in small: what it prints and its lines, in mm."""

    box: tuple[float, float, float, float]
    lines: list[DrawingLineOut]
    prints: list[PrintOut]


class ProcessOut(Schema):
    """How a process looks on screen: colour, width and dash in CSS pixels; what comes free along it, what it takes of
    the material, whether machines get it, and whether a test swatch finds its settings."""

    key: str
    words: str
    colour: str
    width: float
    dash: list[float]
    frees: Literal["nothing", "the piece", "the piece, by hand", "the film", "the waste", "the finished length"]
    takes: Literal["a line", "what is within", "a groove", "a floor"]
    sent: bool
    swatch: bool


class SeamOut(Schema):
    """Where two panels meet, mm from the left; how many shapes it crosses; by_hand: whether it was put there."""

    x: float
    crossed: int
    by_hand: bool


class GrainOut(Schema):
    """A hatch as it lies in turned copies. line: its id; copies: their numbers among those of the layer."""

    layer: str
    line: str
    d: str
    copies: list[int]


class SheetOut(Schema):
    """angles: of a wall that is turned, mm from the left and what is there, in degrees from its handle or seam. lies:
    how it lies in the machine, in words. bed: of a machine whose clamps are known, its left, top, right and bottom
    on the sheet. spacing: mm between copies; least_apart: mm under which they are too near."""

    name: str
    width: float
    height: float
    copies: int
    times: int
    mirrored: bool
    colour: str
    placements: list[PlacementsOut]
    marks: list[tuple[float, float]]
    mark_diameter: float
    mark_paths: str
    minutes: float | None
    caption: str
    own: list[DrawingLineOut]
    angles: list[tuple[float, str]]
    lies: str
    bed: tuple[float, float, float, float] | None
    spacing: float
    least_apart: float
    grain: list[GrainOut]
    beyond: list[str]
    seams: list[SeamOut]


class FreeOut(Schema):
    """A part of a wall that stays free. middle, wide: radians; below, to: mm of height below the rim."""

    what: str
    middle: float
    wide: float
    below: float
    to: float


class RoundItemOut(Schema):
    """What lies on a wall, by angles (radians, from where its piece faces) and heights (mm below the rim) in turn.
    kind: an area of rings, even-odd, lines, or a picture by a mesh of so many cells each way. colour: empty for what is
    engraved."""

    kind: str
    rings: list[list[float]]
    colour: str
    url: str
    cells: int


class RoundOut(Schema):
    """A round thing with a piece on it. wall: heights and radii, mm. facing, turns: radians from the handle or seam, of
    where the piece faces, and of each of its places. distance: of the eye it is bent for, mm; None for far away, and
    for work that is not."""

    wall: list[tuple[float, float]]
    colour: str
    name: str
    below: float
    distance: float | None
    facing: float
    turns: list[float]
    free: list[FreeOut]
    items: list[RoundItemOut]


class WorkOut(Schema):
    """``revision``: the one that it follows from; a preview's draft was made on it, and it tells what was asked for
    only. laid: layers as they lie on their sheets, where that is not how they are drawn: bent. goods: the round things
    that pieces go on."""

    revision: int
    preview: bool
    stations: list[StationOut]
    artworks: dict[str, ArtworkOut]
    layers: dict[str, LayerOut]
    laid: dict[str, LayerOut]
    goods: dict[str, RoundOut]
    sheets: dict[str, SheetOut]
    suggested: dict[str, float]
