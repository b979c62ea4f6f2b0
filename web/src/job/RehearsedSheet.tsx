import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type CutCopy, type RehearsedSheetPicture } from "../api/client";

const CLOSE_BY = 340;

interface Props {
  jobId: number;
  revision: number;
  sheet: string;
  turn: number;
  panel: number;
  picture: RehearsedSheetPicture;
  copies: readonly CutCopy[];
}

/** A whole sheet as it came off, every copy at its place; one that is clicked, or whose number is typed, from close by. */
export function RehearsedSheet({ jobId, revision, sheet, turn, panel, picture, copies }: Props) {
  const id = useId();
  const [chosen, setChosen] = useState(copies[0]?.number ?? 1);
  const [typed, setTyped] = useState<string | null>(null);
  const told = copies.find((copy) => copy.number === chosen);
  const close = useQuery({
    enabled: !told?.picture,
    queryKey: ["rehearsed-copy", jobId, revision, sheet, turn, panel, chosen],
    queryFn: () => api.rehearsedCopy(jobId, sheet, turn, panel, chosen),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const spoilt = new Set(copies.filter(isSpoilt).map((copy) => String(copy.number)));
  const edges = Object.entries(picture.edges);
  const shown = told?.picture || close.data?.picture;
  return (
    <chakra.div display="flex" flexWrap="wrap" gap="14px" marginTop="12px" alignItems="start">
      <chakra.svg
        role="img"
        aria-label="The sheet as it came off"
        flex="2 1 420px"
        maxHeight="380px"
        viewBox={`0 0 ${picture.width} ${picture.height}`}
        preserveAspectRatio="xMinYMin meet"
      >
        <image href={picture.picture} width={picture.width} height={picture.height} />
        {edges.map(([number, places]) => (
          <chakra.polygon
            key={number}
            data-copy={number}
            points={places.map(([x, y]) => `${x},${y}`).join(" ")}
            fill="transparent"
            stroke={number === String(chosen) ? "ink" : spoilt.has(number) ? "blocked" : "transparent"}
            strokeWidth={number === String(chosen) ? 3 : 2}
            vectorEffect="non-scaling-stroke"
            cursor="zoom-in"
            _hover={{ stroke: "ink" }}
            onClick={() => {
              setTyped(null);
              setChosen(Number(number));
            }}
          />
        ))}
      </chakra.svg>
      <chakra.div flex="1 1 240px" maxWidth={`${CLOSE_BY}px`}>
        <chakra.label htmlFor={id} fontSize="14px">
          Look at copy{" "}
          <chakra.input
            id={id}
            type="number"
            min={1}
            max={edges.length}
            width="72px"
            height="28px"
            padding="0 6px"
            background="paper.white"
            border="1px solid {colors.hair.strong}"
            borderRadius="slip"
            value={typed ?? chosen}
            onChange={(event) => {
              setTyped(event.target.value);
              const number = Number(event.target.value);
              if (picture.edges[number]) setChosen(number);
            }}
            onBlur={() => setTyped(null)}
          />{" "}
          of {edges.length}
        </chakra.label>
        <chakra.div minHeight="200px" marginTop="6px" aria-busy={close.isFetching}>
          {shown && (
            <chakra.img
              src={shown}
              alt={`${told?.name ?? "copy"}, copy ${chosen}, as it came off`}
              maxWidth="100%"
              maxHeight={`${CLOSE_BY}px`}
              borderRadius="slip"
            />
          )}
          {close.isFetching && <p role="status">Looking at copy {chosen}…</p>}
          {close.error && <p role="alert">This copy could not be shown. Try another.</p>}
        </chakra.div>
      </chakra.div>
    </chakra.div>
  );
}

function isSpoilt(copy: CutCopy): boolean {
  return copy.white || copy.into > 0 || copy.strange > 0;
}
