import { chakra } from "@chakra-ui/react";
import type { Field, Fields } from "../api/client";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import { Input, NumberInput } from "./FieldRow";
import { freeId } from "./freeId";

const Cell = chakra("td", { base: { padding: "3px 10px 3px 0" } });
const Head = chakra("th", {
  base: {
    textAlign: "left",
    fontWeight: 400,
    fontSize: "13.5px",
    color: "ink.soft",
    padding: "2px 10px 2px 0",
  },
});

/** What a machine can do: each process with the name its files give it, and its pen. */
export function SpotsForm(props: {
  processes: readonly string[];
  spots: readonly Fields[];
  onChange: (spots: Fields[]) => void;
}) {
  const { processes, spots } = props;
  const known = new Map(spots.map((spot) => [spot.process as string, spot]));
  const edit = (process: string, to: Fields | null) =>
    props.onChange(
      processes.flatMap((one) => {
        const own = one === process ? to : known.get(one);
        return own ? [own] : [];
      }),
    );
  return (
    <chakra.fieldset marginTop="20px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        What it can do
      </chakra.legend>
      <chakra.table marginTop="4px">
        <thead>
          <tr>
            <Head scope="col">Process</Head>
            <Head scope="col">Spot colour in its files</Head>
            <Head scope="col">Lines in SVG and DXF</Head>
            <Head scope="col">Pen</Head>
          </tr>
        </thead>
        <tbody>
          {processes.map((process) => {
            const spot = known.get(process);
            const inTurn = 1 + (spots.findIndex((one) => one.process === process) % 8);
            return (
              <tr key={process}>
                <Cell>
                  <chakra.label display="flex" gap="8px" alignItems="center" minHeight="28px">
                    <input
                      type="checkbox"
                      checked={spot !== undefined}
                      onChange={(event) =>
                        edit(
                          process,
                          event.target.checked
                            ? { process, ink: title(process), cmyk: [0, 1, 0, 0], pen: 0, colour: "" }
                            : null,
                        )
                      }
                    />
                    {process}
                  </chakra.label>
                </Cell>
                <Cell>
                  {spot && (
                    <Input
                      aria-label={`Spot colour of ${process}`}
                      value={String(spot.ink)}
                      maxLength={40}
                      onChange={(event) => edit(process, { ...spot, ink: event.target.value })}
                    />
                  )}
                </Cell>
                <Cell>
                  {spot && (
                    <Input
                      aria-label={`Colour of ${process} in SVG and DXF`}
                      type="color"
                      padding="2px"
                      width="70px"
                      value={String(spot.colour || screenColour(spot.cmyk as number[]))}
                      onChange={(event) => edit(process, { ...spot, colour: event.target.value })}
                    />
                  )}
                </Cell>
                <Cell>
                  {spot && (
                    <Input
                      aria-label={`Pen of ${process}; empty for number ${inTurn}, in turn`}
                      type="number"
                      min={1}
                      max={8}
                      width="70px"
                      placeholder={`${inTurn}`}
                      value={Number(spot.pen) || ""}
                      onChange={(event) =>
                        edit(process, {
                          ...spot,
                          pen: Math.max(0, Math.min(8, event.target.valueAsNumber || 0)),
                        })
                      }
                    />
                  )}
                </Cell>
              </tr>
            );
          })}
        </tbody>
      </chakra.table>
    </chakra.fieldset>
  );
}

/** The files that a machine is sent. */
export function FormatsForm(props: {
  formats: readonly (readonly [string, string])[];
  chosen: readonly string[];
  onChange: (formats: string[]) => void;
}) {
  const all = props.formats.map(([key]) => key);
  return (
    <chakra.fieldset marginTop="16px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        Files it is sent
      </chakra.legend>
      <chakra.div display="flex" flexWrap="wrap" gap="4px 18px" marginTop="4px">
        {props.formats.map(([key, called]) => (
          <chakra.label key={key} display="flex" gap="8px" alignItems="center" minHeight="28px">
            <input
              type="checkbox"
              checked={props.chosen.includes(key)}
              onChange={(event) =>
                props.onChange(
                  all.filter((one) => (one === key ? event.target.checked : props.chosen.includes(one))),
                )
              }
            />
            {called}
          </chakra.label>
        ))}
      </chakra.div>
    </chakra.fieldset>
  );
}

const LENGTH: Field = {
  name: "length",
  called: "length",
  kind: "length",
  low: 0,
  high: 10_000,
  step: 1,
  optional: false,
  choices: [],
};
const SIDES = [
  ["x", "from the left"],
  ["y", "from the back"],
  ["width", "wide"],
  ["height", "deep"],
] as const;

/** Places of the bed that the head must not run over. */
export function ClampsForm(props: { clamps: readonly Fields[]; onChange: (clamps: Fields[]) => void }) {
  const { clamps } = props;
  const { unit } = useUnit();
  const edit = (k: number, to: Fields) => props.onChange(clamps.map((one, n) => (n === k ? to : one)));
  return (
    <chakra.fieldset marginTop="16px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        Clamps on its bed, {unit}
      </chakra.legend>
      {clamps.map((clamp, k) => (
        <chakra.div key={String(clamp.id)} display="flex" gap="10px" alignItems="end" marginTop="4px">
          {SIDES.map(([side, words]) => (
            <chakra.div key={side} width="92px" fontSize="13.5px" color="ink.soft">
              <span>{words}</span>
              <NumberInput
                label={`Clamp ${k + 1}, ${words}`}
                field={LENGTH}
                value={Number(clamp[side])}
                problem=""
                onChange={(value) => edit(k, { ...clamp, [side]: value ?? 0 })}
              />
            </chakra.div>
          ))}
          <Button type="button" look="quiet" onClick={() => props.onChange(clamps.filter((_, n) => n !== k))}>
            remove
          </Button>
        </chakra.div>
      ))}
      <Button
        type="button"
        marginTop="6px"
        onClick={() =>
          props.onChange([...clamps, { id: freeId("z", clamps), x: 0, y: 0, width: 40, height: 40 }])
        }
      >
        Add a clamp
      </Button>
    </chakra.fieldset>
  );
}

function title(process: string): string {
  return process.replace(/(^|[ -])([a-z])/g, (_, before, letter) => `${before}${letter.toUpperCase()}`);
}

/** The colour that shows an ink of cyan, magenta, yellow and black (0 to 1) on screen. */
function screenColour([c = 0, m = 0, y = 0, k = 0]: readonly number[]): string {
  const parts = [c, m, y].map((one) => Math.round(255 * (1 - one) * (1 - k)));
  return `#${parts.map((one) => one.toString(16).padStart(2, "0")).join("")}`;
}
