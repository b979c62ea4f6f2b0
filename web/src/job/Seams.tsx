import { chakra } from "@chakra-ui/react";
import type { Change, Slot, Work } from "../api/client";
import { Button } from "../ui/Button";
import { NumberSlot } from "../ui/NumberSlot";
import { useUnit } from "../ui/unit";
import { newId, type Sheet } from "./ticket";
import type { JobDesk } from "./useJobDesk";

interface Props {
  desk: JobDesk;
  sheet: Sheet;
  laid: Work["sheets"][string];
}

/** Under a sheet that is made in panels: where each seam lies, dragged or typed, and which run through a shape. */
export function Seams({ desk, sheet, laid }: Props) {
  const { unit } = useUnit();
  if (!laid.seams.length) return null;
  const here = `sheets/${sheet.id}/seams`;
  const moved = (number: number, x: number): Change => {
    const known = sheet.seams.find((seam) => seam.number === number);
    return known
      ? { path: `${here}/${known.id}/x`, value: x, operation: "set" }
      : { path: here, value: { id: newId("m"), number, x }, operation: "add" };
  };
  return (
    <chakra.ul
      aria-label="Seams"
      listStyleType="none"
      padding="0"
      marginTop="8px"
      borderTop="1px solid {colors.hair.soft}"
      fontSize="14.5px"
    >
      {laid.seams.map(({ x, crossed, by_hand }, k) => {
        const number = k + 1;
        const known = sheet.seams.find((seam) => seam.number === number);
        return (
          <chakra.li key={number} paddingTop="4px">
            Seam {number} lies{" "}
            <NumberSlot
              slot={slotOf(number, Math.round(10 * x) / 10, laid.width)}
              value={Math.round(10 * x) / 10}
              suggested={undefined}
              unit={unit}
              onDraft={(value) => desk.tryOn([moved(number, Number(value))])}
              onTake={(value) => desk.change(moved(number, Number(value)))}
              onRestore={() => desk.tryOn(null)}
            />{" "}
            from the left
            {crossed > 0 && <b> and runs through {crossed === 1 ? "a shape" : `${crossed} shapes`}</b>}.
            {by_hand && known && (
              <Button
                type="button"
                look="quiet"
                onClick={() => desk.change({ path: `${here}/${known.id}`, operation: "remove" })}
              >
                let it find its gap
              </Button>
            )}
          </chakra.li>
        );
      })}
    </chakra.ul>
  );
}

/** A place that the ticket need not hold: its slot is made here. */
function slotOf(number: number, value: number, width: number): Slot {
  return {
    path: `seam/${number}`,
    kind: "length",
    value,
    text: "",
    called: `place of seam ${number}`,
    low: 0,
    high: width,
    step: 1,
    auto: "",
    choices: [],
    changed: false,
  };
}
