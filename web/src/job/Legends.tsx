import { chakra } from "@chakra-ui/react";
import type { Deviation } from "../api/client";
import { formatLength } from "../engine/units";
import type { LayerView } from "./pieceChanges";
import { DEVIATION_COLOURS } from "./scenes";
import type { ViewKey } from "./stations";
import type { Layer } from "./ticket";

/** A few words over the table. */
export function Slip({ children }: { children: React.ReactNode }) {
  return (
    <chakra.div
      background="paper"
      padding="4px 10px"
      borderRadius="slip"
      fontSize="14px"
      boxShadow="0 1px 3px #0003"
    >
      {children}
    </chakra.div>
  );
}

/** How far the trace is from the pixels, by colour. */
export function DeviationLegend({
  deviation,
  unit,
}: {
  deviation: Deviation | undefined;
  unit: "mm" | "in";
}) {
  if (!deviation) return <Slip>Measuring…</Slip>;
  return (
    <Slip>
      <chakra.span display="flex" flexWrap="wrap" gap="4px 12px" alignItems="center">
        <b>
          Worst {formatLength(deviation.worst[2], unit)}, {deviation.worst_px.toFixed(2)} px
        </b>
        {DEVIATION_COLOURS.map((colour, level) => (
          <chakra.span key={colour} display="inline-flex" alignItems="center" gap="5px">
            <chakra.span width="18px" height="4px" style={{ background: colour }} />
            {level < deviation.classes.length
              ? `to ${formatLength(deviation.classes[level] ?? 0, unit)}`
              : "beyond"}
          </chakra.span>
        ))}
      </chakra.span>
    </Slip>
  );
}

/** Which ink a plate lays, and by how much it is spread or choked. */
export function PlateLegend({ layers, unit }: { layers: readonly Layer[]; unit: "mm" | "in" }) {
  const words = layers.flatMap(({ prints }) => {
    if (prints.kind === "nothing" || prints.plate.kind === "no plate") return [];
    const { kind, plate_spread: spread } = prints.plate;
    const by = formatLength(Math.abs(spread), unit);
    return [`${kind}${spread < 0 ? `, choked by ${by}` : spread > 0 ? `, spread by ${by}` : ""}`];
  });
  return <Slip>Filled: {[...new Set(words)].join("; ")}.</Slip>;
}

/** What the colours of strokes as wide as the beam mean. */
export function BurntLegend() {
  return <Slip>Strokes as wide as the beam: darkest is burnt twice, red is missed.</Slip>;
}

type Looks = NonNullable<LayerView["looks"]>;

/** What the view at hand shows, in words. */
export function LineLegend({ view, looks, unit }: { view: ViewKey; looks: Looks; unit: "mm" | "in" }) {
  if (view === "falls") {
    const count = (kind: string) => looks.falls.filter((face) => face.kind === kind).length;
    const [waste, parts] = [count("waste"), count("lost")];
    return (
      <Slip>
        <b>
          {parts ? `${parts} ${parts > 1 ? "parts are" : "part is"} lost, hatched red;` : "No part is lost;"}
        </b>{" "}
        {waste
          ? `${waste} ${waste > 1 ? "pieces" : "piece"} of waste fall${waste > 1 ? "" : "s"}, hatched grey.`
          : "no waste falls."}
      </Slip>
    );
  }
  if (view === "weak") {
    const thinnest = looks.weak[0]?.[4];
    const neck = looks.neck?.[4];
    return (
      <Slip>
        {thinnest === undefined ? (
          <>
            <b>Nothing is too thin</b>
            {neck ? `; the thinnest neck is ${formatLength(neck, unit)}.` : "."}
          </>
        ) : (
          <>
            <b>
              {looks.weak.length} weak {looks.weak.length > 1 ? "places" : "place"}
            </b>
            , the thinnest {formatLength(thinnest, unit)}.
          </>
        )}
      </Slip>
    );
  }
  if (view === "weeding") return <Slip>Solid stays, hatched goes.</Slip>;
  if (view !== "worst") return null;
  return (
    <Slip>
      {looks.slivers ? (
        <>
          <b>White shows</b> where the cut is {formatLength(looks.error, unit)} off. A bleed of{" "}
          {formatLength(looks.needed, unit)} leaves none.
        </>
      ) : looks.error ? (
        <>
          <b>No white shows</b> with the cut {formatLength(looks.error, unit)} off.
        </>
      ) : (
        "The cut runs outside the print: a white border is meant."
      )}
    </Slip>
  );
}
