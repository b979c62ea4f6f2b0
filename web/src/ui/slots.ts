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

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const WEEKDAYS = ["sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"];
const DAY_MS = 24 * 3600 * 1000;

/**
 * A day as 2026-12-12 from “12 Dec”, “Dec 12 2026”, “12.12.”, “12/12/26”, “fri”, “tomorrow”, “in 3 days” or itself; one
 * without a year is the next there is. Null when it is no day. today: as 2026-11-30.
 */
export function parseDay(text: string, today: string): string | null {
  const said = text.trim().toLowerCase();
  const now = new Date(`${today}T12:00:00Z`);
  const later = (days: number) => new Date(now.getTime() + days * DAY_MS).toISOString().slice(0, 10);
  if (said === "today") return today;
  if (said === "tomorrow") return later(1);
  const count = /^in (\d{1,3}) (days?|weeks?)$/.exec(said);
  if (count) return later(Number(count[1]) * (count[2]?.startsWith("week") ? 7 : 1));
  const weekday = WEEKDAYS.findIndex((name) => said.length > 2 && name.startsWith(said));
  if (weekday >= 0) return later(((weekday - now.getUTCDay() + 6) % 7) + 1);
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(said);
  if (iso) return dayOf(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  const words =
    /^(?:(\d{1,2})(?:st|nd|rd|th|\.)?\s*([a-z]{3,9})|([a-z]{3,9})\s*(\d{1,2}))\.?,?(?:\s*(\d{4}))?$/.exec(
      said,
    );
  const digits = /^(\d{1,2})[./](\d{1,2})[./]?(?:\s*(\d{2}|\d{4}))?$/.exec(said);
  const month = words
    ? 1 + MONTHS.indexOf((words[2] ?? words[3] ?? "").slice(0, 3))
    : Number(digits?.[2] ?? 0);
  const day = Number(words?.[1] ?? words?.[4] ?? digits?.[1] ?? 0);
  const year = Number(words?.[5] ?? digits?.[3] ?? 0);
  if (year) return dayOf(year < 100 ? 2000 + year : year, month, day);
  const soon = dayOf(now.getUTCFullYear(), month, day);
  return soon !== null && soon < today ? dayOf(now.getUTCFullYear() + 1, month, day) : soon;
}

function dayOf(year: number, month: number, day: number): string | null {
  const found = new Date(Date.UTC(year, month - 1, day, 12));
  const same = found.getUTCMonth() === month - 1 && found.getUTCDate() === day && month > 0;
  return same ? found.toISOString().slice(0, 10) : null;
}

/** Today where the screen is, as 2026-11-30. */
export function localDay(now = new Date()): string {
  const two = (value: number) => String(value).padStart(2, "0");
  return `${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())}`;
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
