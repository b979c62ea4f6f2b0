import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import type { Work } from "../api/client";
import { type Eye, project, seenCells, seenRings, silhouette, type Wall, wrapped } from "../engine/round";
import { Button } from "../ui/Button";
import { MAT } from "./scenes";
import { useImages } from "./useImages";

type RoundThing = Work["goods"][string];

const INK = "#1E2A2E";
const FREE = "rgba(196,64,29,.20)";
const GRID = "rgba(30,42,46,.45)";
const SQUARE = 10; // mm
const MARGIN = 56; // CSS pixels
const FOOT = 70;
const PX_PER_MM = 96 / 25.4;
const TURN = Math.PI / 36;

interface Props {
  goods: RoundThing;
}

/** A round thing on the table with its work on it, at the angle that the hand turns it to. */
export function RoundView({ goods }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const front = goods.turns[0] ?? goods.facing;
  const [angle, setAngle] = useState(front);
  const [squares, setSquares] = useState(false);
  const { images, loaded } = useImages();
  const [size, setSize] = useState<[number, number]>([0, 0]);
  // it faces the eye again when it is put elsewhere
  useEffect(() => setAngle(front), [front]);
  useEffect(() => {
    const own = canvas.current;
    if (!own) return;
    const seen = new ResizeObserver(() => setSize([own.clientWidth, own.clientHeight]));
    seen.observe(own);
    return () => seen.disconnect();
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: ``loaded`` counts pictures that arrived
  useEffect(() => {
    const own = canvas.current;
    const context = own?.getContext("2d");
    if (!own || !context || !size[0]) return;
    const ratio = window.devicePixelRatio || 1;
    own.width = Math.round(size[0] * ratio);
    own.height = Math.round(size[1] * ratio);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    draw(context, size, goods, angle, squares, images);
  }, [size, goods, angle, squares, images, loaded]);
  const turned = Math.round(((((wrapped(angle) * 180) / Math.PI) % 360) + 360) % 360);
  const life = Math.round((100 * scaleOf(goods.wall as Wall, size)) / PX_PER_MM);
  const perMm = 1 / Math.max(1, scaleOf(goods.wall as Wall, size));
  return (
    <chakra.div position="absolute" inset="0" background={MAT}>
      <chakra.canvas
        ref={canvas}
        tabIndex={0}
        role="slider"
        aria-label={`${goods.name}, turned`}
        aria-valuemin={0}
        aria-valuemax={360}
        aria-valuenow={turned}
        aria-valuetext={`${turned} degrees from its handle or seam face you`}
        position="absolute"
        inset="0"
        width="100%"
        height="100%"
        touchAction="none"
        cursor="ew-resize"
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) => {
          if (event.buttons & 1)
            setAngle((old) => old - (event.movementX * perMm) / Math.max(1, widest(goods.wall as Wall)));
        }}
        onKeyDown={(event) => {
          const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
          if (way !== undefined) setAngle((old) => old + way * TURN * (event.shiftKey ? 3 : 1));
          else if (event.key === "Home") setAngle(front);
          else return;
          event.preventDefault();
          event.stopPropagation();
        }}
        _focusVisible={{ outlineOffset: "-3px", boxShadow: "none" }}
      />
      <chakra.div
        position="absolute"
        left="34px"
        top="14px"
        display="flex"
        gap="6px"
        alignItems="center"
        flexWrap="wrap"
      >
        {goods.turns.map((turn, k) => (
          <Button key={turn} type="button" onClick={() => setAngle(turn)}>
            {goods.turns.length > 1 ? `Side ${k + 1}` : "Its front"}
          </Button>
        ))}
        <Button type="button" onClick={() => setAngle(0)}>
          Handle or seam
        </Button>
        <Button type="button" aria-pressed={squares} onClick={() => setSquares(!squares)}>
          Squares of {SQUARE} mm
        </Button>
        <chakra.span fontSize="14px" color="ink.soft" aria-hidden="true">
          {turned}° from the handle or seam, {life} % of life. Drag, or ← →, to turn it.
        </chakra.span>
      </chakra.div>
    </chakra.div>
  );
}

function widest(wall: Wall): number {
  return Math.max(...wall.map(([, radius]) => radius));
}

/** CSS pixels a mm at which the thing fills the table. */
function scaleOf(wall: Wall, [width, height]: readonly [number, number]): number {
  const high = (wall.at(-1) as readonly [number, number])[0];
  return Math.max(
    0.1,
    Math.min((width - 2 * MARGIN) / (2 * widest(wall)), (height - MARGIN - FOOT) / (high * 1.08)),
  );
}

function draw(
  context: CanvasRenderingContext2D,
  size: readonly [number, number],
  goods: RoundThing,
  angle: number,
  squares: boolean,
  images: (url: string) => CanvasImageSource | null,
): void {
  const wall = goods.wall as Wall;
  const radius = widest(wall);
  const eye: Eye = {
    angle,
    distance: goods.distance === null ? Number.POSITIVE_INFINITY : radius + goods.distance,
    level: goods.below,
  };
  const high = (wall.at(-1) as readonly [number, number])[0];
  const scale = scaleOf(wall, size);
  context.clearRect(0, 0, size[0], size[1]);
  context.save();
  context.translate(size[0] / 2, MARGIN + (size[1] - MARGIN - FOOT - high * scale) / 2);
  context.scale(scale, scale);
  const hair = 1 / scale;
  const body = traced([silhouette(wall, eye)], true);
  context.fillStyle = goods.colour;
  context.fill(body);
  context.save();
  context.clip(body);
  for (const item of goods.items)
    for (const turn of goods.turns) paint(context, goods, item, wall, eye, turn, hair, images);
  for (const part of goods.free) {
    context.fillStyle = FREE;
    context.fill(traced(seenRings(wall, eye, [arc(part)], 0), true), "evenodd");
  }
  shade(context, radius, high);
  context.restore();
  if (squares) grid(context, radius, high, hair);
  context.strokeStyle = INK;
  context.lineWidth = 1.4 * hair;
  context.stroke(body);
  context.restore();
}

