import { chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Slot } from "../api/client";
import { slotStyle } from "./slotStyle";
import { say, type Value } from "./slots";

const Word = chakra("button", slotStyle);
const Input = chakra("input");

/** A name or a date in a sentence: click, type, Enter; Esc or leaving restores. */
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
  const leave = (taken: boolean) => {
    const text = (typing ?? "").trim();
    setTyping(null);
    const next = slot.kind === "date" && text === "" ? null : text;
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
  return (
    <Input
      autoFocus
      type={slot.kind === "date" ? "date" : "text"}
      aria-label={slot.called}
      data-path={slot.path}
      value={typing}
      maxLength={slot.kind === "text" ? slot.high : undefined}
      width={slot.kind === "date" ? "150px" : `${Math.max(10, typing.length + 2)}ch`}
      onChange={(event) => setTyping(event.target.value)}
      onFocus={(event) => event.currentTarget.type === "text" && event.currentTarget.select()}
      onBlur={() => setTyping(null)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") leave(true);
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
}
