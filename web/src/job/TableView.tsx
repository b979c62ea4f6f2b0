import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, type Change, type Deviation, type Work } from "../api/client";
import { type Box, type Place, toTable } from "../engine/camera";
import { pathTester, type Target, targetAt } from "../engine/hit";
import { Table, type TableState } from "../engine/table";
import { formatLength, formatSize } from "../engine/units";
import { useUnit } from "../ui/unit";
import { DEVIATION_COLOURS, parsed, sceneOf } from "./scenes";
import { DEVIATION_VIEW, type StationKey, VIEWS, type ViewKey } from "./stations";
import { TableBar } from "./TableBar";
import { TableOverlay } from "./TableOverlay";
import type { Ticket } from "./ticket";
import { CHOOSE, type Tool, toolChanges } from "./tools";
import { clickWords, type TracedShape } from "./touchUps";
import { useImages } from "./useImages";
import { useNodeEditing } from "./useNodeEditing";

const CSS_SCALE = 96 / 25.4;
const USUAL_FADE = 0.4;

interface Props {
  jobId: number;
  revision: number;
  station: StationKey;
  ticket: Ticket;
  work: Work;
  before: Work | null;
  settling: boolean;
  tool: Tool;
  brush: number;
  onTool: (tool: Tool) => void;
  onBrush: (width: number) => void;
  onRegion: (artwork: string, shape: TracedShape) => void;
  onChanges: (changes: Change[]) => void;
}

interface RegionTarget extends Target {
  readonly artwork: string;
  readonly shape: TracedShape;
}

