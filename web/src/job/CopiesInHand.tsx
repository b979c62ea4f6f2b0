import { chakra } from "@chakra-ui/react";
import type { Slot } from "../api/client";
import { formatLength } from "../engine/units";
import { Button } from "../ui/Button";
import { NumberSlot } from "../ui/NumberSlot";
import { useUnit } from "../ui/unit";
import type { Sheet } from "./ticket";
import type { Copies, Standing } from "./useCopies";

const FURTHEST = 100_000;

/** Under a sheet's sentence: where the copies in hand lie, and what can be done with them. */
export function CopiesInHand({ sheet, hand }: { sheet: Sheet; hand: Copies }) {
  const { unit } = useUnit();
  const chosen = hand.chosen.filter((copy) => copy.sheet === sheet.id);
  if (!chosen.length) return null;
  const { place, goes } = hand;
  const typed = (part: keyof Standing, called: string) =>
    place &&
    goes && (
      <NumberSlot
        slot={slotOf(part, called, hundredths(place[part]))}
        value={hundredths(goes[part])}
        suggested={undefined}
        unit={unit}
        onDraft={(value) => hand.tryAt({ [part]: Number(value) })}
        onTake={(value) => hand.putAt({ [part]: Number(value) })}
        onRestore={() => hand.tryAt(null)}
      />
    );
  return (
    <chakra.div
      role="group"
      aria-label="Copies in hand"
      marginTop="8px"
      paddingTop="6px"
      borderTop="1px solid {colors.hair.soft}"
      fontSize="14.5px"
    >
      {chosen.length === 1 ? "One copy" : `${chosen.length} copies`} in hand
      {place && (
        <>
          , its middle {typed("x", "middle from the left")} from the left and{" "}
          {typed("y", "middle from the top")} from the top, turned {typed("turn", "turned by")}
        </>
      )}
      {chosen.some((copy) => copy.beyond) && <b>, beyond the edge</b>}
      {hand.tooNear === null ? (
        "."
      ) : (
        <b>
          {hand.tooNear < 0.02
            ? ", on another."
            : `, ${formatLength(hand.tooNear, unit)} from another; ${formatLength(hand.spacingOf(sheet.id), unit)} are wanted.`}
        </b>
      )}
      <chakra.div display="flex" flexWrap="wrap" gap="5px" marginTop="4px">
        <Button type="button" minHeight="26px" title="r" onClick={() => hand.nudge({ turn: 15 })}>
          Turn by 15°
        </Button>
        <Button type="button" minHeight="26px" title="k" onClick={hand.lock}>
          {chosen.every((copy) => copy.locked) ? "Unlock" : "Lock"}
        </Button>
        <Button
          type="button"
          minHeight="26px"
          title="Delete"
          disabled={chosen.every((copy) => copy.locked)}
          onClick={hand.throwOff}
        >
          Throw off
        </Button>
      </chakra.div>
    </chakra.div>
  );
}

function hundredths(value: number): number {
  return Math.round(value * 100) / 100;
}

/** A number of the place in hand; it is not the ticket's, so that its slot is made here. */
function slotOf(part: keyof Standing, called: string, value: number): Slot {
  const isTurn = part === "turn";
  return {
    path: `hand/${part}`,
    kind: isTurn ? "angle" : "length",
    value,
    text: "",
    called,
    low: isTurn ? -180 : -FURTHEST,
    high: isTurn ? 180 : FURTHEST,
    step: isTurn ? 1 : 0.5,
    auto: "",
    choices: [],
    changed: false,
  };
}
