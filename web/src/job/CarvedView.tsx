import { chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, Refusal } from "../api/client";
import {
  deepest,
  depthAt,
  type Light,
  middle,
  type Relief,
  type Rgb,
  section,
  shaded,
  unpacked,
} from "../engine/relief";
import { formatLength } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import { MAT } from "./scenes";
import { carves, type Ticket } from "./ticket";

const WOOD = "#c9a26b";
const MARGIN = 34;
const ABOVE = 66;
const BELOW = 150;
const CHART = 74;
const SAMPLES = 600;
const PAINT: Rgb = [34, 50, 58];
const Input = chakra("input");

interface Props {
  jobId: number;
  revision: number;
  ticket: Ticket;
}

type Line = readonly [readonly [number, number], readonly [number, number]];

/** The surface that a router leaves, in relief: the light is turned, a section is drawn across, moves are made one after
 * another. */
export function CarvedView({ jobId, revision, ticket }: Props) {
  const boards = ticket.sheets.filter(({ machine }) => carves(machine));
  const [chosen, setChosen] = useState("");
  const sheet = boards.find(({ id }) => id === chosen) ?? boards[0];
  const [share, setShare] = useState(1);
  const [asked, setAsked] = useState(1);
  const [playing, setPlaying] = useState(false);
  const [turn, setTurn] = useState(225);
  const [painted, setPainted] = useState(false);
  const [line, setLine] = useState<Line | null>(null);
  const [pointed, setPointed] = useState<readonly [number, number] | null>(null);
  const [size, setSize] = useState<readonly [number, number]>([0, 0]);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { unit } = useUnit();
  useEffect(() => {
    const later = window.setTimeout(() => setAsked(share), 120);
    return () => window.clearTimeout(later);
  }, [share]);
  const { data, error, isPlaceholderData } = useQuery({
    queryKey: ["carved", jobId, revision, sheet?.id, asked],
    queryFn: async () =>
      unpacked((await api.carved(jobId, sheet?.id ?? "", asked)) as unknown as ArrayBuffer),
    enabled: sheet !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000, // boards half made are large
  });
  useEffect(() => {
    if (!playing || isPlaceholderData || asked !== share) return;
    if (error || share >= 1) {
      setPlaying(false);
      return;
    }
    const next = window.setTimeout(() => {
      const made = Math.min(1, Math.round(100 * share + 2) / 100);
      setShare(made);
      setAsked(made);
    }, 60);
    return () => window.clearTimeout(next);
  }, [playing, isPlaceholderData, asked, share, error]);
  const play = () => {
    if (!playing && share >= 1) {
      setShare(0);
      setAsked(0);
    }
    setPlaying(!playing);
  };
  useEffect(() => {
    const own = canvas.current;
    if (!own) return;
    const seen = new ResizeObserver(() => setSize([own.clientWidth, own.clientHeight]));
    seen.observe(own);
    return () => seen.disconnect();
  }, []);
  const wood = sheet?.stock.colour ?? WOOD;
  const light: Light = useMemo(() => ({ angle: (turn * Math.PI) / 180, height: 0.72 }), [turn]);
  const picture = useMemo(() => {
    if (!data) return null;
    const made = document.createElement("canvas");
    [made.width, made.height] = [data.columns, data.rows];

    const pixels = shaded(data, light, rgb(wood), painted ? PAINT : null);
    made
      .getContext("2d")
      ?.putImageData(new ImageData(pixels as ImageDataArray, data.columns, data.rows), 0, 0);
    return made;
  }, [data, light, painted, wood]);
  const place = data ? placed(data, size) : null;
  const cut = useMemo(() => (data && line ? section(data, line[0], line[1], SAMPLES) : null), [data, line]);
  useEffect(() => {
    const own = canvas.current;
    const context = own?.getContext("2d");
    if (!own || !context || !data || !picture || !place || !size[0]) return;
    const ratio = window.devicePixelRatio || 1;
    own.width = Math.round(size[0] * ratio);
    own.height = Math.round(size[1] * ratio);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, size[0], size[1]);
    const wide = data.columns * data.pitch * place.scale;
    const high = data.rows * data.pitch * place.scale;
    context.drawImage(picture, place.x, place.y, wide, high);
    if (line) drawLine(context, line, place);
    if (cut) drawChart(context, cut, line as Line, data, size, wood, (mm) => formatLength(mm, unit));
  }, [data, picture, place, size, line, cut, unit, wood]);
  const onBoard = (event: React.PointerEvent): readonly [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [
      (event.clientX - box.left - (place?.x ?? 0)) / (place?.scale ?? 1),
      (event.clientY - box.top - (place?.y ?? 0)) / (place?.scale ?? 1),
    ];
  };
  const most = data ? deepest(data) : null;
  const across = () => {
    if (!data) return;
    const y = middle(data);
    setLine([
      [0, y],
      [data.columns * data.pitch, y],
    ]);
  };
  return (
    <chakra.div position="absolute" inset="0" background={MAT}>
      <chakra.canvas
        ref={canvas}
        role="img"
        aria-label={
          most
            ? `The carved board; its deepest place lies ${formatLength(most.depth, unit)} below the surface, ${formatLength(most.x, unit)} across and ${formatLength(most.y, unit)} down`
            : "The carved board"
        }
        position="absolute"
        inset="0"
        width="100%"
        height="100%"
        touchAction="none"
        cursor="crosshair"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          const at = onBoard(event);
          setLine([at, at]);
        }}
        onPointerMove={(event) => {
          const at = onBoard(event);
          setPointed(at);
          if (event.buttons & 1) setLine((old) => (old ? [old[0], at] : [at, at]));
        }}
        onPointerLeave={() => setPointed(null)}
      />
      <chakra.div
        position="absolute"
        left="34px"
        right="14px"
        top="14px"
        display="flex"
        gap="6px 14px"
        alignItems="center"
        flexWrap="wrap"
        fontSize="14px"
      >
        {boards.length > 1 &&
          boards.map(({ id }, k) => (
            <Button key={id} type="button" aria-pressed={id === sheet?.id} onClick={() => setChosen(id)}>
              Board {k + 1}
            </Button>
          ))}
        <chakra.label display="flex" alignItems="center" gap="6px">
          Light from
          <Input
            type="range"
            min="0"
            max="355"
            step="5"
            value={turn}
            aria-valuetext={`${turn} degrees`}
            width="120px"
            accentColor="#8A5F00"
            onChange={(event) => setTurn(Number(event.target.value))}
          />
        </chakra.label>
        <chakra.label display="flex" alignItems="center" gap="6px">
          Made so far
          <Input
            type="range"
            min="0"
            max="1"
            step="0.01"
            value={share}
            aria-valuetext={`${Math.round(100 * share)} per cent of the moves`}
            width="150px"
            accentColor="#8A5F00"
            onChange={(event) => setShare(Number(event.target.value))}
          />
        </chakra.label>
        <Button type="button" onClick={play}>
          {playing ? "Pause" : "Play"}
        </Button>
        <Button type="button" aria-pressed={painted} onClick={() => setPainted(!painted)}>
          Grooves painted
        </Button>
        <Button type="button" disabled={!data} onClick={across}>
          Section across the middle
        </Button>
        <chakra.span color="ink.soft" role="status">
          {error
            ? error instanceof Refusal
              ? `${error.message} ${error.whatToDo}`
              : "The board cannot be shown now."
            : pointed && data
              ? `${formatLength(Math.round(100 * depthAt(data, ...pointed)) / 100, unit)} deep here`
              : "Drag a line across for its section."}
        </chakra.span>
      </chakra.div>
    </chakra.div>
  );
}

