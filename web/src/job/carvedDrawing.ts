import type { Relief, Rgb } from "../engine/relief";

const MARGIN = 34;
const ABOVE = 66;
const BELOW = 150;
const CHART = 74;

/** From one place to another, mm on the board. */
export type Line = readonly [readonly [number, number], readonly [number, number]];

/** Where a board lies on its canvas, CSS pixels. */
export interface Put {
  readonly x: number;
  readonly y: number;
  /** CSS pixels a mm. */
  readonly scale: number;
}

/** As large as the room allows, above its section. */
export function placed({ columns, rows, pitch }: Relief, [width, height]: readonly [number, number]): Put {
  const [wide, high] = [columns * pitch, rows * pitch];
  const scale = Math.max(0.05, Math.min((width - 2 * MARGIN) / wide, (height - ABOVE - BELOW) / high));
  return {
    scale,
    x: (width - wide * scale) / 2,
    y: ABOVE + (height - ABOVE - BELOW - high * scale) / 2,
  };
}

/** The line that a section is drawn along. */
export function drawLine(context: CanvasRenderingContext2D, [from, to]: Line, { x, y, scale }: Put): void {
  for (const [colour, width] of [
    ["rgba(255,255,255,.85)", 4],
    ["#7A1230", 2],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.beginPath();
    context.moveTo(x + from[0] * scale, y + from[1] * scale);
    context.lineTo(x + to[0] * scale, y + to[1] * scale);
    context.stroke();
  }
}

/** The section, its depths as large as the room allows, above the bar of views. */
export function drawChart(
  context: CanvasRenderingContext2D,
  depths: readonly number[],
  [from, to]: Line,
  relief: Relief,
  [width, height]: readonly [number, number],
  wood: string,
  say: (mm: number) => string,
): void {
  const most = Math.max(0.1, ...depths);
  const [left, right, top] = [MARGIN, width - 14, height - BELOW + 16];
  const high = CHART - 14;
  context.fillStyle = "#FCFBF6";
  context.fillRect(left, top - 8, right - left, CHART + 8);
  context.beginPath();
  context.moveTo(left, top + 4);
  depths.forEach((depth, k) => {
    const x = left + ((right - left) * k) / (depths.length - 1);
    context.lineTo(x, top + 4 + (high * Math.min(depth, relief.thick)) / Math.min(most, relief.thick));
  });
  const bottom = top + (most < relief.thick ? CHART : CHART - 10);
  context.lineTo(right, bottom);
  context.lineTo(left, bottom);
  context.closePath();
  context.fillStyle = wood;
  context.fill();
  context.strokeStyle = "#1E2A2E";
  context.lineWidth = 1.4;
  context.stroke();
  context.fillStyle = "#FCFBF6";
  context.fillRect(right - 232, top + CHART - 26, 230, 22);
  context.fillStyle = "#1E2A2E";
  context.font = "600 14px Barlow Condensed, sans-serif";
  const long = Math.hypot(to[0] - from[0], to[1] - from[1]);
  context.textAlign = "right";
  context.fillText(
    `${say(Math.round(10 * long) / 10)} long, at most ${say(Math.round(100 * most) / 100)} deep`,
    right - 6,
    top + CHART - 8,
  );
  context.textAlign = "left";
}

export function rgb(colour: string): Rgb {
  return [1, 3, 5].map((k) => Number.parseInt(colour.slice(k, k + 2), 16)) as unknown as Rgb;
}
