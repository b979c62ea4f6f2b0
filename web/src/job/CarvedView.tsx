import { chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, Refusal } from "../api/client";
import { deepest, depthAt, middle, type Relief, type Rgb, section, shaded, unpacked } from "../engine/relief";
import { formatLength } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import { drawChart, drawLine, type Line, placed, rgb } from "./carvedDrawing";
import { MAT } from "./scenes";
import { carves, type Ticket } from "./ticket";

const WOOD = "#c9a26b";
const SAMPLES = 600;
const PAINT: Rgb = [34, 50, 58];
const Input = chakra("input");

interface Props {
  jobId: number;
  revision: number;
  ticket: Ticket;
}

/** The surface that a router leaves, in relief: the light is turned, a section is drawn across, moves are made one after
 * another. */
export function CarvedView({ jobId, revision, ticket }: Props) {
  const boards = ticket.sheets.filter(({ machine }) => carves(machine));
  const [chosen, setChosen] = useState("");
  const sheet = boards.find(({ id }) => id === chosen) ?? boards[0];
  const [turn, setTurn] = useState(225);
  const [painted, setPainted] = useState(false);
  const [line, setLine] = useState<Line | null>(null);
  const [pointed, setPointed] = useState<readonly [number, number] | null>(null);
  const { unit } = useUnit();
  const { data, error, share, setShare, playing, play } = useBoard(jobId, revision, sheet?.id);
  const wood = sheet?.stock.colour ?? WOOD;
  const { canvas, onBoard } = useRelief(data, { turn, painted, wood, line });
  const most = data ? deepest(data) : null;
  const across = () => {
    if (!data) return;
    const y = middle(data);
    setLine([
      [0, y],
      [data.columns * data.pitch, y],
    ]);
  };
  const depth = pointed && data ? depthAt(data, ...pointed) : null;
  const here = depth === null ? "" : `${formatLength(Math.round(100 * depth) / 100, unit)} deep here`;
  const refused =
    error instanceof Refusal ? `${error.message} ${error.whatToDo}` : "The board cannot be shown now.";
  const said = error ? refused : here || "Drag a line across for its section.";
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
        <Slider
          called="Light from"
          value={turn}
          most={355}
          step={5}
          says={`${turn} degrees`}
          width="120px"
          onChange={setTurn}
        />
        <Slider
          called="Made so far"
          value={share}
          most={1}
          step={0.01}
          says={`${Math.round(100 * share)} per cent of the moves`}
          width="150px"
          onChange={setShare}
        />
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
          {said}
        </chakra.span>
      </chakra.div>
    </chakra.div>
  );
}

function Slider(props: {
  called: string;
  value: number;
  most: number;
  step: number;
  says: string;
  width: string;
  onChange: (value: number) => void;
}) {
  return (
    <chakra.label display="flex" alignItems="center" gap="6px">
      {props.called}
      <Input
        type="range"
        min="0"
        max={props.most}
        step={props.step}
        value={props.value}
        aria-valuetext={props.says}
        width={props.width}
        accentColor="#8A5F00"
        onChange={(event) => props.onChange(Number(event.target.value))}
      />
    </chakra.label>
  );
}

/** A board after a share of its moves, which is played from nothing to all. */
function useBoard(jobId: number, revision: number, sheet: string | undefined) {
  const [share, setShare] = useState(1);
  const [asked, setAsked] = useState(1);
  const [playing, setPlaying] = useState(false);
  useEffect(() => {
    const later = window.setTimeout(() => setAsked(share), 120);
    return () => window.clearTimeout(later);
  }, [share]);
  const { data, error, isPlaceholderData } = useQuery({
    queryKey: ["carved", jobId, revision, sheet, asked],
    queryFn: async () => unpacked((await api.carved(jobId, sheet ?? "", asked)) as unknown as ArrayBuffer),
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
  return { data, error, share, setShare, playing, play };
}

/** The board drawn on a canvas as large as there is room, with the section along a line. */
function useRelief(
  data: Relief | undefined,
  { turn, painted, wood, line }: { turn: number; painted: boolean; wood: string; line: Line | null },
) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState<readonly [number, number]>([0, 0]);
  const { unit } = useUnit();
  useEffect(() => {
    const own = canvas.current;
    if (!own) return;
    const seen = new ResizeObserver(() => setSize([own.clientWidth, own.clientHeight]));
    seen.observe(own);
    return () => seen.disconnect();
  }, []);
  const light = useMemo(() => ({ angle: (turn * Math.PI) / 180, height: 0.72 }), [turn]);
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
  return { canvas, onBoard };
}
