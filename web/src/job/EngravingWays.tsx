import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, type Change } from "../api/client";
import { SideBySide } from "./SideBySide";

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
  const { data: ways } = useQuery({
    queryKey: ["engraving-ways", jobId, revision, line],
    queryFn: () => api.engravingWays(jobId, line),
  });
  return (
    <SideBySide
      label="Ways to engrave it"
      title="Ways to engrave it, and the minutes of one sheet"
      settings={ways}
      choosing="Choosing ways to lay side by side…"
      trying="burning…"
      queryKey={["engraving-way", jobId, revision, line]}
      onAsk={(way) => api.engravingWay(jobId, line, way.changes)}
      onPicture={({ look }) => <chakra.img src={look} alt="" maxHeight="128px" maxWidth="100%" />}
      onFigures={({ minutes, strokes }) =>
        `${minutes === null ? "minutes unknown" : `${minutes.toFixed(1)} minutes`}, ${strokes} strokes`
      }
      height={132}
      onTake={onTake}
      onClose={onClose}
    />
  );
}
