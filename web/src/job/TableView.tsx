import { chakra } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Change, Click, Step, Work } from "../api/client";
import type { Box, Place } from "../engine/camera";
import { pathTester, targetAt } from "../engine/hit";
import { useUnit } from "../ui/unit";
import { CarvedView } from "./CarvedView";
import { CopiesOverlay } from "./CopiesOverlay";
import { bedOf, clampsOn } from "./clamps";
import { gripsOf } from "./grips";
import { type MovesHandle, MovesView } from "./MovesView";
import { onTable, targetsOn, viewsOn } from "./onTable";
import { RoundView } from "./RoundView";
import { shiftOf } from "./scenes";
import type { StationKey, ViewKey } from "./stations";
import { TableBar } from "./TableBar";
import { TableOverlay } from "./TableOverlay";
import { TableSlips } from "./TableSlips";
import { describeTarget } from "./targets";
import type { Piece, Ticket } from "./ticket";
import type { Tool } from "./tools";
import type { TracedShape } from "./touchUps";
import type { Copies } from "./useCopies";
import { useHandTools } from "./useHandTools";
import { useNodeEditing } from "./useNodeEditing";
import { usePieceGrips } from "./usePieceGrips";
import { useScene } from "./useScene";
import { useTable } from "./useTable";
import { useTableKeys } from "./useTableKeys";

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
  onStep: (step: Step) => void;
  onClick: (layer: string, click: Click) => void;
  /** Show what changes would do before they are made; null for what is kept. */
  onTry: (changes: Change[] | null) => void;
}

/** The middle of the job screen: the work in true proportion, with rulers, loupe, views and tools of the hand. */
export function TableView(props: Props) {
  const { jobId, revision, station, ticket, work, before, tool, brush, piece, artwork, held } = props;
  const player = useRef<MovesHandle>(null);
  const [view, setView] = useState<ViewKey>("made");
  const [fade, setFade] = useState(USUAL_FADE);
  const [loupe, setLoupe] = useState(false);
  const [leftOut, setLeftOut] = useState(false);
  const [comparing, setComparing] = useState(false);
  const [pointed, setPointed] = useState<string | null>(null);
  const { unit, turn } = useUnit();
  const inside = useMemo(pathTester, []);

  const shown = comparing && before ? before : work;
  const on = useMemo(
    () => onTable(station, ticket, shown, piece, artwork, held),
    [station, ticket, shown, piece, artwork, held],
  );
  const views = viewsOn(on);
  const seen = views.some((one) => one.key === view) ? view : view === "deviation" ? "outlines" : "made";
  const targets = useMemo(() => targetsOn(on, seen), [on, seen]);
  const target = targets.find((one) => one.id === pointed) ?? null;
  const hand = station === "sheet" && tool.key === "choose" ? props.hand : null;
  const handles = useTable(
    { unit, loupe, place: props.place },
    {
      look: (state) => player.current?.look(state.camera, state.view),
      press: (place) => tools.press(place),
      point: (place) => {
        setPointed(place ? (targetAt(targets, place, inside)?.id ?? null) : null);
        tools.rest(place);
      },
      stroke: (points, done, adds) => {
        if (hand) hand.stroke(points, done, adds);
        else if (done) tools.finish(points);
        else tools.draw([...points]);
      },
    },
  );
  const { canvas, overlay, zoomText, table, placeOf } = handles;
  const editing = useNodeEditing(ticket, props.onChanges, placeOf);
  const grips = usePieceGrips(placeOf, props.onChanges);
  const tools = useHandTools({ ...props, on, targets, inside, onOpen: editing.open });
  const keys = useTableKeys(handles, {
    ...{ targets, inside, pointed, onPointed: setPointed, tools, editing, hand, views, onView: setView },
    ...{ player: seen === "moves" ? player : null, brush, onBrush: props.onBrush },
    ...{ onTool: props.onTool, onLoupe: setLoupe, onBefore: setComparing },
  });

  const clamps = useMemo(
    () => (station === "machine" ? clampsOn(ticket, shown) : []),
    [station, ticket, shown],
  );
  const beds = ticket.sheets.map((one) => (tool.key === "clamp" ? bedOf(one, ticket, shown) : null));
  const dots =
    seen !== "made" || comparing ? [] : [...gripsOf(on), ...clamps.flatMap(({ grip }) => grip ?? [])];
  const deviation = useScene(table, on, seen, fade, { jobId, revision });
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => {
    tools.clear();
    editing.close();
    tools.rest(null);
    if (tool.key === "clamp") setView("made"); // where beds lie
    if (hand) table.current?.takeStrokes(true, "default");
    else table.current?.takeStrokes(["stroke", "loop", "box"].includes(tool.gesture));
  }, [tool, station]);

  const hidden = on.pixels?.left_out ?? "";
  const lettered = (station === "trace" || station === "artwork") && on.pixels;
  const ofTool = tool.key === "choose" ? "" : `${tool.name}: ${tool.words}`;
  const ofTarget = target ? describeTarget(target, unit, on.layer, on.line, held) : "";
  return (
    <chakra.section
      aria-label="Table"
      position="relative"
      flex="1"
      minWidth="0"
      background="mat"
      overflow="hidden"
      data-settling={props.settling || undefined}
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
        onKeyDown={keys.down}
        onKeyUp={keys.up}
        onBlur={keys.letGo}
        _focusVisible={{ outlineOffset: "-3px", boxShadow: "none" }}
      />
      <TableOverlay
        group={overlay}
        copies={hand ? <CopiesOverlay copies={hand} /> : null}
        targets={targets}
        shownPlace={props.place}
        beds={beds.filter((one) => one !== null)}
        clamps={seen === "made" ? clamps : []}
        grips={dots}
        moving={grips}
        pointed={pointed}
        cursor={keys.cursor}
        lettering={lettered ? (lettered.lettering as Box[]) : []}
        leftOut={leftOut && station === "artwork" ? hidden : ""}
        tool={tool}
        tools={tools}
        brush={brush}
        editing={editing}
      />
      <TableSlips
        on={on}
        view={seen}
        said={tools.measured || ofTool || ofTarget}
        before={comparing && before !== null}
        deviation={deviation}
      />
      {seen === "moves" && (
        <MovesView
          ref={(handle) => {
            player.current = handle;
            handle?.look(handles.state.current.camera, handles.state.current.view);
          }}
          jobId={jobId}
          revision={revision}
          ticket={ticket}
          shiftOf={(sheet) => shiftOf(ticket, shown, sheet)}
        />
      )}
      {seen === "carved" && <CarvedView {...{ jobId, revision, ticket }} />}
      {seen === "round" && piece && shown.goods[piece.id] && (
        <RoundView key={piece.id} goods={shown.goods[piece.id] as Work["goods"][string]} />
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
        table={table}
      />
    </chakra.section>
  );
}
