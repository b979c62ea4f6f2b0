import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Slot } from "../api/client";
import type { Value } from "./slots";

const Input = chakra("input");

interface Props {
  slot: Slot;
  value: Value;
  onTake: (value: Value) => void;
}

/** A colour in a sentence: its swatch and its figures; chosen with the system's own chooser. */
export function ColourSlot({ slot, value, onTake }: Props) {
  const [shown, setShown] = useState(String(value));
  useEffect(() => setShown(String(value)), [value]);
  return (
    <chakra.label display="inline-flex" alignItems="center" gap="5px" fontWeight={600} verticalAlign="middle">
      <Input
        type="color"
        aria-label={slot.called}
        data-path={slot.path}
        value={shown}
        width="28px"
        height="24px"
        padding="0"
        border="1px solid {colors.hair.strong}"
        borderRadius="slip"
        cursor="pointer"
        onChange={(event) => setShown(event.target.value)}
        onBlur={() => shown !== value && onTake(shown)}
      />
      {shown}
    </chakra.label>
  );
}
