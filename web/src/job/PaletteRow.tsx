import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { Change } from "../api/client";
import { Button } from "../ui/Button";
import { newId } from "./ticket";

const Input = chakra("input");

interface Props {
  artwork: string;
  palette: readonly string[];
  onChanges: (changes: Change[]) => void;
}

/** The flat colours found: each can become another one; made the same as one beside it, the two are merged. */
export function PaletteRow({ artwork, palette, onChanges }: Props) {
  const [chosen, setChosen] = useState<string | null>(null);
  const become = (to: string) => {
    if (!chosen || chosen === to) return;
    const value = { id: newId("c"), colour: rgb(chosen), to: rgb(to) };
    onChanges([{ path: `artworks/${artwork}/trace/recolours`, value, operation: "add" }]);
    setChosen(null);
  };
  return (
    <chakra.section
      aria-label="Flat colours"
      padding="10px 20px 12px 26px"
      borderTop="1px solid {colors.hair.soft}"
    >
      <chakra.div display="flex" flexWrap="wrap" gap="6px" alignItems="center">
        {palette.map((colour) => (
          <chakra.button
            key={colour}
            type="button"
            aria-label={`Colour ${colour}`}
            aria-pressed={chosen === colour}
            title={colour}
            onClick={() => setChosen(chosen === colour ? null : colour)}
            width="28px"
            height="28px"
            borderRadius="slip"
            border="1px solid {colors.hair.strong}"
            cursor="pointer"
            style={{ background: colour, boxShadow: chosen === colour ? "0 0 0 3px #E9A50C" : undefined }}
          />
        ))}
      </chakra.div>
      {chosen && (
        <chakra.div
          marginTop="8px"
          display="flex"
          flexWrap="wrap"
          gap="6px"
          alignItems="center"
          fontSize="14.5px"
        >
          <span>{chosen} becomes</span>
          <Input
            type="color"
            aria-label="Another colour"
            defaultValue={chosen}
            width="34px"
            height="28px"
            padding="0"
            border="1px solid {colors.hair.strong}"
            onBlur={(event) => become(event.target.value)}
          />
          <span>or is merged with</span>
          {palette
            .filter((colour) => colour !== chosen)
            .map((colour) => (
              <Button
                key={colour}
                type="button"
                aria-label={`Merge with ${colour}`}
                title={`Merge with ${colour}`}
                minWidth="26px"
                minHeight="26px"
                padding="0"
                style={{ background: colour }}
                onClick={() => become(colour)}
              />
            ))}
        </chakra.div>
      )}
    </chakra.section>
  );
}

function rgb(hex: string): [number, number, number] {
  const value = Number.parseInt(hex.slice(1), 16);
  return [(value >> 16) & 255, (value >> 8) & 255, value & 255];
}
