import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Change, Refusal, type Tried, type TryOut } from "../api/client";
import { formatSize } from "../engine/units";
import { Overlay } from "../ui/Overlay";
import { useUnit } from "../ui/unit";

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
  // one after the other, so that the rest of the shop is not kept waiting
  const [done, setDone] = useState(0);
  const { data: settings } = useQuery({
    queryKey: ["try-outs", jobId, revision, artwork],
    queryFn: () => api.tryOuts(jobId, artwork),
  });
  return (
    <Overlay label="Try-outs" title="Try-outs" onClose={onClose}>
      <chakra.ul
        padding="0"
        listStyleType="none"
        display="grid"
        gap="10px"
        gridTemplateColumns="repeat(auto-fill, minmax(190px, 1fr))"
      >
        {settings?.map((setting, index) => (
          <Card
            key={setting.name}
            {...{ jobId, revision, artwork, setting, onTake }}
            mayStart={index <= done}
            onSettled={() => setDone((before) => Math.max(before, index + 1))}
          />
        ))}
      </chakra.ul>
      {!settings && <p role="status">Choosing settings to try…</p>}
    </Overlay>
  );
}

interface CardProps extends Omit<Props, "onClose"> {
  setting: TryOut;
  mayStart: boolean;
  onSettled: () => void;
}

function Card({ jobId, revision, artwork, setting, onTake, mayStart, onSettled }: CardProps) {
  const { unit } = useUnit();
  const { data, error } = useQuery({
    queryKey: ["try-out", jobId, revision, artwork, setting.name],
    queryFn: () => api.tryOut(jobId, artwork, setting.changes),
    enabled: mayStart,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const settled = data !== undefined || error !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: told once, when it has settled
  useEffect(() => {
    if (settled) onSettled();
  }, [settled]);
  const figures = data && [
    `${data.shapes.length} shapes`,
    `${data.nodes} nodes`,
    ...(data.worst === null ? [] : [`worst ${formatThin(data.worst, unit)}`]),
    ...(data.thinnest === null ? [] : [`thinnest ${formatThin(data.thinnest, unit)}`]),
  ];
  return (
    <li>
      <chakra.button
        type="button"
        data-try-out={setting.name}
        disabled={!data}
        onClick={() => onTake(setting.changes)}
        width="100%"
        textAlign="left"
        padding="8px 12px 9px"
        background="paper"
        border="1px solid {colors.hair}"
        borderRadius="card"
        cursor="pointer"
        _hover={{ borderColor: "ink" }}
        _disabled={{ cursor: "default", opacity: 0.75 }}
      >
        <chakra.span
          display="grid"
          placeItems="center"
          height="104px"
          background="paper.white"
          borderRadius="slip"
          marginBottom="6px"
          overflow="hidden"
        >
          {data ? <Little tried={data} /> : <span>{error ? "–" : mayStart ? "tracing…" : "waiting"}</span>}
        </chakra.span>
        <chakra.b display="block" fontWeight={600} lineHeight="1.25">
          {setting.name}
        </chakra.b>
        <chakra.span display="block" fontSize="13.5px" color="ink.soft" lineHeight="1.35" minHeight="37px">
          {figures?.join(", ") ?? (error instanceof Refusal ? error.message : "")}
        </chakra.span>
      </chakra.button>
    </li>
  );
}

/** Thin parts and deviations to the hundredth of a millimetre. */
function formatThin(mm: number, unit: "mm" | "in"): string {
  return unit === "in" ? formatSize(mm, unit) : `${mm.toFixed(2)} mm`;
}

function Little({ tried }: { tried: Tried }) {
  return (
    <Svg viewBox={`0 0 ${tried.width} ${tried.height}`} width="100%" height="104px" aria-hidden="true">
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
