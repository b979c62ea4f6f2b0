import { chakra } from "@chakra-ui/react";
import { type Ref, type RefObject, useEffect, useRef } from "react";
import type { Table } from "../engine/table";
import { Button } from "../ui/Button";
import type { StationKey, View, ViewKey } from "./stations";

const Input = chakra("input");
const ONE_ROW = 36; // CSS pixels
const MOVES_BAR = 42; // that stands above

interface Props {
  station: StationKey;
  view: ViewKey;
  views: readonly View[];
  onView: (view: ViewKey) => void;
  loupe: boolean;
  onLoupe: (on: boolean) => void;
  fade: number;
  onFade: (fade: number) => void;
  /** Whether what is left out of a client's drawing is shown; null when nothing is. */
  leftOut: boolean | null;
  onLeftOut: (on: boolean) => void;
  unit: "mm" | "in";
  onUnit: () => void;
  zoomText: Ref<HTMLSpanElement>;
  table: RefObject<Table | null>;
}

/** Views, fading and zoom, along the foot of the table; where one row does not hold them, the zoom stands above. */
export function TableBar(props: Props) {
  const { station, views, view, fade, leftOut, unit } = props;
  const bars = useRef<HTMLDivElement>(null);
  // what the bars lie over is left free when the work is fitted
  useEffect(() => {
    const own = bars.current;
    if (!own) return;
    const more = view === "moves" ? MOVES_BAR : 0;
    const seen = new ResizeObserver(() =>
      props.table.current?.keepFree(Math.max(0, own.offsetHeight - ONE_ROW) + more),
    );
    seen.observe(own);
    return () => seen.disconnect();
  }, [view, props.table]);
  return (
    <chakra.div
      ref={bars}
      position="absolute"
      left="34px"
      right="14px"
      bottom="14px"
      display="flex"
      flexWrap="wrap-reverse"
      alignItems="center"
      justifyContent="space-between"
      gap="6px 12px"
      pointerEvents="none"
      css={{ "& > *": { pointerEvents: "auto" } }}
    >
      <chakra.div
        role="group"
        aria-label="Views"
        flexWrap="wrap"
        display="flex"
        alignItems="center"
        gap="2px"
        padding="3px"
        background="paper"
        borderRadius="5px"
        boxShadow="0 1px 3px rgba(0,0,0,.13)"
      >
        {views.map((one) => (
          <ViewButton
            key={one.key}
            pressed={one.key === view}
            onClick={() => props.onView(one.key)}
            name={one.name}
            letter={one.letter}
          />
        ))}
        <ViewButton
          pressed={props.loupe}
          onClick={() => props.onLoupe(!props.loupe)}
          name="Loupe"
          letter="hold l"
        />
        {leftOut !== null && (
          <ViewButton
            pressed={leftOut}
            onClick={() => props.onLeftOut(!leftOut)}
            name="Left out"
            letter="what nobody sees in the client’s paths"
          />
        )}
      </chakra.div>
      {view === "over" && station !== "artwork" && (
        <chakra.label
          position="absolute"
          left="0"
          bottom="44px"
          display="flex"
          alignItems="center"
          gap="8px"
          padding="4px 10px"
          fontSize="14px"
          background="paper"
          borderRadius="5px"
          boxShadow="0 1px 3px rgba(0,0,0,.13)"
        >
          Pixels
          <Input
            type="range"
            min="0"
            max="1"
            step="0.05"
            value={fade}
            aria-label="How strongly the artwork shows"
            width="130px"
            height="24px"
            accentColor="#8A5F00"
            onChange={(event) => props.onFade(Number(event.target.value))}
          />
        </chakra.label>
      )}
      <chakra.div display="flex" gap="6px" marginLeft="auto">
        <Button
          type="button"
          onClick={props.onUnit}
          aria-label={`Lengths in ${unit}; turn to ${unit === "mm" ? "inches" : "mm"}`}
        >
          {unit}
        </Button>
        <Button type="button" onClick={() => props.table.current?.zoom(0.8)} aria-label="Smaller">
          −
        </Button>
        <Button
          type="button"
          onClick={() => props.table.current?.fit()}
          title="Fit all in view (0)"
          minWidth="66px"
        >
          <span ref={props.zoomText}>100 %</span>
        </Button>
        <Button type="button" onClick={() => props.table.current?.zoom(1.25)} aria-label="Larger">
          +
        </Button>
      </chakra.div>
    </chakra.div>
  );
}

function ViewButton(props: { pressed: boolean; onClick: () => void; name: string; letter: string }) {
  return (
    <chakra.button
      type="button"
      aria-pressed={props.pressed}
      title={`${props.name} (${props.letter})`}
      onClick={props.onClick}
      padding="4px 9px"
      minHeight="28px"
      borderRadius="3px"
      border="none"
      cursor="pointer"
      font="500 14px Barlow"
      whiteSpace="nowrap"
      color={props.pressed ? "paper" : "ink"}
      background={props.pressed ? "ink" : "transparent"}
    >
      {props.name}
    </chakra.button>
  );
}
