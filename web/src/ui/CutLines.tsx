import { processColour } from "../theme/processes";

/** Production lines in a small drawing: thin whatever its scale, each in its process's colour. */
export function CutLines({
  lines,
  width,
}: {
  lines: readonly { process: string; d: string }[];
  width: string;
}) {
  return lines.map((line) => (
    <path
      key={`${line.process} ${line.d}`}
      d={line.d}
      fill="none"
      stroke={processColour(line.process)}
      strokeWidth={width}
      vectorEffect="non-scaling-stroke"
    />
  ));
}