/** The middle of the job screen: the work in true proportion, with rulers, loupe, views and tools of the hand. */
export function TableView(props: Props) {
  const { jobId, revision, station, ticket, work, before, settling, tool, brush } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const table = useRef<Table | null>(null);
  const overlay = useRef<SVGGElement>(null);
  const zoomText = useRef<HTMLSpanElement>(null);
  const camera = useRef<TableState["camera"]>({ scale: 1, x: 0, y: 0 });
  const [view, setView] = useState<ViewKey>("made");
  const [fade, setFade] = useState(USUAL_FADE);
  const [loupe, setLoupe] = useState(false);
  const [leftOut, setLeftOut] = useState(false);
  const [comparing, setComparing] = useState(false);
  const [pointed, setPointed] = useState<string | null>(null);
  const [cursor, setCursor] = useState<Place | null>(null);
  const [drawn, setDrawn] = useState<readonly Place[]>([]);
  const [measured, setMeasured] = useState<string>("");
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
  const hasPixels = Object.values(shown.artworks).some(
    (artwork) => artwork.level !== null || artwork.palette.length,
  );
  const seen = view === "deviation" && (station !== "trace" || !hasPixels) ? "outlines" : view;
  const firstArtwork = ticket.artworks[0]?.id ?? "";
  const { data: deviation } = useQuery({
    queryKey: ["deviation", jobId, revision],
    queryFn: () => api.deviation(jobId, firstArtwork),
    enabled: seen === "deviation",
    staleTime: Number.POSITIVE_INFINITY,
  });

  const editing = useNodeEditing(
    (artwork) => ticket.artworks.find((one) => one.id === artwork)?.touch_ups ?? [],
    props.onChanges,
    (event) => {
      const box = canvas.current?.getBoundingClientRect();
      return toTable(camera.current, {
        x: event.clientX - (box?.left ?? 0),
        y: event.clientY - (box?.top ?? 0),
      });
    },
  );

  /** A gesture of the tool is complete. */
  const finish = (points: readonly Place[]) => {
    setDrawn([]);
    const last = points[points.length - 1];
    if (!last) return;
    if (tool.key === "measure") {
      const [a, b] = [points[0] as Place, last];
      setDrawn([a, b]);
      setMeasured(
        `${formatLength(Math.hypot(b.x - a.x, b.y - a.y), unit)}; across ${formatLength(Math.abs(b.x - a.x), unit)}, down ${formatLength(Math.abs(b.y - a.y), unit)}`,
      );
      return;
    }
    const under = targetAt(targets, points[0] as Place, inside) as RegionTarget | null;
    const artwork = under?.artwork ?? firstArtwork;
    const of = shown.artworks[artwork];
    const changes = of && toolChanges(tool, station, artwork, of, points, brush, under?.shape ?? null);
    if (changes) props.onChanges(changes);
  };

  /** A press on the table, by pointer or by Enter at the cursor. */
  const press = (place: Place) => {
    if (tool.key === "choose" || tool.gesture === "nodes") {
      const found = targetAt(targets, place, inside) as RegionTarget | null;
      if (!found) return;
      if (tool.key === "choose") props.onRegion(found.artwork, found.shape);
      else editing.open(found.artwork, shown.artworks[found.artwork]?.width ?? 1, found.shape);
    } else if (tool.gesture === "click") finish([place]);
    else if (drawn.length === 0 || (tool.key === "measure" && measured)) {
      setMeasured("");
      setDrawn([place]);
    } else
      finish(
        tool.gesture === "two" || tool.gesture === "box" ? [drawn[0] as Place, place] : [...drawn, place],
      );
  };

  // what the canvas calls back into, always the newest
  const live = useRef({ targets, press, finish });
  live.current = { targets, press, finish };
  const onPress = useCallback((place: Place) => live.current.press(place), []);

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
      onPress,
      (place) => setPointed(place ? (targetAt(live.current.targets, place, inside)?.id ?? null) : null),
      (points, done) => (done ? live.current.finish(points) : setDrawn([...points])),
    );
    table.current = made;
    return () => made.destroy();
  }, [inside, onPress]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: ``loaded`` counts pictures that arrived
  useEffect(() => {
    table.current?.show(
      sceneOf(station, seen, ticket, shown, images, { fade, deviation }),
      sceneOf(station, station === "artwork" ? "made" : "over", ticket, shown, images, { fade: 1 }),
    );
  }, [station, seen, ticket, shown, images, loaded, fade, deviation]);
  useEffect(() => table.current?.setUnit(unit), [unit]);
  useEffect(() => table.current?.holdLoupe(loupe), [loupe]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new station is fitted once
  useEffect(() => table.current?.fit(), [station]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => {
    setDrawn([]);
    setMeasured("");
    editing.close();
    table.current?.takeStrokes(["stroke", "loop", "box"].includes(tool.gesture));
  }, [tool, station]);

  const moveCursor = (dx: number, dy: number) => {
    const from = cursor ?? table.current?.centre() ?? { x: 0, y: 0 };
    const next = { x: Math.round(from.x + dx), y: Math.round(from.y + dy) };
    setCursor(next);
    setPointed(targetAt(targets, next, inside)?.id ?? null);
    if (drawn.length && !measured)
      setDrawn(
        tool.gesture === "stroke" || tool.gesture === "loop" ? [...drawn, next] : [drawn[0] as Place, next],
      );
    table.current?.reveal(next);
  };
  const jump = (way: number) => {
    if (!targets.length) return;
    const at = targets.findIndex((one) => one.id === pointed);
    const next = targets[(at + way + targets.length) % targets.length] as RegionTarget;
    setPointed(next.id);
    const place = { x: next.shape.place[0], y: next.shape.place[1] };
    setCursor(place);
    table.current?.reveal(place);
  };
  const leave = () => {
    table.current?.dropStroke();
    if (drawn.length) {
      setDrawn([]);
      setMeasured("");
    } else props.onTool(CHOOSE);
  };

  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const far = event.shiftKey ? 10 : 1;
    const key = event.key.toLowerCase();
    if (editing.key(key, far)) return event.preventDefault();
    const views = station === "trace" ? [...VIEWS, DEVIATION_VIEW] : VIEWS;
    const viewKey = views.find((one) => one.letter === key);
    const acts: Record<string, () => void> = {
      arrowleft: () => moveCursor(-far, 0),
      arrowright: () => moveCursor(far, 0),
      arrowup: () => moveCursor(0, -far),
      arrowdown: () => moveCursor(0, far),
      enter: () => (cursor ? press(cursor) : target && props.onRegion(target.artwork, target.shape)),
      escape: leave,
      n: () => jump(1),
      "0": () => table.current?.fit(),
      "+": () => table.current?.zoom(1.25),
      "=": () => table.current?.zoom(1.25),
      "-": () => table.current?.zoom(0.8),
      "[": () => props.onBrush(brush / 1.25),
      "]": () => props.onBrush(brush * 1.25),
      " ": () => table.current?.holdSpace(true),
      l: () => setLoupe(true),
      b: () => setComparing(true),
      u: turn,
    };
    const act = viewKey ? () => setView(viewKey.key) : acts[key];
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

  const artworks = Object.values(shown.artworks);
  const hidden = artworks.map((artwork) => artwork.left_out).join("");
  const said =
    measured ||
    (tool.key !== "choose" ? `${tool.name}: ${tool.words}` : target ? describe(target, unit) : "");
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
        cursor={tool.key !== "choose" ? "crosshair" : target ? "pointer" : "default"}
        onKeyDown={onKeyDown}
        onKeyUp={onKeyUp}
        onBlur={() => {
          setLoupe(false);
          setComparing(false);
          table.current?.holdSpace(false);
        }}
        _focusVisible={{ outlineOffset: "-3px", boxShadow: "none" }}
      />
      <TableOverlay
        group={overlay}
        regions={targets.map(({ id, shape }) => ({
          id,
          d: shape.d,
          dropped: shape.dropped,
          stroke: shape.stroke,
        }))}
        pointed={pointed}
        cursor={cursor}
        lettering={
          station === "trace" || station === "artwork"
            ? artworks.flatMap((artwork) => artwork.lettering as Box[])
            : []
        }
        leftOut={leftOut && station === "artwork" ? hidden : ""}
        tool={tool}
        drawn={drawn}
        brush={brush}
        editing={tool.gesture === "nodes" ? editing.rings : null}
        grip={editing.grip}
        onGrip={editing.hold}
        onInsert={editing.insert}
      />
      <chakra.div
        aria-live="polite"
        position="absolute"
        left="34px"
        top="30px"
        pointerEvents="none"
        display="grid"
        gap="6px"
        justifyItems="start"
      >
        {said && <Slip>{said}</Slip>}
        {comparing && before && <Slip>Before the last change</Slip>}
        {seen === "deviation" && <DeviationLegend deviation={deviation} unit={unit} />}
      </chakra.div>
      <TableBar
        station={station}
        view={seen}
        measurable={station === "trace" && hasPixels}
        onView={setView}
        loupe={loupe}
        onLoupe={setLoupe}
        fade={fade}
        onFade={setFade}
        leftOut={station === "artwork" && hidden ? leftOut : null}
        onLeftOut={setLeftOut}
        unit={unit}
        onUnit={turn}
        zoomText={zoomText}
        onFit={() => table.current?.fit()}
        onZoom={(factor) => table.current?.zoom(factor)}
      />
    </chakra.section>
  );
}

