import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { forwardRef, type ReactNode, useEffect, useImperativeHandle, useRef, useState } from "react";
import { api } from "../api/client";
import type { Camera, Size } from "../engine/camera";
import { BURN, clock, droppedBefore, type Moves, moveAt, nextPath, unpackMoves } from "../engine/moves";
import { Playback } from "../engine/playback";
import { Button } from "../ui/Button";
import { burns, type Ticket } from "./ticket";
import { goesOn, useConnected, useRun } from "./useRun";

const Input = chakra("input");
const Select = chakra("select");
const STEPS = 2000;
const PACES = [1, 10, 60, 300] as const;

export interface MovesHandle {
  look(camera: Camera, view: Size): void;
  /** Whether a key was taken. */
  key(key: string): boolean;
}

interface Props {
  jobId: number;
  revision: number;
  ticket: Ticket;
  /** How far to the right a sheet lies, mm. */
  shiftOf: (sheet: string) => number;
}

/** The moves of a beam over the table: played, stepped, scrubbed, or followed while the machine runs. */
export const MovesView = forwardRef<MovesHandle, Props>(function MovesView(props, ref) {
  const { jobId, revision, ticket } = props;
  const able = ticket.sheets.filter(({ machine }) => burns(machine));
  const [chosen, setChosen] = useState("");
  const sheet = able.find((one) => one.id === chosen) ?? able[0];
  const { data: moves, error } = useQuery({
    queryKey: ["moves", jobId, revision, sheet?.id],
    queryFn: async () => unpackMoves(await api.moves(jobId, sheet?.id ?? "")),
    enabled: sheet !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const run = useRun(jobId, sheet?.id ?? "", useConnected(sheet?.machine.key));
  const live = run && run.revision === revision && goesOn(run.state) ? run : null;
  const whole = moves?.begins[moves.count] ?? 0;
  const shift = sheet ? props.shiftOf(sheet.id) : 0;

  const { moment, seconds, setSeconds, playing, setPlaying, play, pace, setPace } = usePlaying(moves, live);
  const { canvas, look } = usePlayback(moves, shift, seconds, live);
  const step = (way: 1 | -1) => {
    if (!moves) return;
    setPlaying(false);
    setSeconds(moves.begins[nextPath(moves, moveAt(moves, seconds), way)] ?? 0);
  };
  useImperativeHandle(ref, () => ({
    look,
    key: (key) => {
      const acts: Record<string, () => void> = { enter: play, ",": () => step(-1), ".": () => step(1) };
      acts[key]?.();
      return key in acts;
    },
  }));

  return (
    <>
      <chakra.canvas
        ref={canvas}
        aria-hidden
        position="absolute"
        inset="0"
        width="100%"
        height="100%"
        pointerEvents="none"
      />
      <chakra.div
        role="group"
        aria-label="Moves"
        position="absolute"
        left="34px"
        right="14px"
        bottom="54px"
        display="flex"
        alignItems="center"
        gap="8px"
        padding="5px 8px"
        background="paper"
        borderRadius="5px"
        boxShadow="0 1px 3px rgba(0,0,0,.13)"
        fontSize="14px"
      >
        {error ? (
          <span role="status">{error.message}</span>
        ) : !moves ? (
          <span role="status">Fetching the moves…</span>
        ) : (
          <Controls
            {...{ whole, moment, play, step }}
            playing={playing}
            live={live !== null}
            pace={pace}
            onPace={setPace}
            onMoment={(to) => {
              setPlaying(false);
              setSeconds(to);
            }}
          >
            {able.length > 1 && (
              <Select
                aria-label="Sheet whose moves are shown"
                value={sheet?.id}
                onChange={(event) => setChosen(event.target.value)}
                height="28px"
                background="paper.white"
                border="1px solid {colors.hair}"
                borderRadius="slip"
              >
                {able.map((one) => (
                  <option key={one.id} value={one.id}>
                    sheet {ticket.sheets.indexOf(one) + 1}
                  </option>
                ))}
              </Select>
            )}
          </Controls>
        )}
      </chakra.div>
      {moves && <Now moves={moves} made={live ? live.moves : moveAt(moves, seconds)} live={live !== null} />}
    </>
  );
});

/** A job's run at the machine, as it goes on now. */
type Live = ReturnType<typeof useRun>;

/** The moment that is shown, in seconds from the beginning: played at a pace; the machine's own while it runs. */
function usePlaying(moves: Moves | undefined, live: Live) {
  const [seconds, setSeconds] = useState(0);
  const [playing, setPlaying] = useState(false);
  const [pace, setPace] = useState<number>(60);
  const whole = moves?.begins[moves.count] ?? 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: other moves begin anew
  useEffect(() => setSeconds(0), [moves]);
  useEffect(() => {
    if (!playing) return;
    let [last, frame] = [performance.now(), 0];
    const tick = (now: number) => {
      setSeconds((was) => {
        const next = Math.min(whole, was + ((now - last) / 1000) * pace);
        last = now;
        return next;
      });
      frame = requestAnimationFrame(tick);
    };
    frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, [playing, pace, whole]);
  useEffect(() => {
    if (playing && whole > 0 && seconds >= whole) setPlaying(false);
  }, [playing, seconds, whole]);

  const moment = live && moves ? (moves.begins[Math.min(live.moves, moves.count)] ?? 0) : seconds;
  const play = () => {
    if (!playing && seconds >= whole) setSeconds(0);
    setPlaying(!playing);
  };
  return { moment, seconds, setSeconds, playing, setPlaying, play, pace, setPace };
}

/** The moves drawn on a canvas over the table, up to a moment, as the table is looked at. */
function usePlayback(moves: Moves | undefined, shift: number, seconds: number, live: Live) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const playback = useRef<Playback | null>(null);
  const seen = useRef<[Camera, Size] | null>(null);
  const now = useRef(seconds);
  now.current = seconds;
  useEffect(() => {
    if (!canvas.current || !moves) return;
    const made = new Playback(canvas.current, moves, shift);
    playback.current = made;
    if (seen.current) made.look(...seen.current);
    made.show(now.current);
    return () => made.destroy();
  }, [moves, shift]);
  useEffect(() => playback.current?.show(seconds), [seconds]);
  useEffect(() => {
    if (!moves) return;
    playback.current?.follow(
      live && { made: live.moves, x: moves.start[0] + live.x, y: moves.start[1] - live.y },
    );
  }, [live, moves]);

  const look = (camera: Camera, view: Size) => {
    seen.current = [camera, view];
    playback.current?.look(camera, view);
  };
  return { canvas, look };
}

/** Play, step, and the time along the run. */
function Controls(props: {
  whole: number;
  moment: number;
  playing: boolean;
  live: boolean;
  pace: number;
  play: () => void;
  step: (way: 1 | -1) => void;
  onMoment: (seconds: number) => void;
  onPace: (pace: number) => void;
  children: ReactNode;
}) {
  const { whole, moment, playing, live, pace, play, step, onMoment, onPace } = props;
  return (
    <>
      {props.children}
      <Button type="button" onClick={play} minWidth="62px" disabled={live}>
        {playing ? "Pause" : "Play"}
      </Button>
      <Button type="button" onClick={() => step(-1)} aria-label="One path back" title="One path back (,)">
        ‹
      </Button>
      <Button type="button" onClick={() => step(1)} aria-label="One path on" title="One path on (.)">
        ›
      </Button>
      <Input
        type="range"
        min="0"
        max={whole}
        step={Math.max(whole / STEPS, 0.01)}
        value={Math.min(moment, whole)}
        disabled={live}
        aria-label="Moment of the run"
        aria-valuetext={`${clock(moment)} of ${clock(whole)}`}
        flex="1"
        minWidth="80px"
        height="24px"
        accentColor="#8A5F00"
        onChange={(event) => {
          const to = Number(event.target.value);
          // the last of its steps may end a hair before the run does
          onMoment(whole - to < whole / STEPS ? whole : to);
        }}
      />
      <chakra.span whiteSpace="nowrap" fontVariantNumeric="tabular-nums">
        {clock(moment)} of {clock(whole)}
      </chakra.span>
      <Select
        aria-label="Pace"
        value={pace}
        onChange={(event) => onPace(Number(event.target.value))}
        height="28px"
        background="paper.white"
        border="1px solid {colors.hair}"
        borderRadius="slip"
      >
        {PACES.map((one) => (
          <option key={one} value={one}>
            {one === 1 ? "as fast as it is" : `${one} times`}
          </option>
        ))}
      </Select>
    </>
  );
}

/** What is done at the moment, and what has fallen. */
function Now({ moves, made, live }: { moves: Moves; made: number; live: boolean }) {
  const tool = moves.tools[moves.tool[Math.min(made, moves.count - 1)] ?? 0];
  const over = made >= moves.count;
  const doing = over
    ? "all is done"
    : made === 0 && !live
      ? "at the beginning: press Play, or drag the time"
      : moves.does[made] === BURN
        ? (tool?.process ?? "")
        : `on the way to ${tool?.process}`;
  const fallen = droppedBefore(moves, made);
  return (
    <chakra.div
      position="absolute"
      left="34px"
      top="30px"
      padding="3px 9px"
      background="paper"
      borderRadius="4px"
      fontSize="14px"
      pointerEvents="none"
    >
      {live && <b>At the machine: </b>}
      {doing}
      {moves.drops.length > 0 && `; ${fallen} of ${moves.drops.length} cut free`}
    </chakra.div>
  );
}
