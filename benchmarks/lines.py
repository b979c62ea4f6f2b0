"""Production lines against analytic truth and named general-purpose libraries: offsets (pyclipper), holes and gaps (the
bare union), perforation (shapely's substring), bleed (scipy's distance transform), drop-out, necks, balance points."""

from __future__ import annotations

import math

import numpy as np
import pyclipper
import shapely
from scipy import ndimage
from shapely import affinity
from shapely.geometry import LineString, MultiPolygon, Polygon
from shapely.ops import substring

from benchmarks.tracing import median_seconds
from nibble_core.geometry import ARC, Path, Region
from nibble_core.geometry.along import corner_nodes
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Raster
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.lines.contour import (
    contour,
    contour_area,
    contour_preview,
    holes_kept,
    outer_shape_of,
    quarter_segments,
    without_holes,
)
from nibble_core.lines.dropout import drop_out
from nibble_core.lines.hanging import balance_point
from nibble_core.lines.necks import necks
from nibble_core.lines.perforation import perforated


def run() -> None:
    offsets()
    holes_and_gaps()
    perforation()
    bleed()
    dropping()


# Offsets ------------------------------------------------------------------------------------------------


def offsets() -> None:
    zoo = odd_shapes()
    print(f"offset: {len(zoo)} odd shapes, 0.3, 2 and -0.4 mm")
    worst, named, tangents, fewer = 0.0, "", [], []
    for name, shape in zoo.items():
        base = outer_shape_of(shape)
        for distance in (0.3, 2.0, -0.4):
            if base.buffer(distance).is_empty:
                continue
            regions = contour(base, distance)
            error = two_way(base, regions, distance)
            if error > worst:
                worst, named = error, f"{name} at {distance:g}"
            if name.startswith("smooth"):
                tangents += [turn for region in regions for turn in joints(region.outer)]
                fewer.append(shapely.get_num_coordinates(base) / sum(len(r.outer) for r in regions))
    print(f"  largest error both ways {worst:.4f} mm ({named})")
    print(f"  joints of smooth shapes: worst {max(tangents):.2f}°, 95 in 100 within {np.percentile(tangents, 95):.2f}°")
    print(f"  nodes on smooth shapes: {min(fewer):.0f} to {max(fewer):.0f} times fewer than the flattened input's")
    dense = outer_shape_of(smooth_blob(20_000, 4))
    own = median_seconds(lambda: contour_area(outer_shape_of(MultiPolygon([smooth_blob(20_000, 4)])), 2.0))
    whole = median_seconds(lambda: contour(dense, 2.0))
    clipper = median_seconds(lambda: by_clipper(smooth_blob(20_000, 4), 2.0), times=3)
    print(
        f"  20,000 vertices: offset {own / clipper:.4f} of pyclipper's time, with the fit {(own + whole) / clipper:.3f}"
    )
    preview = median_seconds(lambda: contour_preview(dense, 2.0))
    bare = median_seconds(lambda: dense.buffer(2.0, quad_segs=quarter_segments(2.0)))
    print(f"  a drag's preview: {preview / bare:.2f} of the bare buffer call")


