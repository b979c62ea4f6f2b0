import { chakra } from "@chakra-ui/react";
import type { Deviation } from "../api/client";
import { useUnit } from "../ui/unit";
import { BurntLegend, DeviationLegend, LineLegend, PlateLegend, Slip } from "./Legends";
import type { OnTable } from "./onTable";
import type { ViewKey } from "./stations";

interface Props {
  on: OnTable;
  view: ViewKey;
  /** What is pointed at, measured, or to be done with the tool. */
  said: string;
  before: boolean;
  deviation: Deviation | undefined;
}

/** Words over the table's top left corner: what is pointed at, and what the view's colours mean. */
export function TableSlips({ on, view, said, before, deviation }: Props) {
  const { unit } = useUnit();
  return (
    <chakra.div
      aria-live="polite"
      position="absolute"
      left="34px"
      top="30px"
      pointerEvents="none"
      userSelect="none"
      display="grid"
      gap="6px"
      justifyItems="start"
    >
      {said && <Slip>{said}</Slip>}
      {before && <Slip>Before the last change</Slip>}
      {on.drawn?.looks && <LineLegend view={view} looks={on.drawn.looks} unit={unit} />}
      {view === "burnt" && <BurntLegend />}
      {view === "plate" && <PlateLegend layers={on.ticket.pieces.flatMap((one) => one.layers)} unit={unit} />}
      {view === "deviation" && <DeviationLegend deviation={deviation} unit={unit} />}
    </chakra.div>
  );
}
