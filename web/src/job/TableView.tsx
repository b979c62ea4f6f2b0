import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, type Change, type Work } from "../api/client";
import { type Box, type Place, toTable } from "../engine/camera";
import { pathTester, targetAt } from "../engine/hit";
import { Table, type TableState } from "../engine/table";
import { formatLength } from "../engine/units";
import { useUnit } from "../ui/unit";
import { CopiesOverlay } from "./CopiesOverlay";
import { fitKey } from "./fitting";
import { gripsOf } from "./grips";
import { BurntLegend, DeviationLegend, LineLegend, PlateLegend, Slip } from "./Legends";
import { type MovesHandle, MovesView } from "./MovesView";
import { colourChange, holeChange, onPiece, pieceToolChanges, regionChange } from "./pieceChanges";
import { sceneOf, shiftOf } from "./scenes";
import { type StationKey, type ViewKey, viewsAt } from "./stations";
import { TableBar } from "./TableBar";
import { type Dab, TableOverlay } from "./TableOverlay";
import {
  describeTarget,
  holeLine,
  pieceTargets,
  type RegionTarget,
  regionChooser,
  targetOf,
} from "./targets";
import { type Anchor, burns, heldLayer, type Piece, type Ticket } from "./ticket";
import { CHOOSE, type Tool, toolChanges } from "./tools";
import type { TracedShape } from "./touchUps";
import type { Copies } from "./useCopies";
import { useImages } from "./useImages";
import { useNodeEditing } from "./useNodeEditing";
import { usePieceGrips } from "./usePieceGrips";

const CSS_SCALE = 96 / 25.4;
const USUAL_FADE = 0.4;
const RESTS = 250;

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
  piece: Piece | undefined;
  artwork: string;
  /** Path of the ticket's item in hand. */
  held: string;
  /** A place that a note is about, in mm. */
  place: Place | null;
  /** Copies of the sheets, to be moved at Sheet. */
  hand: Copies;
  onTool: (tool: Tool) => void;
  onBrush: (width: number) => void;
  onRegion: (artwork: string, shape: TracedShape) => void;
  onChanges: (changes: Change[]) => void;
  /** Show what changes would do before they are made; null for what is kept. */
  onTry: (changes: Change[] | null) => void;
}

