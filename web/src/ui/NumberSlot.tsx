import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import type { Slot } from "../api/client";
import type { Unit } from "../engine/units";
import { Button } from "./Button";
import { slotStyle } from "./slotStyle";
import { editable, say, stepped, understand, type Value } from "./slots";

const DRAG_STARTS = 4;
const PIXELS_A_STEP = 4;
const PRESSES_BELONG_TOGETHER = 800;

// a button may not be a spinbutton, so its keys are told here
const Word = chakra("span", slotStyle);
const Input = chakra("input");

/** What becomes of a value: tried, taken, or back to what it was. */
interface Ways {
  onDraft: (value: Value) => void;
  onTake: (value: Value) => void;
  onRestore: () => void;
}

interface Props extends Ways {
  slot: Slot;
  value: Value;
  /** The number an unset value stands for, when it is known. */
  suggested: number | undefined;
  unit: Unit;
}

/** A number in a sentence: dragged sideways, stepped with arrow keys, or clicked and typed. */
export function NumberSlot({ slot, value, suggested, unit, ...ways }: Props) {
  /** What the field begins with, and whether by a key that stands there already: the next one goes behind it. */
  const [typing, setTyping] = useState<{ text: string; begun: boolean } | null>(null);
  const word = useRef<HTMLSpanElement>(null);
  const start = typeof value === "number" ? value : (suggested ?? slot.low);
  const text =
    value === null && suggested !== undefined
      ? `${say(slot, suggested, unit)}, ${slot.auto}`
      : say(slot, value, unit);
  const { step, settle } = useSteps(slot, start, ways);
  const { drag, dragging } = useSideways(slot, start, ways);
  const open = () => setTyping({ text: editable(slot, start, unit), begun: false });
  if (typing)
    return (
      <Editor
        slot={slot}
        unit={unit}
        first={typing.text}
        begun={typing.begun}
        {...ways}
        onLeave={(focus) => {
          setTyping(null);
          if (focus) requestAnimationFrame(() => word.current?.focus());
        }}
      />
    );
  return (
    <Word
      ref={word}
      role="spinbutton"
      tabIndex={0}
      display="inline-block"
      aria-label={slot.called}
      aria-valuenow={start}
      aria-valuetext={text}
      aria-valuemin={slot.low}
      aria-valuemax={slot.high}
      data-path={slot.path}
      data-held={dragging || undefined}
      cursor="ew-resize"
      textAlign="center"
      touchAction="none"
      onPointerDown={drag}
      onClick={open}
      onBlur={settle}
      onKeyDown={(event) => {
        if (step(event)) return;
        if (event.key === "Enter" || event.key === " " || event.key === "F2") {
          event.preventDefault();
          settle();
          open();
        }
        if (/^[\d.,]$/.test(event.key) && !event.ctrlKey && !event.metaKey) {
          event.preventDefault();
          setTyping({ text: event.key, begun: true });
        }
      }}
    >
      {text}
    </Word>
  );
}

