import type { Place } from "../engine/camera";
import type { Target } from "../engine/hit";
import { formatLength, formatSize } from "../engine/units";
import { parsed } from "./parsed";
import type { LayerView } from "./pieceChanges";
import type { Layer, Line } from "./ticket";
import { clickWords, type TracedShape } from "./touchUps";

/** A traced region at Trace; a hole or a region of the piece at Lines. */
export interface RegionTarget extends Target {
  readonly d: string;
  readonly place: Place;
  readonly artwork?: string;
  readonly shape?: TracedShape;
  readonly hole?: LayerView["holes"][number];
  /** Its colour, where a click chooses colours. */
  readonly colour?: string;
}

export function targetOf(d: string, id: string): Target & { d: string } {
  const { path, facts } = parsed(d);
  const [left, top, right, bottom] = facts.box;
  return { id, d, path, box: facts.box, area: (right - left) * (bottom - top) };
}

/** Holes and regions of the piece, and the bays that ``rule`` closes off, as something to point at. */
export function pieceTargets(
  view: LayerView | undefined,
  colours: boolean,
  rule: Line | undefined,
): RegionTarget[] {
  if (!view) return [];
  if (colours)
    return view.shapes.map((shape, index) => {
      const target = targetOf(shape.d, `colour:${index}`);
      const [a, b, c, d] = target.box;
      return { ...target, place: { x: (a + c) / 2, y: (b + d) / 2 }, colour: shape.colour };
    });
  const [left, top, right, bottom] = view.frame;
  const own = view.holes.filter((hole) => !hole.line || hole.line === rule?.id);
  const holes = own.map((hole, index) => ({
    ...targetOf(hole.d, `hole:${index}`),
    place: { x: left + hole.x * (right - left), y: top + hole.y * (bottom - top) },
    hole,
  }));
  const regions = view.regions.map((region, index) => {
    const target = targetOf(region.d, `region:${index}`);
    const [a, b, c, d] = target.box;
    return { ...target, place: { x: (a + c) / 2, y: (b + d) / 2 } };
  });
  return [...regions, ...holes];
}

/** Whether a click on a region chooses it, for the line in hand or the layer. */
export function choosesRegions(layer: Layer, line: Line | undefined, held: string): boolean {
  if (line) return line.source.kind === "chosen regions";
  return layer.shows === "chosen regions" && held.endsWith(`/layers/${layer.id}`);
}

/** The line whose holes a click changes: the one in hand, else the outermost cut. */
export function holeLine(layer: Layer, line: Line | undefined): Line | undefined {
  return line ?? layer.lines.find((one) => "tie_marks" in one.process) ?? layer.lines[0];
}

/** What a click on a target would do, in words. */
export function describeTarget(
  target: RegionTarget,
  unit: "mm" | "in",
  layer: Layer | undefined,
  line: Line | undefined,
  held: string,
): string {
  const [left, top, right, bottom] = target.box;
  const { shape, hole, colour } = target;
  if (colour) return `Colour ${colour}. Click to choose it, or to let it go.`;
  if (hole) {
    const rule = layer && holeLine(layer, line);
    const kind = hole.line ? "A gap that the line closes off," : "A hole";
    return `${kind} ${formatSize(hole.width, unit)} wide. ${rule ? `Click to keep or fill it in the ${rule.process.kind}.` : ""}`;
  }
  if (!shape) {
    const click = layer && choosesRegions(layer, line, held) ? " Click to choose it, or to let it go." : "";
    return `${formatSize(right - left, unit)} × ${formatSize(bottom - top, unit)}.${click}`;
  }
  const size = `${formatSize(right - left, unit)} × ${formatSize(bottom - top, unit)}`;
  const width = shape.stroke !== null ? `, a stroke ${formatLength(shape.stroke, unit)} wide` : "";
  return `${size}${width}, ${shape.nodes} nodes${LEFT_OUT[shape.dropped] ?? ""}. Click to ${clickWords(shape)}.`;
}

const LEFT_OUT: Record<string, string> = {
  small: ", a speck left out",
  paper: ", paper colour left out",
  frame: ", a box or frame left out",
  hand: ", dropped by hand",
};