def odd_shapes() -> dict[str, MultiPolygon]:
    """Forty shapes: smooth, cusped, necked, bow-tied, spiralling, dense, with touching holes, in parts."""
    made: dict[str, shapely.Geometry] = {}
    for k in range(10):
        made[f"smooth blob {k}"] = smooth_blob(1500, k)
    for k in range(6):
        a = np.linspace(0, 2 * math.pi, 3000, endpoint=False)
        r = 20 + (3 + k) * np.abs(np.cos((2 + k / 2) * a)) ** 0.5
        made[f"cusps {k}"] = Polygon(np.stack([r * np.cos(a), r * np.sin(a)], 1))
    for k, width in enumerate((0.05, 0.2, 0.5, 1.0, 3.0)):
        dumbbell = [
            shapely.Point(0, 0).buffer(9),
            shapely.Point(40, 0).buffer(7),
            shapely.box(0, -width / 2, 40, width / 2),
        ]
        made[f"neck {k}"] = affinity.rotate(shapely.union_all(dumbbell), 13 * k)
    for k in range(4):
        bow = Polygon([(0, 0), (20, 14), (20, 0), (0, 14 + k)])
        made[f"bow tie {k}"] = shapely.make_valid(bow)
    for k in range(3):
        turns = np.linspace(2, 14 + 4 * k, 400)
        made[f"spiral {k}"] = LineString(np.stack([turns * np.cos(turns), turns * np.sin(turns)], 1)).buffer(0.9)
    made["dense 20,000"] = smooth_blob(20_000, 11)
    for k in range(4):
        plate = shapely.box(0, 0, 60, 40)
        for x in (15, 23 + k, 45):
            plate = plate.difference(shapely.Point(x, 20).buffer(4, quad_segs=32))
        made[f"touching holes {k}"] = plate
    made["needle"] = Polygon([(0, 0), (60, 0.4), (0, 0.8)])
    made["square"] = shapely.box(0, 0, 30, 20)
    made["circle"] = shapely.Point(0, 0).buffer(15, quad_segs=128)
    made["islands"] = shapely.union_all([shapely.Point(12 * k, 0).buffer(4 + k / 3) for k in range(5)])
    made["comb"] = shapely.union_all(
        [shapely.box(0, 0, 60, 4), *(shapely.box(4 * k, 0, 4 * k + 2, 20) for k in range(15))]
    )
    made["saw"] = Polygon([(k, (k % 2) * 3) for k in range(60)] + [(59, 20), (0, 20)])
    made["hairpin"] = LineString([(0, 0), (40, 0), (40, 0.7), (0, 0.7)]).buffer(0.3)
    return {name: MultiPolygon(polygons(shape)) for name, shape in made.items()}


def smooth_blob(count: int, seed: int) -> Polygon:
    rng = np.random.default_rng(seed)
    a = np.linspace(0, 2 * math.pi, count, endpoint=False)
    r = np.full(count, 30.0)
    for k in range(2, 7):
        r += 4 / k * rng.normal() * np.cos(k * a + rng.uniform(0, 6.28))
    return Polygon(np.stack([r * np.cos(a), r * np.sin(a)], 1))


def two_way(base: MultiPolygon, regions: list[Region], distance: float) -> float:
    """The drawn line's distance from the true one, both ways, mm; the true one has 1,000 chords a quarter turn."""
    true = base.buffer(distance, quad_segs=1000)
    ideal = shapely.union_all([Polygon(part.exterior) for part in polygons(true)]).boundary
    drawn = shapely.union_all([Polygon(region.outer.flattened(0.0003)) for region in regions]).boundary
    there = shapely.distance(shapely.points(shapely.get_coordinates(shapely.segmentize(drawn, 0.05))), ideal).max()
    back = shapely.distance(shapely.points(shapely.get_coordinates(shapely.segmentize(ideal, 0.05))), drawn).max()
    return float(max(there, back))


def joints(ring: Path) -> list[float]:
    """Turns at all nodes, degrees."""
    from nibble_core.geometry.fitting import end_directions

    ends = [end_directions(int(kind), row) for kind, row in zip(ring.kinds, ring.rows, strict=True)]
    turns = []
    for (_, out), (into, _) in zip(ends, [*ends[1:], ends[0]], strict=True):
        turns.append(abs(math.degrees(math.atan2(out[0] * into[1] - out[1] * into[0], float(out @ into)))))
    return turns


def by_clipper(shape: Polygon, distance: float) -> object:
    scale = 1e4
    offset = pyclipper.PyclipperOffset(2.0, 0.0015 * scale)
    offset.AddPath(
        (np.asarray(shape.exterior.coords)[:-1] * scale).astype(int).tolist(),
        pyclipper.JT_ROUND,
        pyclipper.ET_CLOSEDPOLYGON,
    )
    return offset.Execute(distance * scale)


