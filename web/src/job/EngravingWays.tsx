import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Change, Refusal, type TryOut } from "../api/client";
import { Overlay } from "../ui/Overlay";

interface Props {
  jobId: number;
  revision: number;
  /** Path of the line in the ticket. */
  line: string;
  onTake: (changes: Change[]) => void;
  onClose: () => void;
}

/** Ways to engrave an area side by side, each with its minutes and its look; a press takes one. */
export function EngravingWays({ jobId, revision, line, onTake, onClose }: Props) {
  const [done, setDone] = useState(0);
  const { data: ways } = useQuery({
    queryKey: ["engraving-ways", jobId, revision, line],
    queryFn: () => api.engravingWays(jobId, line),
  });
  return (
    <Overlay
      label="Ways to engrave it"
      title="Ways to engrave it, and the minutes of one sheet"
      onClose={onClose}
    >
      <chakra.ul
        padding="0"
        listStyleType="none"
        display="grid"
        gap="10px"
        gridTemplateColumns="repeat(auto-fill, minmax(180px, 1fr))"
      >
        {ways?.map((way, index) => (
          <Card
            key={way.name}
            {...{ jobId, revision, line, way, onTake }}
            mayStart={index <= done}
            onSettled={() => setDone((before) => Math.max(before, index + 1))}
          />
        ))}
      </chakra.ul>
      {!ways && <p role="status">Choosing ways to lay side by side…</p>}
    </Overlay>
  );
}

interface CardProps extends Omit<Props, "onClose"> {
  way: TryOut;
  mayStart: boolean;
  onSettled: () => void;
}

function Card({ jobId, revision, line, way, onTake, mayStart, onSettled }: CardProps) {
  const { data, error } = useQuery({
    queryKey: ["engraving-way", jobId, revision, line, way.name],
    queryFn: () => api.engravingWay(jobId, line, way.changes),
    enabled: mayStart,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const settled = data !== undefined || error !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: told once, when it has settled
  useEffect(() => {
    if (settled) onSettled();
  }, [settled]);
  return (
    <li>
      <chakra.button
        type="button"
        disabled={!data}
        onClick={() => onTake(way.changes)}
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
          height="132px"
          background="paper.white"
          borderRadius="slip"
          marginBottom="6px"
          overflow="hidden"
        >
          {data ? (
            <chakra.img src={data.look} alt="" maxHeight="128px" maxWidth="100%" />
          ) : (
            <span>{error ? "–" : mayStart ? "burning…" : "waiting"}</span>
          )}
        </chakra.span>
        <chakra.b display="block" fontWeight={600} lineHeight="1.25">
          {way.name}
        </chakra.b>
        <chakra.span display="block" fontSize="13.5px" color="ink.soft" minHeight="20px">
          {data
            ? `${data.minutes === null ? "minutes unknown" : `${data.minutes.toFixed(1)} minutes`}, ${data.strokes} strokes`
            : error instanceof Refusal
              ? error.message
              : ""}
        </chakra.span>
      </chakra.button>
    </li>
  );
}
