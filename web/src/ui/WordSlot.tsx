import { chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Slot } from "../api/client";
import { slotStyle } from "./slotStyle";
import { localDay, parseDay, say, sayDate, type Value } from "./slots";

const Word = chakra("button", slotStyle);
const Input = chakra("input");

/** A name or a day in a sentence: click, type, Enter; Esc or leaving restores. */
export function WordSlot({
  slot,
  value,
  onTake,
}: {
  slot: Slot;
  value: Value;
  onTake: (value: Value) => void;
}) {
  const [typing, setTyping] = useState<string | null>(null);
  const word = useRef<HTMLButtonElement>(null);
  const isDay = slot.kind === "date";
  const text = (typing ?? "").trim();
  const day = isDay && text !== "" ? parseDay(text, localDay()) : null;
  const unknown = isDay && text !== "" && day === null;
  const leave = (taken: boolean) => {
    setTyping(null);
    const next = isDay ? day : text;
    if (taken && next !== value && !(slot.low > 0 && text === "")) onTake(next);
    requestAnimationFrame(() => word.current?.focus());
  };
  const open = () => setTyping(value === null ? "" : String(value));
  if (typing === null)
    return (
      <Word
        ref={word}
        type="button"
        aria-label={`${slot.called}: ${say(slot, value, "mm")}`}
        data-path={slot.path}
        onClick={open}
        onKeyDown={(event) => event.key === "F2" && open()}
      >
        {say(slot, value, "mm")}
      </Word>
    );
  const field = (
    <Input
      autoFocus
      aria-label={slot.called}
      aria-invalid={unknown}
      data-path={slot.path}
      value={typing}
      maxLength={slot.kind === "text" ? slot.high : undefined}
      width={`${Math.max(10, typing.length + 2)}ch`}
      onChange={(event) => setTyping(event.target.value)}
      onFocus={(event) => event.currentTarget.select()}
      onBlur={() => setTyping(null)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter" && !unknown) leave(true);
        if (event.key === "Escape") leave(false);
      }}
      font="inherit"
      fontWeight={600}
      maxWidth="100%"
      paddingX="5px"
      border="none"
      borderBottom="2px solid {colors.marigold}"
      background="marigold.pale"
    />
  );
  if (!isDay) return field;
  return (
    <chakra.span display="inline-flex" flexWrap="wrap" alignItems="baseline" gap="6px" whiteSpace="normal">
      {field}
      <chakra.span role="status" fontSize="14px" color={unknown ? "blocked" : "ink.soft"}>
        {unknown ? "A day such as 12 Dec, 12/12, Friday or in 3 days." : day && sayDate(day)}
      </chakra.span>
    </chakra.span>
  );
}
