import { chakra } from "@chakra-ui/react";
import { useEffect, useId, useRef, useState } from "react";
import type { Slot } from "../api/client";
import { inUnit, type Unit } from "../engine/units";
import { slotStyle } from "./slotStyle";
import { say, type Value } from "./slots";

const Word = chakra("button", slotStyle);

const EDGE = 12;

interface Props {
  slot: Slot;
  value: Value;
  unit: Unit;
  onDraft: (value: Value) => void;
  onTake: (value: Value) => void;
  onRestore: () => void;
}

/** A choice in a sentence: a list under the word; arrows preview, Enter takes, Esc restores. */
export function ChoiceSlot({ slot, value, unit, onDraft, onTake, onRestore }: Props) {
  const [at, setAt] = useState<number | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const word = useRef<HTMLButtonElement>(null);
  const [opened, setOpened] = useState<Value>(value);
  const id = useId();
  const open = at !== null;
  useEffect(() => {
    if (!open || !list.current) return;
    list.current.focus({ preventScroll: true });
    // a word near the right edge opens its list to the left
    const beyond = list.current.getBoundingClientRect().right - (window.innerWidth - EDGE);
    if (beyond > 0) list.current.style.marginLeft = `${-beyond}px`;
    list.current.scrollIntoView({ block: "nearest" });
  }, [open]);

  const show = () => {
    setOpened(value);
    setAt(
      Math.max(
        0,
        slot.choices.findIndex((choice) => choice.value === value),
      ),
    );
  };
  const close = (taken: Value | undefined, focus = true) => {
    setAt(null);
    if (taken !== undefined && taken !== opened) onTake(taken);
    else onRestore();
    if (focus) word.current?.focus();
  };
  const point = (next: number) => {
    const index = (next + slot.choices.length) % slot.choices.length;
    setAt(index);
    onDraft(slot.choices[index]?.value ?? null);
  };

  return (
    <chakra.span position="relative" display="inline">
      <Word
        ref={word}
        type="button"
        aria-haspopup="listbox"
        aria-expanded={open}
        aria-label={`${slot.called}: ${say(slot, value, unit)}`}
        data-path={slot.path}
        onClick={() => (open ? close(undefined) : show())}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown") {
            event.preventDefault();
            show();
          }
        }}
      >
        {say(slot, value, unit)}
      </Word>
      {at !== null && (
        <chakra.div
          ref={list}
          role="listbox"
          tabIndex={-1}
          aria-label={slot.called}
          aria-activedescendant={`${id}-${at}`}
          onBlur={() => at !== null && close(undefined, false)}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "ArrowDown" || event.key === "ArrowUp") {
              event.preventDefault();
              point(at + (event.key === "ArrowDown" ? 1 : -1));
            } else if (event.key === "Enter" || event.key === " ") {
              event.preventDefault();
              close(slot.choices[at]?.value);
            } else if (event.key === "Escape") close(undefined);
          }}
          position="absolute"
          left="0"
          top="100%"
          zIndex={20}
          width="270px"
          whiteSpace="normal"
          background="paper.white"
          border="1px solid {colors.hair}"
          borderRadius="card"
          boxShadow="0 6px 18px rgba(30,42,46,.16)"
          paddingY="4px"
          outline="none"
        >
          {slot.choices.map((choice, index) => (
            <chakra.div
              key={choice.value}
              id={`${id}-${index}`}
              role="option"
              tabIndex={-1}
              aria-selected={choice.value === opened}
              onPointerDown={(event) => {
                event.preventDefault();
                close(choice.value);
              }}
              onPointerEnter={() => setAt(index)}
              padding="6px 12px"
              cursor="pointer"
              lineHeight="1.3"
              background={index === at ? "marigold.note" : "transparent"}
              borderLeft={choice.value === opened ? "3px solid {colors.marigold}" : "3px solid transparent"}
            >
              <chakra.div fontWeight={600} fontSize="15px">
                {inUnit(choice.label, unit)}
              </chakra.div>
              <chakra.div fontSize="13px" color="ink.soft">
                {inUnit(choice.words, unit)}
              </chakra.div>
            </chakra.div>
          ))}
        </chakra.div>
      )}
    </chakra.span>
  );
}
