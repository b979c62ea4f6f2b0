import type { Stroke } from "../engine/scene";

/** Nibble's own colours on screen; in files the machine's record decides. Told apart by dash and word as well. */
export const PROCESSES: Record<string, { colour: string; width: number; dash: readonly number[] }> = {
  print: { colour: "#29848B", width: 1.5, dash: [] },
  "through cut": { colour: "#7A1F5C", width: 2.6, dash: [] },
  "kiss cut": { colour: "#B23A9A", width: 1.4, dash: [] },
  perforate: { colour: "#7A1F5C", width: 1.6, dash: [7, 4] },
  score: { colour: "#6E7A1F", width: 1.6, dash: [9, 3, 2, 3] },
  engrave: { colour: "#7B4B2A", width: 1.8, dash: [] },
  guide: { colour: "#6b746f", width: 1.2, dash: [1, 4] },
};

export function processStroke(process: string): Stroke {
  const { colour, width, dash } = PROCESSES[process] ?? { colour: "#6b746f", width: 1, dash: [1, 3] };
  return { colour, width, dash, halo: "rgba(255,255,255,0.75)" };
}

export function processColour(process: string): string {
  return PROCESSES[process]?.colour ?? "transparent";
}