interface Put {
  readonly x: number;
  readonly y: number;
  /** CSS pixels a mm. */
  readonly scale: number;
}

function placed({ columns, rows, pitch }: Relief, [width, height]: readonly [number, number]): Put {
  const [wide, high] = [columns * pitch, rows * pitch];
  const scale = Math.max(0.05, Math.min((width - 2 * MARGIN) / wide, (height - ABOVE - BELOW) / high));
  return {
    scale,
    x: (width - wide * scale) / 2,
    y: ABOVE + (height - ABOVE - BELOW - high * scale) / 2,
  };
}

function drawLine(context: CanvasRenderingContext2D, [from, to]: Line, { x, y, scale }: Put): void {
  for (const [colour, width] of [
    ["rgba(255,255,255,.85)", 4],
    ["#7A1230", 2],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.beginPath();
    context.moveTo(x + from[0] * scale, y + from[1] * scale);
    context.lineTo(x + to[0] * scale, y + to[1] * scale);
    context.stroke();
  }
}

/** The section, its depths as large as the room allows, above the bar of views. */
function drawChart(
  context: CanvasRenderingContext2D,
  depths: readonly number[],
  [from, to]: Line,
  relief: Relief,
  [width, height]: readonly [number, number],
  wood: string,
  say: (mm: number) => string,
): void {
  const most = Math.max(0.1, ...depths);
  const [left, right, top] = [MARGIN, width - 14, height - BELOW + 16];
  const high = CHART - 14;
  context.fillStyle = "#FCFBF6";
  context.fillRect(left, top - 8, right - left, CHART + 8);
  context.beginPath();
  context.moveTo(left, top + 4);
  depths.forEach((depth, k) => {
    const x = left + ((right - left) * k) / (depths.length - 1);
    context.lineTo(x, top + 4 + (high * Math.min(depth, relief.thick)) / Math.min(most, relief.thick));
  });
  const bottom = top + (most < relief.thick ? CHART : CHART - 10);
  context.lineTo(right, bottom);
  context.lineTo(left, bottom);
  context.closePath();
  context.fillStyle = wood;
  context.fill();
  context.strokeStyle = "#1E2A2E";
  context.lineWidth = 1.4;
  context.stroke();
  context.fillStyle = "#FCFBF6";
  context.fillRect(right - 232, top + CHART - 26, 230, 22);
  context.fillStyle = "#1E2A2E";
  context.font = "600 14px Barlow Condensed, sans-serif";
  const long = Math.hypot(to[0] - from[0], to[1] - from[1]);
  context.textAlign = "right";
  context.fillText(
    `${say(Math.round(10 * long) / 10)} long, at most ${say(Math.round(100 * most) / 100)} deep`,
    right - 6,
    top + CHART - 8,
  );
  context.textAlign = "left";
}

function rgb(colour: string): Rgb {
  return [1, 3, 5].map((k) => Number.parseInt(colour.slice(k, k + 2), 16)) as unknown as Rgb;
}
