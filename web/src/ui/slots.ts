import type { Slot } from "../api/client";
import type { Unit } from "../engine/units";
import {
  formatLength,
  formatShare,
  formatSpeed,
  inUnit,
  parseCount,
  parseLength,
  parseShare,
  parseSpeed,
  trimmed,
} from "../engine/units";

export type Value = string | number | null;

const WHOLE = ["count", "speed"];

/** A slot's value as its sentence says it. */
export function say(slot: Slot, value: Value, unit: Unit): string {
  if (value === null || (value === "" && slot.auto)) return slot.auto || "nothing";
  if (slot.kind === "length") return formatLength(Number(value), unit);
  if (slot.kind === "speed") return formatSpeed(Number(value), unit);
  if (slot.kind === "share") return formatShare(Number(value));
  if (slot.kind === "count") return String(value).replace(/\B(?=(\d{3})+$)/g, "\u2009");
  if (slot.kind === "angle") return `${trimmed(Number(value), 2)}°`;
  if (slot.kind === "date") return sayDate(String(value));
  const chosen = slot.choices.find((choice) => choice.value === value);
  return chosen ? inUnit(chosen.label, unit) : String(value);
}

export function sayDate(iso: string): string {
  return new Date(`${iso}T12:00:00`).toLocaleDateString("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
  });
}

/** Typed text as a value within the slot's limits, or the sentence that says why not. */
export function understand(slot: Slot, text: string, unit: Unit): { value: number } | { problem: string } {
  const value =
    slot.kind === "length"
      ? parseLength(text, unit)
      : slot.kind === "speed"
        ? parseSpeed(text, unit)
        : slot.kind === "share"
          ? parseShare(text)
          : slot.kind === "angle"
            ? parseLength(text.replace("°", ""), "mm")
            : parseCount(text);
  const limits = `from ${say(slot, slot.low, unit)} to ${say(slot, slot.high, unit)}`;
  if (value === null)
    return {
      problem: `A value ${limits}${slot.kind === "length" ? ', such as 2, 2mm, 1/16" or 3-1/2"' : ""}`,
    };
  if (value < slot.low - 1e-9 || value > slot.high + 1e-9) return { problem: `It can be ${limits}` };
  return { value: WHOLE.includes(slot.kind) ? Math.round(value) : value };
}

/** What an editor starts with: the bare number in the unit. */
export function editable(slot: Slot, value: number, unit: Unit): string {
  if (slot.kind === "length") return trimmed(unit === "mm" ? value : value / 25.4, 3);
  if (slot.kind === "speed") return trimmed(unit === "mm" ? value : value / 25.4, 1);
  return slot.kind === "share" ? trimmed(value * 100, 1) : String(value);
}

/** One step up or down, kept within the limits and on round figures. */
export function stepped(slot: Slot, value: number, steps: number): number {
  const next = Math.min(slot.high, Math.max(slot.low, value + steps * slot.step));
  return WHOLE.includes(slot.kind) ? Math.round(next) : Math.round(next * 1e4) / 1e4;
}
