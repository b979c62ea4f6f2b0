import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, type Change, type Tried } from "../api/client";
import { inUnit } from "../engine/units";
import { useUnit } from "../ui/unit";
import { SideBySide } from "./SideBySide";

const Svg = chakra("svg");

interface Props {
  jobId: number;
  revision: number;
  artwork: string;
  onTake: (changes: Change[]) => void;
  onClose: () => void;
}

/** Several settings side by side over the table, each with its figures; a click takes one. */
export function TryOuts({ jobId, revision, artwork, onTake, onClose }: Props) {
  const { unit } = useUnit();
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
      onPicture={(tried) => <Little tried={tried} />}
      onFigures={(tried) => figuresOf(tried, unit)}
      height={104}
      onTake={onTake}
      onClose={onClose}
    />
  );
}

function figuresOf({ shapes, nodes, worst, thinnest, reduced }: Tried, unit: "mm" | "in"): string {
  return [
    `${shapes.length} shapes`,
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

function Little({ tried }: { tried: Tried }) {
  return (
    <Svg viewBox={`0 0 ${tried.width} ${tried.height}`} width="100%" height="100%" aria-hidden="true">
      {tried.shapes.map((shape) =>
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
      )}
    </Svg>
  );
}