function Slip({ children }: { children: React.ReactNode }) {
  return (
    <chakra.div
      background="paper"
      padding="4px 10px"
      borderRadius="slip"
      fontSize="14px"
      boxShadow="0 1px 3px #0003"
    >
      {children}
    </chakra.div>
  );
}

function DeviationLegend({ deviation, unit }: { deviation: Deviation | undefined; unit: "mm" | "in" }) {
  if (!deviation) return <Slip>Measuring…</Slip>;
  return (
    <Slip>
      <chakra.span display="flex" flexWrap="wrap" gap="4px 12px" alignItems="center">
        <b>
          Worst {formatLength(deviation.worst[2], unit)}, {deviation.worst_px.toFixed(2)} px
        </b>
        {DEVIATION_COLOURS.map((colour, level) => (
          <chakra.span key={colour} display="inline-flex" alignItems="center" gap="5px">
            <chakra.span width="18px" height="4px" style={{ background: colour }} />
            {level < deviation.classes.length
              ? `to ${formatLength(deviation.classes[level] ?? 0, unit)}`
              : "beyond"}
          </chakra.span>
        ))}
      </chakra.span>
    </Slip>
  );
}

function describe(target: RegionTarget, unit: "mm" | "in"): string {
  const [left, top, right, bottom] = target.box;
  const { shape } = target;
  const size = `${formatSize(right - left, unit)} × ${formatSize(bottom - top, unit)}`;
  const width = shape.stroke !== null ? `, a stroke ${formatLength(shape.stroke, unit)} wide` : "";
  return `${size}${width}, ${shape.nodes} nodes${LEFT_OUT[shape.dropped] ?? ""}. Click to ${clickWords(shape)}.`;
}

const LEFT_OUT: Record<string, string> = {
  small: ", a speck left out",
  paper: ", paper colour left out",
  frame: ", a box or frame left out",
  hand: ", dropped by hand",
};
