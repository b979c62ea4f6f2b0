import type { Camera } from "./camera";
import type { Unit } from "./units";
import { MM_PER_INCH } from "./units";

export interface Tick {
  /** CSS pixels along the ruler. */
  readonly at: number;
  /** 0 to 1: how long the tick is. */
  readonly length: number;
  readonly label: string;
}

const MM_STEPS = [0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000, 5000];
const INCH_STEPS = [1 / 64, 1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 6, 12, 60].map(
  (inch) => inch * MM_PER_INCH,
);
const LEAST_GAP = 5;
const LABEL_GAP = 44;

/** Ticks along one edge; ``origin`` is the camera's x or y, ``length`` the edge in CSS pixels. */
export function ticks(camera: Camera, origin: number, length: number, unit: Unit): Tick[] {
  const steps = unit === "mm" ? MM_STEPS : INCH_STEPS;
  const fine = steps.find((step) => step * camera.scale >= LEAST_GAP) ?? (steps.at(-1) as number);
  const bold = steps.find((step) => step * camera.scale >= LABEL_GAP && isMultiple(step, fine)) ?? fine * 10;
  const made: Tick[] = [];
  const first = Math.floor(-origin / camera.scale / fine);
  const last = Math.ceil((length - origin) / camera.scale / fine);
  for (let k = first; k <= last && made.length < 2000; k += 1) {
    const mm = k * fine;
    const labelled = isMultiple(mm, bold);
    const half = isMultiple(mm, bold / 2);
    made.push({
      at: mm * camera.scale + origin,
      length: labelled ? 1 : half ? 0.6 : 0.35,
      label: labelled ? label(mm, unit) : "",
    });
  }
  return made;
}

function isMultiple(value: number, step: number): boolean {
  const times = value / step;
  return Math.abs(times - Math.round(times)) < 1e-6;
}

function label(mm: number, unit: Unit): string {
  const value = unit === "mm" ? mm : mm / MM_PER_INCH;
  return String(Math.round(value * 1000) / 1000);
}