function paint(
  context: CanvasRenderingContext2D,
  goods: RoundThing,
  item: RoundThing["items"][number],
  wall: Wall,
  eye: Eye,
  turn: number,
  hair: number,
  images: (url: string) => CanvasImageSource | null,
): void {
  const burnt = engraved(goods.colour);
  if (item.kind === "area") {
    context.fillStyle = item.colour || burnt;
    context.fill(traced(seenRings(wall, eye, item.rings, turn), true), "evenodd");
  } else if (item.kind === "line") {
    context.strokeStyle = burnt;
    context.lineWidth = Math.max(0.15, hair);
    context.stroke(
      traced(
        item.rings.flatMap((ring) => open(wall, eye, ring, turn)),
        false,
      ),
    );
  } else {
    const image = images(item.url) as (CanvasImageSource & { width: number; height: number }) | null;
    if (!image) return;
    const [w, h] = [image.width / item.cells, image.height / item.cells];
    for (const { column, row, map } of seenCells(wall, eye, item.rings[0] ?? [], item.cells, turn)) {
      context.save();
      context.transform(map[0] / w, map[1] / w, map[2] / h, map[3] / h, map[4], map[5]);
      // two pixels of the screen larger, so that no seam shows between cells
      const more = [(2 * hair * w) / Math.hypot(map[0], map[1]), (2 * hair * h) / Math.hypot(map[2], map[3])];
      const right = Math.min(more[0] as number, image.width - (column + 1) * w);
      const below = Math.min(more[1] as number, image.height - (row + 1) * h);
      context.drawImage(image, column * w, row * h, w + right, h + below, 0, 0, w + right, h + below);
      context.restore();
    }
  }
}

/** The runs of a line that face the eye. */
function open(wall: Wall, eye: Eye, line: readonly number[], turn: number): number[][] {
  const runs: number[][] = [];
  let run: number[] = [];
  for (let k = 0; k < line.length; k += 2) {
    const [x, y, seen] = project(wall, eye, (line[k] as number) + turn, line[k + 1] as number);
    if (seen) run.push(x, y);
    else if (run.length) {
      runs.push(run);
      run = [];
    }
  }
  return run.length ? [...runs, run] : runs;
}

function traced(rings: readonly (readonly number[])[], closed: boolean): Path2D {
  const path = new Path2D();
  for (const ring of rings) {
    for (let k = 0; k < ring.length; k += 2) {
      if (k) path.lineTo(ring[k] as number, ring[k + 1] as number);
      else path.moveTo(ring[0] as number, ring[1] as number);
    }
    if (closed) path.closePath();
  }
  return path;
}

/** The outline of a part that stays free, by angles and heights. */
function arc(part: RoundThing["free"][number]): number[] {
  const points: number[] = [];
  const steps = 48;
  for (let k = 0; k <= steps; k++) points.push(part.middle + part.wide * (k / steps - 0.5), part.below);
  for (let k = steps; k >= 0; k--) points.push(part.middle + part.wide * (k / steps - 0.5), part.to);
  return points;
}

/** Light from the upper left. */
function shade(context: CanvasRenderingContext2D, radius: number, high: number): void {
  const light = context.createLinearGradient(-radius, 0, radius, 0);
  light.addColorStop(0, "rgba(0,0,0,.30)");
  light.addColorStop(0.3, "rgba(255,255,255,.16)");
  light.addColorStop(0.55, "rgba(255,255,255,0)");
  light.addColorStop(1, "rgba(0,0,0,.38)");
  context.fillStyle = light;
  context.fillRect(-radius, -high, 2 * radius, 3 * high);
}

/** A grid of true squares before the thing, to compare with. */
function grid(context: CanvasRenderingContext2D, radius: number, high: number, hair: number): void {
  context.strokeStyle = GRID;
  context.lineWidth = hair;
  context.beginPath();
  const most = Math.floor(radius / SQUARE);
  for (let k = -most; k <= most; k++) {
    context.moveTo(k * SQUARE, 0);
    context.lineTo(k * SQUARE, high);
  }
  for (let y = 0; y <= high; y += SQUARE) {
    context.moveTo(-radius, y);
    context.lineTo(radius, y);
  }
  context.stroke();
}

/** What a beam leaves on a colour: bare metal or frost on dark things, a scorch on light ones. */
function engraved(colour: string): string {
  const [r, g, b] = [1, 3, 5].map((k) => Number.parseInt(colour.slice(k, k + 2), 16)) as [
    number,
    number,
    number,
  ];
  return 0.3 * r + 0.59 * g + 0.11 * b < 140 ? "#E4E6E2" : "#6B5138";
}