/** The middle of the job screen: the work in true proportion, with rulers, loupe, views and tools of the hand. */
export function TableView(props: Props) {
  const { jobId, revision, station, ticket, work, before, settling, tool, brush, piece } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const table = useRef<Table | null>(null);
  const overlay = useRef<SVGGElement>(null);
  const zoomText = useRef<HTMLSpanElement>(null);
  const player = useRef<MovesHandle>(null);
  const stood = useRef<TableState["view"]>({ width: 1, height: 1 });
  const camera = useRef<TableState["camera"]>({ scale: 1, x: 0, y: 0 });
  const [view, setView] = useState<ViewKey>("made");
  const [fade, setFade] = useState(USUAL_FADE);
  const [loupe, setLoupe] = useState(false);
  const [leftOut, setLeftOut] = useState(false);
  const [comparing, setComparing] = useState(false);
  const [pointed, setPointed] = useState<string | null>(null);
  const [cursor, setCursor] = useState<Place | null>(null);
  const [drawn, setDrawn] = useState<readonly Place[]>([]);
  const [dab, setDab] = useState<Dab | null>(null);
  const [measured, setMeasured] = useState<string>("");
  const { unit, turn } = useUnit();
  const { images, loaded } = useImages();
  const inside = useMemo(pathTester, []);

  const shown = comparing && before ? before : work;
  const looked = useMemo(
    () => ({ artworks: [props.artwork], piece: piece?.id ?? "", layer: "" }),
    [props.artwork, piece?.id],
  );
  const layer = piece?.layers.find((one) => heldLayer(props.held) === one.id) ?? piece?.layers[0];
  const layerView = station === "lines" ? shown.layers[layer?.id ?? ""] : undefined;
  const line = layer?.lines.find((one) => props.held.endsWith(`/lines/${one.id}`));
  // what a click on a colour chooses it for: the line in hand, or the layer
  const choosing =
    line?.source === "chosen colours" ||
    (!line && layer?.shows === "chosen colours" && props.held.endsWith(`/layers/${layer.id}`));
  const clicked = layer && holeLine(layer, line);
  const targets = useMemo<RegionTarget[]>(() => {
    if (station === "lines")
      return view === "made" || view === "outlines" ? pieceTargets(layerView, choosing, clicked) : [];
    if (station !== "trace") return [];
    return (shown.artworks[props.artwork]?.shapes ?? []).map((shape) => ({
      ...targetOf(shape.d, `${props.artwork}:${shape.x.toFixed(4)}:${shape.y.toFixed(4)}`),
      place: { x: shape.place[0], y: shape.place[1] },
      artwork: props.artwork,
      shape,
    }));
  }, [station, shown, props.artwork, view, layerView, choosing, clicked]);
  const target = targets.find((one) => one.id === pointed) ?? null;
  const ownArtwork = shown.artworks[props.artwork];
  const hasPixels = ownArtwork !== undefined && (ownArtwork.level !== null || ownArtwork.palette.length > 0);
  const onThing = piece !== undefined && piece.thing !== "nothing";
  const plate = Object.values(shown.layers).some((one) => one.plate);
  const moves = ticket.sheets.some((one) => burns(one.machine));
  const filled = layerView?.lines.some((one) => one.filled) ?? false;
  const views = viewsAt(station, { measurable: hasPixels, thing: onThing, plate, moves, filled });
  const seen = views.some((one) => one.key === view) ? view : view === "deviation" ? "outlines" : "made";
  const firstArtwork = props.artwork;
  const { data: deviation } = useQuery({
    queryKey: ["deviation", jobId, revision, firstArtwork],
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

  const grips = usePieceGrips((event) => {
    const box = canvas.current?.getBoundingClientRect();
    return toTable(camera.current, {
      x: event.clientX - (box?.left ?? 0),
      y: event.clientY - (box?.top ?? 0),
    });
  }, props.onChanges);
  const dots =
    station === "lines" && seen === "made" && piece && layer && layerView && !comparing
      ? gripsOf(piece, layer, layerView)
      : [];

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
    if (station === "lines") {
      const made =
        piece && layer && layerView && pieceToolChanges(tool.key, piece, layer, layerView, line, points);
      if (made) props.onChanges(made);
      return;
    }
    const under = targetAt(targets, points[0] as Place, inside) as RegionTarget | null;
    const artwork = under?.artwork ?? firstArtwork;
    const of = shown.artworks[artwork];
    const changes = of && toolChanges(tool, station, artwork, of, points, brush, under?.shape ?? null);
    if (!changes) return;
    if (tool.gesture === "stroke" || tool.gesture === "loop") setDab({ tool, points, brush });
    props.onChanges(changes);
  };
  // a stroke stays in sight until the work that follows from it is there
  // biome-ignore lint/correctness/useExhaustiveDependencies: new work takes its place
  useEffect(() => setDab(null), [work]);

  /** A click at Lines: a hole kept or filled by the line in hand, a region chosen for it or let go. */
  const pressPiece = (found: RegionTarget, place: Place) => {
    if (!piece || !layer || !layerView) return;
    if (found.colour)
      return props.onChanges([colourChange(props.held, (line ?? layer).colours, found.colour)]);
    const [left, top, right, bottom] = layerView.frame;
    const within = (one: Anchor) =>
      inside(found.path, left + one.x * (right - left), top + one.y * (bottom - top));
    if (found.hole) {
      const rule = holeLine(layer, line);
      return rule && props.onChanges([holeChange(piece, layer, rule, found.hole, within)]);
    }
    const chooser = regionChooser(layer, line, props.held);
    if (!chooser) return;
    props.onChanges([regionChange(props.held, chooser.regions, onPiece(layerView.frame, place), within)]);
  };

  /** A press on the table, by pointer or by Enter at the cursor. */
  const press = (place: Place) => {
    if (tool.key === "choose" || tool.gesture === "nodes") {
      const found = targetAt(targets, place, inside) as RegionTarget | null;
      if (!found) return;
      if (station === "lines") pressPiece(found, place);
      else if (!found.artwork || !found.shape) return;
      else if (tool.key === "choose") props.onRegion(found.artwork, found.shape);
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

  // while the pointer rests, the table shows what a click there would take away
  const resting = useRef({ timer: 0, shows: false });
  const rest = (place: Place | null) => {
    window.clearTimeout(resting.current.timer);
    if (resting.current.shows) props.onTry(null);
    resting.current.shows = false;
    if (!place || station !== "clean" || tool.key !== "places" || !ownArtwork) return;
    resting.current.timer = window.setTimeout(() => {
      const made = toolChanges(tool, station, firstArtwork, ownArtwork, [place], brush, null);
      if (!made) return;
      resting.current.shows = true;
      props.onTry(made);
    }, RESTS);
  };

  // what the canvas calls back into, always the newest
  const onSheet = station === "sheet" && tool.key === "choose";
  const live = useRef({ targets, press, finish, rest, hand: onSheet ? props.hand : null });
  live.current = { targets, press, finish, rest, hand: onSheet ? props.hand : null };
  const onPress = useCallback((place: Place) => live.current.press(place), []);

  useEffect(() => {
    if (!canvas.current) return;
    const made = new Table(
      canvas.current,
      (state) => {
        camera.current = state.camera;
        const { scale, x, y } = state.camera;
        overlay.current?.setAttribute("transform", `matrix(${scale} 0 0 ${scale} ${x} ${y})`);
        player.current?.look(state.camera, state.view);
        stood.current = state.view;
        if (zoomText.current) zoomText.current.textContent = `${Math.round((100 * scale) / CSS_SCALE)} %`;
      },
      onPress,
      (place) => {
        setPointed(place ? (targetAt(live.current.targets, place, inside)?.id ?? null) : null);
        live.current.rest(place);
      },
      (points, done, adds) => {
        if (live.current.hand) live.current.hand.stroke(points, done, adds);
        else if (done) live.current.finish(points);
        else setDrawn([...points]);
      },
    );
    table.current = made;
    return () => made.destroy();
  }, [inside, onPress]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: ``loaded`` counts pictures that arrived
  useEffect(() => {
    table.current?.show(
      sceneOf(station, seen, ticket, shown, images, { fade, deviation, ...looked }),
      sceneOf(station, station === "artwork" ? "made" : "over", ticket, shown, images, {
        fade: 1,
        ...looked,
      }),
    );
  }, [station, seen, ticket, shown, images, loaded, fade, deviation, looked]);
  // not while a draft is being tried
  const fitted = useRef("");
  if (!work.preview) fitted.current = fitKey(station, ticket, work, props.artwork, piece);
  useEffect(() => {
    if (props.place) table.current?.goTo(props.place);
  }, [props.place]);
  useEffect(() => table.current?.setUnit(unit), [unit]);
  useEffect(() => table.current?.holdLoupe(loupe), [loupe]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new station is fitted once
  useEffect(() => table.current?.fit(), [station, piece?.id, fitted.current, seen === "thing"]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => {
    setDrawn([]);
    setMeasured("");
    editing.close();
    live.current.rest(null);
    if (onSheet) table.current?.takeStrokes(true, "default");
    else table.current?.takeStrokes(["stroke", "loop", "box"].includes(tool.gesture));
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
    if (onSheet) {
      const at = props.hand.step(way);
      if (at) table.current?.reveal(at);
      return;
    }
    if (!targets.length) return;
    const at = targets.findIndex((one) => one.id === pointed);
    const next = targets[(at + way + targets.length) % targets.length] as RegionTarget;
    setPointed(next.id);
    setCursor(next.place);
    table.current?.reveal(next.place);
  };
  const leave = () => {
    table.current?.dropStroke();
    if (drawn.length) {
      setDrawn([]);
      setMeasured("");
    } else props.onTool(CHOOSE);
  };

  /** What a key does to the copies in hand; false when none are, or it does nothing. */
  const handKey = (key: string, far: number): boolean => {
    const { hand } = props;
    if (!onSheet || !hand.chosen.length) return false;
    const moves: Record<string, () => unknown> = {
      arrowleft: () => hand.nudge({ dx: -far }),
      arrowright: () => hand.nudge({ dx: far }),
      arrowup: () => hand.nudge({ dy: -far }),
      arrowdown: () => hand.nudge({ dy: far }),
      r: () => hand.nudge({ turn: far > 1 ? 90 : 15 }),
      k: hand.lock,
      delete: hand.throwOff,
      backspace: hand.throwOff,
      escape: () => hand.choose([]),
    };
    moves[key]?.();
    return key in moves;
  };
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const key = event.key.toLowerCase();
    if (handKey(key, event.shiftKey ? 10 : event.altKey ? 0.1 : 1)) return event.preventDefault();
    const far = event.shiftKey ? 10 : 1;
    if (editing.key(key, far)) return event.preventDefault();
    if (seen === "moves" && player.current?.key(key)) return event.preventDefault();
    const viewKey = views.find((one) => one.letter === key);
    const acts: Record<string, () => void> = {
      arrowleft: () => moveCursor(-far, 0),
      arrowright: () => moveCursor(far, 0),
      arrowup: () => moveCursor(0, -far),
      arrowdown: () => moveCursor(0, far),
      enter: () => (cursor ? press(cursor) : target && press(target.place)),
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

  const artworks = ownArtwork ? [ownArtwork] : [];
  const hidden = artworks.map((artwork) => artwork.left_out).join("");
  const said =
    measured ||
    (tool.key !== "choose"
      ? `${tool.name}: ${tool.words}`
      : target
        ? describeTarget(target, unit, layer, line, props.held)
        : "");
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
        copies={onSheet ? <CopiesOverlay copies={props.hand} ticket={ticket} /> : null}
        regions={targets.map(({ id, d, shape }) => ({
          id,
          d,
          dropped: shape?.dropped ?? "",
          stroke: shape?.stroke ?? null,
        }))}
        shownPlace={props.place}
        grips={dots}
        moving={grips.moving}
        onPieceGrip={grips.drag}
        onPieceGripKey={grips.key}
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
        dab={dab}
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
        userSelect="none"
        display="grid"
        gap="6px"
        justifyItems="start"
      >
        {said && <Slip>{said}</Slip>}
        {comparing && before && <Slip>Before the last change</Slip>}
        {station === "lines" && layerView?.looks && (
          <LineLegend view={seen} looks={layerView.looks} unit={unit} />
        )}
        {seen === "burnt" && <BurntLegend />}
        {seen === "plate" && <PlateLegend layers={ticket.pieces.flatMap((one) => one.layers)} unit={unit} />}
        {seen === "deviation" && <DeviationLegend deviation={deviation} unit={unit} />}
      </chakra.div>
      {seen === "moves" && (
        <MovesView
          ref={(handle) => {
            player.current = handle;
            handle?.look(camera.current, stood.current);
          }}
          jobId={jobId}
          revision={revision}
          ticket={ticket}
          shiftOf={(sheet) => shiftOf(ticket, shown, sheet)}
        />
      )}
      <TableBar
        station={station}
        views={views}
        view={seen}
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
