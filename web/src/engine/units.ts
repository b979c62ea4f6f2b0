/** Lengths as people write them. Everything inside is mm; inches exist only here. */
export type Unit = "mm" | "in";

export const MM_PER_INCH = 25.4;

const FACTORS: Record<string, number> = {
  mm: 1,
  cm: 10,
  m: 1000,
  in: MM_PER_INCH,
  inch: MM_PER_INCH,
  '"': MM_PER_INCH,
  "″": MM_PER_INCH,
  pt: MM_PER_INCH / 72,
  px: MM_PER_INCH / 96,
};
const LENGTH =
  /^\s*(-)?\s*(?:(\d+(?:[.,]\d+)?|[.,]\d+)\s*(?:'|′|ft|feet|foot)\s*-?\s*)?(?:(?:(\d+)(?:\s+|\s*-\s*))?(?:(\d+)\s*\/\s*(\d+)|(\d+(?:[.,]\d+)?|[.,]\d+))\s*([a-z"″]*))?\s*$/i;

const LINES = /^\s*(\d+(?:[.,]\d+)?|[.,]\d+)\s*lpi\s*$/i;

/** mm from ``2``, ``2mm``, ``0,08 in``, ``1/16"``, ``3-1/2`` or ``1' 6 1/2"``; ``254 lpi``, lines an inch, is the distance between them; null when it is no length. */
export function parseLength(text: string, unit: Unit): number | null {
  const lines = Number(LINES.exec(text)?.[1]?.replace(",", ".") ?? 0);
  if (lines > 0) return MM_PER_INCH / lines;
  const match = LENGTH.exec(text);
  if (!match?.slice(2).some((part) => part !== undefined)) return null;
  const [, minus, feet, whole, top, bottom, number, suffix] = match;
  const factor = FACTORS[(suffix ?? "").toLowerCase() || (feet ? "in" : unit)];
  if (factor === undefined || (whole && !top) || Number(bottom) === 0) return null;
  const plain = (digits: string | undefined) => Number((digits ?? "0").replace(",", "."));
  const part = top ? Number(top) / Number(bottom) : plain(number);
  const value = ((Number(whole ?? 0) + part) * factor + plain(feet) * 12 * MM_PER_INCH) * (minus ? -1 : 1);
  return Number.isFinite(value) ? value : null;
}

/** Lengths under this have one decimal more in inches, mm. */
const FINE = 0.5;

export function formatLength(mm: number, unit: Unit): string {
  if (unit === "in") return `${trimmed(mm / MM_PER_INCH, Math.abs(mm) < FINE ? 4 : 3)} in`;
  const tenths = Math.abs(mm * 10 - Math.round(mm * 10)) < 1e-6;
  return `${tenths ? mm.toFixed(1) : trimmed(mm, 3)} mm`;
}

/** A measured size, as exact as it is useful to read. */
export function formatSize(mm: number, unit: Unit): string {
  return unit === "in" ? `${trimmed(mm / MM_PER_INCH, 2)} in` : `${mm.toFixed(1)} mm`;
}

const NUMBER = "-?\\d+(?:\\.\\d+)?";
/** One length, or several that share a unit: “0.12 to 0.40 mm”, “230.0 × 90.0 mm”, “1.08 and 0.44 mm”. */
const TOLD = new RegExp(`((?:${NUMBER}(?: to | × | and |, ))*)(${NUMBER}) (mm²|mm|m)(?![\\wµ²])`, "g");
const EACH = new RegExp(NUMBER, "g");
const IN_MM: Record<string, number> = { mm: 1, m: 1000 };

/** Words told in mm, with their lengths in the unit that the shop thinks in. */
export function inUnit(words: string, unit: Unit): string {
  if (unit === "mm") return words;
  return words.replace(TOLD, (_, before: string, last: string, told: string) => {
    const say = (number: string) =>
      told === "mm²"
        ? trimmed(Number(number) / MM_PER_INCH ** 2, 3)
        : inches(Number(number) * (IN_MM[told] as number));
    return `${before.replace(EACH, say)}${say(last)} ${told === "mm²" ? "in²" : "in"}`;
  });
}

/** A value whose unit its label tells: “488.5 × 367.2”, “mm, the piece”. */
export function figureInUnit(value: string, label: string, unit: Unit): { value: string; label: string } {
  if (unit === "mm") return { value, label };
  const metres = /^m (?=\S)/.exec(label);
  if (metres)
    return { value: trimmed((Number(value) * 1000) / 304.8, 1), label: label.replace(/^m /, "ft ") };
  if (!/(^|, )mm\b/.test(label)) return { value: inUnit(value, unit), label: inUnit(label, unit) };
  return {
    value: value.replace(EACH, (number) => inches(Number(number))),
    label: label.replace(/(^|, )mm\b/, "$1in"),
  };
}

function inches(mm: number): string {
  return trimmed(mm / MM_PER_INCH, Math.abs(mm) < FINE ? 4 : Math.abs(mm) < 10 ? 3 : 2);
}

export function formatSpeed(mm: number, unit: Unit): string {
  return unit === "in" ? `${trimmed(mm / MM_PER_INCH, 1)} in/s` : `${trimmed(mm, 1)} mm/s`;
}

/** mm a second from ``300``, ``300 mm/s`` or ``12 in/s``. */
export function parseSpeed(text: string, unit: Unit): number | null {
  return parseLength(text.replace(/\s*(\/\s*s|a second|per second)\s*$/i, ""), unit);
}

/** A share from ``48``, ``48 %`` or ``0.48``; bare numbers above 1 are per cent. */
export function parseShare(text: string): number | null {
  const match = /^\s*(\d+(?:[.,]\d+)?|[.,]\d+)\s*(%?)\s*$/.exec(text);
  if (!match) return null;
  const value = Number((match[1] as string).replace(",", "."));
  return match[2] || value > 1 ? value / 100 : value;
}

export function formatShare(share: number): string {
  return `${trimmed(share * 100, 1)} %`;
}

export function parseCount(text: string): number | null {
  const plain = text.replace(/[\s.,']/g, "");
  return /^\d{1,9}$/.test(plain) ? Number(plain) : null;
}

export function trimmed(value: number, decimals: number): string {
  const text = value.toFixed(decimals);
  return text.includes(".") ? text.replace(/\.?0+$/, "") : text;
}
