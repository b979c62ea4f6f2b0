import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Change, type Tried } from "../api/client";
import type { Box } from "../engine/camera";
import { mostDiffering } from "../engine/differing";
import { inUnit } from "../engine/units";
import { useUnit } from "../ui/unit";
import { SideBySide } from "./SideBySide";

const Svg = chakra("svg");
const GRID = 160; // px of the longer side, on which they are compared
const CLOSE = 1 / 10; // of that, of the part that is shown closer

interface Props {
  jobId: number;
  revision: number;
  artwork: string;
  onTake: (changes: Change[]) => void;
  onClose: () => void;
}

/** Several settings side by side over the table, each whole, from close by where they differ most, and with its
figures; a click takes one. */
export function TryOuts({ jobId, revision, artwork, onTake, onClose }: Props) {
  const { unit } = useUnit();
  const [close, setClose] = useState<Box | null>(null);
  const { data: settings } = useQuery({
    queryKey: ["try-outs", jobId, revision, artwork],
    queryFn: () => api.tryOuts(jobId, artwork),
  });
  return (
    <SideBySide
      label="Try-outs"
      title="Try-outs"
      settings={settings}
      choosing="Choosing settings to try…"
      trying="tracing…"
      queryKey={["try-out", jobId, revision, artwork]}
      onAsk={(setting) => api.tryOut(jobId, artwork, setting.changes)}
      onPicture={(tried) => <Little tried={tried} close={close} />}
      onTried={(all) => setClose(differingPart(all))}
      onFigures={(tried) => figuresOf(tried, unit)}
      height={104}
      onTake={onTake}
      onClose={onClose}
    />
  );
}

function figuresOf({ shapes, nodes, worst, thinnest, reduced }: Tried, unit: "mm" | "in"): string {
  return [
    shapes.length === 1 ? "1 shape" : `${shapes.length} shapes`,
    `${nodes} nodes`,
    ...(worst === null ? [] : [`worst ${formatThin(worst, unit)}`]),
    ...(thinnest === null ? [] : [`thinnest ${formatThin(thinnest, unit)}`]),
    ...(reduced ? ["from fewer pixels"] : []),
  ].join(", ");
}

/** Thin parts and deviations to the hundredth of a millimetre. */
function formatThin(mm: number, unit: "mm" | "in"): string {
  return inUnit(`${mm.toFixed(2)} mm`, unit);
}

function Little({ tried, close }: { tried: Tried; close: Box | null }) {
  const shapes = tried.shapes.map((shape) =>
    shape.stroke === null ? (
      <path key={shape.d} d={shape.d} fill={shape.colour} fillRule="evenodd" />
    ) : (
      <path
        key={shape.d}
        d={shape.d}
        fill="none"
        stroke={shape.colour}
        strokeWidth={Math.max(shape.stroke, 0.2)}
        strokeLinecap="round"
      />
    ),
  );
  const [left, top, right, bottom] = close ?? [0, 0, 0, 0];
  const part = { x: left, y: top, width: right - left, height: bottom - top };
  return (
    <chakra.span
      display="grid"
      gridTemplateColumns={close ? "1fr 1fr" : "1fr"}
      gap="6px"
      width="100%"
      height="100%"
      minHeight="0"
    >
      <Svg
        viewBox={`0 0 ${tried.width} ${tried.height}`}
        width="100%"
        height="100%"
        minHeight="0"
        aria-hidden="true"
      >
        {shapes}
        {close && (
          <rect {...part} fill="none" stroke="#B23A9A" strokeWidth="1.5" vectorEffect="non-scaling-stroke" />
        )}
      </Svg>
      {close && (
        <Svg
          data-close
          viewBox={`${part.x} ${part.y} ${part.width} ${part.height}`}
          width="100%"
          height="100%"
          minHeight="0"
          aria-hidden="true"
        >
          {shapes}
        </Svg>
      )}
    </chakra.span>
  );
}

/** The part of the artwork, in mm, that looks most unlike from one setting to the other. */
function differingPart(all: readonly Tried[]): Box | null {
  const [first] = all;
  if (!first || all.length < 2) return null;
  const scale = GRID / Math.max(first.width, first.height);
  const width = Math.max(1, Math.round(first.width * scale));
  const height = Math.max(1, Math.round(first.height * scale));
  const side = Math.round(GRID * CLOSE);
  const found = mostDiffering(
    all.map((tried) => greyOf(tried, width, height)),
    width,
    side,
  );
  if (!found) return null;
  return [
    found.left / scale,
    found.top / scale,
    (found.left + found.side) / scale,
    (found.top + found.side) / scale,
  ];
}

function greyOf(tried: Tried, width: number, height: number): Uint8Array {
  const grey = new Uint8Array(width * height);
  const drawing = new OffscreenCanvas(width, height).getContext("2d");
  if (!drawing) return grey;
  drawing.fillStyle = "#fff";
  drawing.fillRect(0, 0, width, height);
  drawing.scale(width / tried.width, height / tried.height);
  drawing.lineCap = "round";
  for (const shape of tried.shapes) {
    const path = new Path2D(shape.d);
    if (shape.stroke === null) {
      drawing.fillStyle = shape.colour;
      drawing.fill(path, "evenodd");
    } else {
      drawing.strokeStyle = shape.colour;
      drawing.lineWidth = Math.max(shape.stroke, 0.2);
      drawing.stroke(path);
    }
  }
  const { data } = drawing.getImageData(0, 0, width, height);
  for (let k = 0; k < grey.length; k += 1)
    grey[k] = Math.round(((data[4 * k] ?? 0) + (data[4 * k + 1] ?? 0) + (data[4 * k + 2] ?? 0)) / 3);
  return grey;
}
