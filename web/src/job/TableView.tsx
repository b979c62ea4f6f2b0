import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Work } from "../api/client";
import type { Place } from "../engine/camera";
import { pathTester, type Target, targetAt } from "../engine/hit";
import { Table, type TableState } from "../engine/table";
import { formatSize } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import { parsed, sceneOf } from "./scenes";
import { type StationKey, VIEWS, type ViewKey } from "./stations";
import type { Ticket } from "./ticket";
import { clickWords, type TracedShape } from "./touchUps";
import { useImages } from "./useImages";

const Svg = chakra("svg");
const CSS_SCALE = 96 / 25.4;

interface Props {
  station: StationKey;
  ticket: Ticket;
  work: Work;
  before: Work | null;
  settling: boolean;
  onRegion: (artwork: string, shape: TracedShape) => void;
}

interface RegionTarget extends Target {
  readonly artwork: string;
  readonly shape: TracedShape;
}

/** The middle of the job screen: the work in true proportion, with rulers, loupe and views. */
export function TableView({ station, ticket, work, before, settling, onRegion }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const table = useRef<Table | null>(null);
  const overlay = useRef<SVGGElement>(null);
  const zoomText = useRef<HTMLSpanElement>(null);
  const camera = useRef<TableState["camera"] | null>(null);
  const [view, setView] = useState<ViewKey>("made");
  const [loupe, setLoupe] = useState(false);
  const [comparing, setComparing] = useState(false);
  const [pointed, setPointed] = useState<string | null>(null);
  const [cursor, setCursor] = useState<Place | null>(null);
  const { unit, turn } = useUnit();
  const { images, loaded } = useImages();
  const inside = useMemo(pathTester, []);

  const shown = comparing && before ? before : work;
  const targets = useMemo<RegionTarget[]>(() => {
    if (station !== "trace") return [];
    return Object.entries(shown.artworks).flatMap(([artwork, { shapes }]) =>
      shapes.map((shape) => {
        const { path, facts } = parsed(shape.d);
        const [left, top, right, bottom] = facts.box;
        const id = `${artwork}:${shape.x.toFixed(4)}:${shape.y.toFixed(4)}`;
        return { id, path, box: facts.box, area: (right - left) * (bottom - top), artwork, shape };
      }),
    );
  }, [station, shown]);
  const target = targets.find((one) => one.id === pointed) ?? null;

  // what the canvas calls back into, always the newest
  const live = useRef({ targets, onRegion });
  live.current = { targets, onRegion };
  const press = useCallback(
    (place: Place) => {
      const found = targetAt(live.current.targets, place, inside) as RegionTarget | null;
      if (found) live.current.onRegion(found.artwork, found.shape);
    },
    [inside],
  );

  useEffect(() => {
    if (!canvas.current) return;
    const made = new Table(
      canvas.current,
      (state) => {
        camera.current = state.camera;
        const { scale, x, y } = state.camera;
        overlay.current?.setAttribute("transform", `matrix(${scale} 0 0 ${scale} ${x} ${y})`);
        if (zoomText.current) zoomText.current.textContent = `${Math.round((100 * scale) / CSS_SCALE)} %`;
      },
      press,
      (place) => setPointed(place ? (targetAt(live.current.targets, place, inside)?.id ?? null) : null),
    );
    table.current = made;
    return () => made.destroy();
  }, [inside, press]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: ``loaded`` counts pictures that arrived
  useEffect(() => {
    table.current?.show(
      sceneOf(station, view, ticket, shown, images),
      sceneOf(station, station === "artwork" ? "made" : "over", ticket, shown, images),
    );
  }, [station, view, ticket, shown, images, loaded]);
  useEffect(() => table.current?.setUnit(unit), [unit]);
  useEffect(() => table.current?.holdLoupe(loupe), [loupe]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new station is fitted once
  useEffect(() => table.current?.fit(), [station]);

  const moveCursor = (dx: number, dy: number) => {
    const from = cursor ?? table.current?.centre() ?? { x: 0, y: 0 };
    const next = { x: Math.round(from.x + dx), y: Math.round(from.y + dy) };
    setCursor(next);
    setPointed(targetAt(targets, next, inside)?.id ?? null);
    table.current?.reveal(next);
  };
  const jump = (way: number) => {
    if (!targets.length) return;
    const at = targets.findIndex((one) => one.id === pointed);
    const next = targets[(at + way + targets.length) % targets.length] as RegionTarget;
    setPointed(next.id);
    const artwork = shown.artworks[next.artwork];
    if (!artwork) return;
    const place = { x: next.shape.x * artwork.width, y: next.shape.y * (artwork.height ?? 0) };
    setCursor(place);
    table.current?.reveal(place);
  };

  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const far = event.shiftKey ? 10 : 1;
    const viewKey = VIEWS.find((one) => one.letter === event.key.toLowerCase());
    const acts: Record<string, () => void> = {
      arrowleft: () => moveCursor(-far, 0),
      arrowright: () => moveCursor(far, 0),
      arrowup: () => moveCursor(0, -far),
      arrowdown: () => moveCursor(0, far),
      enter: () => target && onRegion(target.artwork, target.shape),
      n: () => jump(1),
      "0": () => table.current?.fit(),
      "+": () => table.current?.zoom(1.25),
      "=": () => table.current?.zoom(1.25),
      "-": () => table.current?.zoom(0.8),
      " ": () => table.current?.holdSpace(true),
      l: () => setLoupe(true),
      b: () => setComparing(true),
      u: turn,
    };
    const act = viewKey ? () => setView(viewKey.key) : acts[event.key.toLowerCase()];
    if (viewKey?.letter === "p" && event.shiftKey) return jump(-1);
    if (!act) return;
    event.preventDefault();
    act();
  };
  const onKeyUp = (event: React.KeyboardEvent) => {
    if (event.key === " ") table.current?.holdSpace(false);
    if (event.key.toLowerCase() === "l") setLoupe(false);
    if (event.key.toLowerCase() === "b") setComparing(false);
  };

  const said = target ? describe(target, unit) : "";
  return (
    <chakra.section
      aria-label="Table"
      position="relative"
      flex="1"
      minWidth="0"
      background="mat"
      overflow="hidden"
      data-settling={settling || undefined}
    >
      <chakra.canvas
        ref={canvas}
        tabIndex={0}
        role="application"
        aria-label={`The work at ${station}. Arrows move the cursor, n goes to the next region, Enter clicks, ? lists the keys.`}
        position="absolute"
        inset="0"
        width="100%"
        height="100%"
        touchAction="none"
        cursor={target ? "pointer" : "default"}
        onKeyDown={onKeyDown}
        onKeyUp={onKeyUp}
        onBlur={() => {
          setLoupe(false);
          setComparing(false);
          table.current?.holdSpace(false);
        }}
        _focusVisible={{ outlineOffset: "-3px", boxShadow: "none" }}
      />
      <Svg position="absolute" inset="0" width="100%" height="100%" pointerEvents="none" aria-hidden="true">
        <g ref={overlay}>
          {targets.map((one) => (
            <path
              key={one.id}
              data-region={one.id}
              data-dropped={one.shape.dropped}
              d={one.shape.d}
              fillRule="evenodd"
              fill={one.id === pointed ? "rgba(233,165,12,.28)" : "none"}
              stroke={one.id === pointed ? "#8A5F00" : "none"}
              strokeWidth="2"
              vectorEffect="non-scaling-stroke"
            />
          ))}
          {cursor && camera.current && (
            <path
              data-cursor=""
              d={`M${cursor.x - 2} ${cursor.y}h4M${cursor.x} ${cursor.y - 2}v4`}
              stroke="#1E2A2E"
              strokeWidth="1.5"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </g>
      </Svg>
      <chakra.div aria-live="polite" position="absolute" left="34px" top="30px" pointerEvents="none">
        {said && (
          <chakra.div
            background="paper"
            padding="4px 10px"
            borderRadius="slip"
            fontSize="14px"
            boxShadow="0 1px 3px #0003"
          >
            {said}
          </chakra.div>
        )}
        {comparing && before && (
          <chakra.div background="paper" padding="4px 10px" borderRadius="slip" fontSize="14px">
            Before the last change
          </chakra.div>
        )}
      </chakra.div>
      <chakra.div
        role="group"
        aria-label="Views"
        position="absolute"
        left="34px"
        bottom="14px"
        display="flex"
        gap="2px"
        padding="3px"
        background="paper"
        borderRadius="5px"
        boxShadow="0 1px 3px rgba(0,0,0,.13)"
      >
        {VIEWS.map((one) => (
          <ViewButton
            key={one.key}
            pressed={one.key === view}
            onClick={() => setView(one.key)}
            name={one.name}
            letter={one.letter}
          />
        ))}
        <ViewButton pressed={loupe} onClick={() => setLoupe(!loupe)} name="Loupe" letter="hold l" />
      </chakra.div>
      <chakra.div position="absolute" right="14px" bottom="14px" display="flex" gap="6px">
        <Button
          type="button"
          onClick={turn}
          aria-label={`Lengths in ${unit}; turn to ${unit === "mm" ? "inches" : "mm"}`}
        >
          {unit}
        </Button>
        <Button type="button" onClick={() => table.current?.zoom(0.8)} aria-label="Smaller">
          −
        </Button>
        <Button
          type="button"
          onClick={() => table.current?.fit()}
          title="Fit all in view (0)"
          minWidth="66px"
        >
          <span ref={zoomText}>100 %</span>
        </Button>
        <Button type="button" onClick={() => table.current?.zoom(1.25)} aria-label="Larger">
          +
        </Button>
      </chakra.div>
    </chakra.section>
  );
}

function ViewButton(props: { pressed: boolean; onClick: () => void; name: string; letter: string }) {
  return (
    <chakra.button
      type="button"
      aria-pressed={props.pressed}
      title={`${props.name} (${props.letter})`}
      onClick={props.onClick}
      padding="4px 9px"
      minHeight="28px"
      borderRadius="3px"
      border="none"
      cursor="pointer"
      font="500 14px Barlow"
      color={props.pressed ? "paper" : "ink"}
      background={props.pressed ? "ink" : "transparent"}
    >
      {props.name}
    </chakra.button>
  );
}

function describe(target: RegionTarget, unit: "mm" | "in"): string {
  const [left, top, right, bottom] = target.box;
  const size = `${formatSize(right - left, unit)} × ${formatSize(bottom - top, unit)}`;
  const leftOut =
    target.shape.dropped === "small" ? ", a speck left out" : target.shape.dropped ? ", dropped by hand" : "";
  return `${size}, ${target.shape.nodes} nodes${leftOut}. Click to ${clickWords(target.shape)}.`;
}
