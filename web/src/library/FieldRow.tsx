import { chakra } from "@chakra-ui/react";
import { useId, useState } from "react";
import type { Field, Fields } from "../api/client";
import { MM_PER_INCH, parseCount, parseLength, parseSpeed, trimmed, type Unit } from "../engine/units";
import { useUnit } from "../ui/unit";

export const Input = chakra("input", {
  base: {
    width: "100%",
    minHeight: "30px",
    padding: "0 8px",
    border: "1px solid {colors.hair.strong}",
    borderRadius: "slip",
    background: "paper.white",
    fontSize: "15px",
    _invalid: { borderColor: "#8C2F1B" },
  },
});
export const Select = chakra("select", {
  base: {
    width: "100%",
    minHeight: "30px",
    padding: "0 6px",
    border: "1px solid {colors.hair.strong}",
    borderRadius: "slip",
    background: "paper.white",
    fontSize: "15px",
  },
});

const UNITS: Record<string, string> = {
  "press heat": "°C",
  "press time": "s",
  force: "g",
  "corner that is swivelled": "°",
  acceleration: "mm/s²",
  "longest run": "minutes",
  power: "0 to 1",
  "feeds of cutters in it": "1 as in their records",
};

/** What a record has before anything is written. */
export function fresh(fields: readonly Field[]): Fields {
  const blank = (field: Field): unknown => {
    if (field.kind === "flag") return false;
    if (field.kind === "choice") return field.choices[0];
    if (field.name === "colour") return "#ffffff";
    if (field.kind === "text" || field.kind === "colour") return "";
    return field.optional ? null : Math.max(field.low, START[field.name] ?? 0);
  };
  return Object.fromEntries(fields.map((field) => [field.name, blank(field)]));
}

const START: Record<string, number> = {
  width: 1000,
  usable_width: 980,
  usable_length: 3000,
  smallest_part: 1,
  thinnest: 0.8,
  mark_count: 4,
  narrowest_gap: 0.5,
  knife_radius: 0.25,
  passes: 1,
  corner: 20,
};

const LONG_TEXT = 100;

/** One value of a record with its label: typed with any unit, chosen, or ticked. */
export function FieldRow(props: {
  field: Field;
  value: unknown;
  problem: string;
  onChange: (value: unknown) => void;
}) {
  const { field, value, problem } = props;
  const id = useId();
  const { unit } = useUnit();
  if (field.kind === "flag")
    return (
      <chakra.label display="flex" alignItems="center" gap="8px" minHeight="30px" alignSelf="end">
        <input
          type="checkbox"
          checked={value === true}
          onChange={(event) => props.onChange(event.target.checked)}
        />
        {capital(field.called)}
      </chakra.label>
    );
  return (
    <chakra.div gridColumn={field.kind === "text" && field.high > LONG_TEXT ? "span 2" : undefined}>
      <chakra.label htmlFor={id} display="block" fontSize="13.5px" color="ink.soft">
        {field.name === "name" ? "Name" : capital(field.called)}
        {inTheUnit(field, unit)}
        {field.optional ? " (may stay empty)" : ""}
      </chakra.label>
      {field.kind === "choice" ? (
        <Select id={id} value={String(value ?? "")} onChange={(event) => props.onChange(event.target.value)}>
          {field.choices.map((choice) => (
            <option key={choice}>{choice}</option>
          ))}
        </Select>
      ) : field.name === "colour" ? (
        <Input
          id={id}
          type="color"
          padding="2px"
          value={String(value)}
          onChange={(event) => props.onChange(event.target.value)}
        />
      ) : field.kind === "text" ? (
        <Input
          id={id}
          value={String(value ?? "")}
          maxLength={field.high || undefined}
          aria-invalid={problem !== "" || undefined}
          onChange={(event) => props.onChange(event.target.value)}
        />
      ) : (
        <NumberInput
          id={id}
          field={field}
          value={value as number | null}
          problem={problem}
          onChange={props.onChange}
        />
      )}
      {problem && (
        <chakra.p fontSize="13.5px" color="#8C2F1B">
          {problem}
        </chakra.p>
      )}
    </chakra.div>
  );
}

/** The unit that a field's number is in, behind its label. */
export function inTheUnit(field: Field, unit: Unit): string {
  const told =
    field.kind === "length" ? unit : field.kind === "speed" ? `${unit}/s` : (UNITS[field.called] ?? "");
  return told && `, ${told}`;
}

/** A number that is taken as soon as it is one within its limits; until then the limits are said. */
export function NumberInput(props: {
  id?: string;
  label?: string;
  field: Field;
  value: number | null;
  problem: string;
  onChange: (value: number | null) => void;
}) {
  const { field } = props;
  const { unit } = useUnit();
  const per = unit === "in" && (field.kind === "length" || field.kind === "speed") ? MM_PER_INCH : 1;
  const say = (value: number | null | undefined) =>
    value === null || value === undefined ? "" : trimmed(value / per, field.kind === "speed" ? 1 : 3);
  const [typed, setTyped] = useState<string | null>(null); // while it is being written
  const limits = `${say(field.low)} to ${say(field.high)}`;
  const read = (text: string): number | null | undefined => {
    if (text.trim() === "") return field.optional ? null : undefined;
    const found =
      field.kind === "length"
        ? parseLength(text, unit)
        : field.kind === "speed"
          ? parseSpeed(text, unit)
          : field.kind === "count"
            ? parseCount(text)
            : Number(text);
    return found === null || Number.isNaN(found) || found < field.low || found > field.high
      ? undefined
      : field.kind === "speed"
        ? Math.round(found)
        : found;
  };
  return (
    <Input
      id={props.id}
      aria-label={props.label}
      inputMode="decimal"
      value={typed ?? say(props.value)}
      title={`${limits}${field.kind === "length" ? `, with any unit; the shop works in ${unit}` : ""}`}
      onChange={(event) => {
        const text = event.target.value;
        const found = read(text);
        setTyped(text);
        event.target.setCustomValidity(found === undefined ? `It can be ${limits}.` : "");
        if (found !== undefined && found !== props.value) props.onChange(found);
      }}
      onBlur={(event) => {
        if (event.target.reportValidity()) setTyped(null);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter" && !event.currentTarget.reportValidity()) event.preventDefault();
      }}
    />
  );
}

export function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