/** Arrow keys: presses that follow each other soon are taken together. */
function useSteps(slot: Slot, start: number, { onDraft, onTake }: Ways) {
  const pending = useRef<{ timer: number; value: number } | null>(null);
  const take = useRef(onTake);
  take.current = onTake;
  const settle = () => {
    if (!pending.current) return;
    window.clearTimeout(pending.current.timer);
    const taken = pending.current.value;
    pending.current = null;
    take.current(taken);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: what waits is settled once, when the slot goes away
  useEffect(() => settle, []);
  const step = (event: React.KeyboardEvent) => {
    const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    if (way === undefined) return false;
    event.preventDefault();
    const from = pending.current?.value ?? start;
    const next = stepped(slot, from, way * paceOf(slot, event));
    if (pending.current) window.clearTimeout(pending.current.timer);
    pending.current = { value: next, timer: window.setTimeout(settle, PRESSES_BELONG_TOGETHER) };
    onDraft(next);
    return true;
  };
  return { step, settle };
}

/** Ten times as fast with Shift, a tenth with Alt. */
function paceOf(slot: Slot, { shiftKey, altKey }: { shiftKey: boolean; altKey: boolean }): number {
  if (shiftKey) return 10;
  return altKey && slot.kind !== "count" ? 0.1 : 1;
}

/** Dragged sideways. */
function useSideways(slot: Slot, start: number, { onDraft, onTake, onRestore }: Ways) {
  const [dragging, setDragging] = useState(false);
  const drag = (event: React.PointerEvent<HTMLSpanElement>) => {
    if (event.button !== 0) return;
    const slid = event.currentTarget;
    const from = { x: event.clientX, value: start };
    let moved = false;
    let latest = start;
    const move = (at: PointerEvent) => {
      if (!moved && Math.abs(at.clientX - from.x) <= DRAG_STARTS) return;
      if (!moved) {
        moved = true;
        slid.setPointerCapture(event.pointerId);
        setDragging(true);
      }
      const next = stepped(
        slot,
        from.value,
        Math.round((at.clientX - from.x) / PIXELS_A_STEP) * paceOf(slot, at),
      );
      if (next !== latest) {
        latest = next;
        onDraft(next);
      }
    };
    const stop = (kept: boolean) => () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      window.removeEventListener("pointercancel", cancel);
      setDragging(false);
      if (!moved) return;
      // the click that ends a drag must not open the editor
      window.addEventListener("click", (click) => click.stopPropagation(), { capture: true, once: true });
      if (kept && latest !== from.value) onTake(latest);
      else onRestore();
    };
    const up = stop(true);
    const cancel = stop(false);
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    window.addEventListener("pointercancel", cancel);
  };
  return { drag, dragging };
}

interface EditorProps extends Ways {
  slot: Slot;
  unit: Unit;
  first: string;
  begun: boolean;
  onLeave: (focus: boolean) => void;
}

/** The field that a number is typed into. */
function Editor({ slot, unit, first, begun, onDraft, onTake, onRestore, onLeave }: EditorProps) {
  const [typing, setTyping] = useState(first);
  const read = understand(slot, typing, unit);
  const problem = "problem" in read ? read.problem : "";
  const leave = (keep: boolean, focus: boolean) => {
    if (keep && "value" in read && read.value !== slot.value) onTake(read.value);
    else onRestore();
    onLeave(focus);
  };
  return (
    <chakra.span
      display="inline-flex"
      whiteSpace="normal"
      flexWrap="wrap"
      alignItems="baseline"
      gap="4px"
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) leave(false, false);
      }}
    >
      <Input
        autoFocus
        value={typing}
        width={`${Math.max(4, typing.length) + 2}ch`}
        aria-label={slot.called}
        aria-invalid={problem !== ""}
        data-path={slot.path}
        onFocus={(event) => begun || event.currentTarget.select()}
        onChange={(event) => {
          setTyping(event.target.value);
          const next = understand(slot, event.target.value, unit);
          if ("value" in next) onDraft(next.value);
        }}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter" && !problem) leave(true, true);
          if (event.key === "Escape") leave(false, true);
        }}
        font="inherit"
        fontWeight={600}
        paddingX="5px"
        border="none"
        borderBottom="2px solid {colors.marigold}"
        background="marigold.pale"
        borderRadius="3px 3px 0 0"
        _focusVisible={{ outline: "none", boxShadow: "0 0 0 2px {colors.ink}" }}
      />
      {slot.auto && (
        <Button
          look="quiet"
          type="button"
          onClick={() => {
            onTake(null);
            onLeave(false);
          }}
        >
          {slot.auto}
        </Button>
      )}
      {problem && (
        <chakra.span role="alert" display="block" width="100%" fontSize="13px" color="blocked">
          {problem}.
        </chakra.span>
      )}
    </chakra.span>
  );
}