# Holes and gaps -----------------------------------------------------------------------------------------


def holes_and_gaps() -> None:
    rng = np.random.default_rng(7)
    limit, right, count = 4.0, 0, 0
    for _ in range(60):
        plate, wanted = shapely.box(-5, -5, 125, 125), 0
        for cell in range(36):
            x, y = 10 + 20 * (cell % 6), 10 + 20 * (cell // 6)
            width = limit * (1.05 if rng.random() < 0.5 else 0.95)
            wanted += width > limit
            plate = plate.difference(seeded_hole(rng, cell, width, x, y))
        kept = holes_kept(without_holes(plate)[1], limit)
        right += 36 - abs(len(kept) - wanted)
        count += 36
    print(f"holes at the limit ± 5 %: {right} of {count} told rightly")
    parts = [affinity.translate(smooth_blob(800, k), 25 * (k % 8), 25 * (k // 8)) for k in range(64)]
    whole = shapely.union_all(parts)
    bare = median_seconds(lambda: shapely.union_all(parts))
    both = median_seconds(lambda: outer_shape_of(MultiPolygon(polygons(shapely.union_all(parts))), close_gaps=1.5))
    closed = outer_shape_of(MultiPolygon(polygons(whole)), close_gaps=1.5)
    outside = whole.difference(closed.buffer(0.01)).area
    print(f"  union and close: {both / bare:.2f} of the bare union; artwork over 0.01 mm outside: {outside:.6f} mm²")


def seeded_hole(rng: np.random.Generator, kind: int, width: float, x: float, y: float) -> shapely.Geometry:
    """A hole whose widest circle is ``width`` across: disc, slot, square or triangle."""
    r = width / 2
    if kind % 4 == 0:
        shape: shapely.Geometry = shapely.Point(0, 0).buffer(r, quad_segs=64)
    elif kind % 4 == 1:
        shape = LineString([(-3, 0), (3, 0)]).buffer(r, quad_segs=64)
    elif kind % 4 == 2:
        shape = shapely.box(-r, -r, r, r)
    else:  # the circle inside an equilateral triangle
        shape = Polygon(
            [(2 * r * math.cos(a), 2 * r * math.sin(a)) for a in (0.5, 0.5 + 2 * math.pi / 3, 0.5 + 4 * math.pi / 3)]
        )
    return affinity.translate(affinity.rotate(shape, rng.uniform(0, 360)), x, y)


# Perforation --------------------------------------------------------------------------------------------


def perforation() -> None:
    cut, tie, guard = 0.45, 0.15, 0.1
    rings = []
    for k in range(500):
        a = np.linspace(0, 2 * math.pi, 400, endpoint=False)
        r = (1 + 0.2 * np.cos(3 * a + k)) * (0.75 + 0.25 * np.abs(np.cos(2.5 * a)))
        points = np.stack([r * np.cos(a), r * np.sin(a)], 1)
        around = np.hypot(*(np.roll(points, -1, 0) - points).T).sum()
        rings.append(Path.polygon(points * (600 * (cut + tie) / around)))
    made = [perforated(ring, cut, tie, guard=guard) for ring in rings]
    seconds = median_seconds(lambda: [perforated(ring, cut, tie, guard=guard) for ring in rings], times=3)
    dashes = sum(len(one) for one in made)
    sample = list(zip(rings, made, strict=True))[:5]
    naive = (
        median_seconds(lambda: [piece_by_piece(ring, one) for ring, one in sample], times=1) * len(rings) / len(sample)
    )
    ties = [np.append(one.starts[1:], one.starts[0] + one.length) - one.ends for one in made]
    off = max(float(np.abs(own - tie).max()) for own in ties)
    clear = min(clearance(ring, one) for ring, one in zip(rings, made, strict=True)) - tie / 2
    least = min(float((one.ends - one.starts).min()) for one in made)
    print(
        f"perforation: {dashes:,} dashes in {seconds:.2f} s, {naive / seconds:.0f} times as fast as shapely’s substring"
    )
    print(
        f"  ties off by {off:.1e} mm at most, nearest to a corner {clear:.3f} mm ({guard} wanted)"
        f", shortest dash {least / cut:.2f} of nominal"
    )


def piece_by_piece(ring: Path, dashes: object) -> list[shapely.Geometry]:
    points = ring.flattened()
    line = LineString(np.vstack([points, points[:1], points[1:], points[:1]]))
    return [substring(line, a, b) for a, b in zip(dashes.starts, dashes.ends, strict=True)]  # type: ignore[attr-defined]


def clearance(ring: Path, dashes: object) -> float:
    """The least distance along the ring from the middle of a tie to a corner, mm."""
    ends: np.ndarray = dashes.ends  # type: ignore[attr-defined]
    length: float = dashes.length  # type: ignore[attr-defined]
    middles = (ends + np.append(dashes.starts[1:], dashes.starts[0] + length)) / 2  # type: ignore[attr-defined]
    steps = np.hypot(*(ring.rows[:, 6:] - ring.rows[:, :2]).T)
    nodes = np.cumsum(steps)
    corners = corner_nodes(ring, math.radians(25)) + corner_nodes(ring, math.radians(-25))
    places = [float(nodes[int(np.argmin(np.hypot(*(ring.rows[:, 6:] - corner).T)))]) for corner in corners]
    if not places:
        return math.inf
    off = (middles[:, None] - np.array(places)[None] + length / 2) % length - length / 2
    return float(np.abs(off).min())


# Bleed --------------------------------------------------------------------------------------------------


def bleed() -> None:
    size, reach = 3000, 35.0
    y, x = np.mgrid[0:size, 0:size].astype(np.float32)
    true = np.dstack([120 + 100 * np.sin(x / 400), 120 + 90 * np.cos(y / 500), 128 + 60 * np.sin((x + y) / 700)])
    away = np.hypot(x - 1500, y - 1500) - (1100 + 60 * np.sin(7 * np.arctan2(y - 1500, x - 1500)))
    alpha = np.clip(0.5 - away, 0, 1)
    mixed = true * alpha[..., None] + 255 * (
        1 - alpha[..., None]
    )  # as cut from a white box: the edge is mixed with white
    raster = Raster(np.ascontiguousarray(np.dstack([mixed, alpha * 255]).round().astype(np.uint8)))
    own = median_seconds(lambda: bleed_pixels(raster, reach, mm_per_px=1.0), times=3)
    solid = raster.alpha >= 250

    def by_scipy() -> np.ndarray:
        distance, (iy, ix) = ndimage.distance_transform_edt(~solid, return_indices=True)
        band = ~solid & (distance <= reach)
        out = raster.pixels[..., :3].copy()
        out[band] = out[iy[band], ix[band]]
        return out

    other = median_seconds(by_scipy, times=1)
    grown, pad = bleed_pixels(raster, reach, mm_per_px=1.0)
    inner = grown.pixels[pad:-pad, pad:-pad]
    band = (away > 0.5) & (away < reach)
    fringe = np.abs(away) <= 2
    print(f"bleed at {size} px: {other / own:.1f} times as fast as scipy's distance transform with indices")
    print(f"  unfilled pixels in the band {int((inner[..., 3][band] < 255).sum())}, colour error of the fringe"
          f" {np.abs(inner[..., :3][fringe].astype(float) - true[fringe]).max():.1f} levels at most")  # fmt: skip


# Drop-out, necks, balance -------------------------------------------------------------------------------


def dropping() -> None:
    right, cells = seeded_drops()
    print(f"drop-out: {right} of {cells} seeded cells right, gaps of 5 µm among them")
    worst = 0.0
    for k, width in enumerate(np.linspace(0.15, 2.4, 40)):
        parts = [shapely.Point(0, 0).buffer(15, quad_segs=64), shapely.Point(40, 0).buffer(12, quad_segs=64)]
        parts.append(shapely.box(0, -width / 2, 40, width / 2))
        found = necks(affinity.rotate(shapely.union_all(parts), 9 * k), 2.5).necks
        worst = max(worst, abs(found[0].width - width) if found else width)
    print(f"  necks: {worst:.5f} mm off at most")
    off = []
    for k in range(30):
        r, w = 10 + k, 4 + k / 2
        half = Path(
            np.array([ARC, 0], np.uint8), np.array([[r, 0, 0, 0, math.pi, 0, -r, 0], [-r, 0, 0, 0, 0, 0, r, 0]])
        )
        off.append(abs(balance_point(Region(half).polygon()).y - 4 * r / (3 * math.pi)))
        plate = Region(
            Path.polygon([(0, 0), (3 * w, 0), (3 * w, 2 * w), (0, 2 * w)]), (Path.circle(w, w, w / 2).reversed(),)
        )
        hole = math.pi * w * w / 4
        off.append(abs(balance_point(plate.polygon()).x - (6 * w * w * 1.5 * w - hole * w) / (6 * w * w - hole)))
    print(f"  balance points: {max(off):.5f} mm off at most")


def seeded_drops() -> tuple[int, int]:
    """A sheet of cells: closed, tied, an island in a part, two halves, a gap of 5 µm, overshooting lines."""
    rng = np.random.default_rng(3)
    size, cell, cuts, wanted = 45, 22.0, [], {}
    for index, kind in enumerate(rng.integers(0, 7, size * size)):
        x, y = (index % size + 0.5) * cell, (index // size + 0.5) * cell
        ring = LineString(
            np.asarray(affinity.translate(affinity.scale(smooth_blob(60, index), 0.22, 0.22), x, y).exterior.coords)
        )
        long, new = ring.length, []
        inner = LineString(np.asarray(shapely.Point(x, y).buffer(2).exterior.coords))
        if kind == 0:
            new, drops = [ring], 1
        elif kind == 1:
            new, drops = [substring(ring, 0.25, long / 2 - 0.25), substring(ring, long / 2 + 0.25, long - 0.25)], 0
        elif kind == 2:
            new, drops = [ring, inner], 2
        elif kind == 3:
            new, drops = [substring(ring, 0, long / 2), substring(ring, long / 2, long)], 1
        elif kind == 4:
            points = np.asarray(ring.coords).copy()
            points[-1] += (0.005, 0.0)
            new, drops = [LineString(points)], 1
        elif kind == 5:
            r = 5
            new = [LineString([(x + s * r, y - r - 1), (x + s * r, y + r + 1)]) for s in (-1, 1)]
            new += [LineString([(x - r - 1, y + s * r), (x + r + 1, y + s * r)]) for s in (-1, 1)]
            drops = 1
        else:
            new, drops = [substring(ring, 0.5, long), inner], 1
        cuts += [as_path(line) for line in new]
        wanted[(x, y)] = drops
    sheet = shapely.box(0, 0, size * cell, size * cell)
    faces = drop_out(cuts, sheet).faces
    tree = shapely.STRtree([shapely.point_on_surface(face.area) for face in faces])
    h = cell / 2
    return sum(len(tree.query(shapely.box(x - h, y - h, x + h, y + h))) == n for (x, y), n in wanted.items()), len(
        wanted
    )


def as_path(line: LineString) -> Path:
    points = np.asarray(line.coords)
    closed = bool(np.hypot(*(points[0] - points[-1])) < 1e-12)
    return Path.polygon(points[:-1] if closed else points, closed=closed)
