import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Found, type Marks } from "../api/client";
import { Button } from "../ui/Button";
import { tell } from "../ui/notices";

const Input = chakra("input");

interface Props {
  jobId: number;
  revision: number;
  sheet: string;
  /** Where the marks were found; empty while the sheet is taken to lie as meant. */
  found: readonly Found[];
  onFound: (found: readonly Found[]) => void;
}

/** A printed sheet on a machine is found by its marks: the camera looks for them, or the operator drives to each. */
export function MarksPanel({ jobId, revision, sheet, found, onFound }: Props) {
  const id = useId();
  const [said, setSaid] = useState("");
  const [byHand, setByHand] = useState<Record<string, string>>({});
  const { data: marks } = useQuery({
    queryKey: ["marks", jobId, revision, sheet],
    queryFn: () => api.marks(jobId, sheet, []),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const took = {
    onSuccess: (told: Marks) => {
      setSaid(told.said);
      onFound(told.found as Found[]);
    },
    onError: tell,
  };
  const look = useMutation({ mutationFn: () => api.camera(jobId, sheet), ...took });
  const measure = useMutation({ mutationFn: (places: Found[]) => api.marks(jobId, sheet, places), ...took });
  if (!marks?.meant.length) return null;
  const typed = (key: string, usual: number) => byHand[key] ?? usual.toFixed(2);
  const number = (text: string) => Number(text.replace(",", "."));
  const places = marks.meant.map(
    ([x, y], k): Found => [
      number(typed(`${k}x`, found[k]?.[0] ?? x)),
      number(typed(`${k}y`, found[k]?.[1] ?? y)),
    ],
  );
  return (
    <chakra.div marginTop="6px" fontSize="14px">
      <chakra.p>
        {found.length
          ? said
          : "It is printed: let the camera find its marks, or drive to each and write its place."}
      </chakra.p>
      <chakra.div display="flex" flexWrap="wrap" gap="6px" marginTop="4px">
        <Button type="button" disabled={look.isPending} onClick={() => look.mutate()}>
          Let the camera find them
        </Button>
        {found.length > 0 && (
          <Button type="button" look="quiet" onClick={() => onFound([])}>
            it lies as meant
          </Button>
        )}
      </chakra.div>
      <chakra.details marginTop="4px">
        <chakra.summary cursor="pointer">Places of the marks, mm</chakra.summary>
        <chakra.div
          display="grid"
          gridTemplateColumns="auto 1fr 1fr"
          gap="3px 6px"
          marginTop="4px"
          maxWidth="300px"
        >
          {marks.meant.map(([x, y], k) => (
            <chakra.div key={`${x} ${y}`} display="contents">
              <span>{k + 1}</span>
              {(["x", "y"] as const).map((axis, at) => (
                <Input
                  key={axis}
                  id={`${id}-${k}${axis}`}
                  aria-label={`Mark ${k + 1}, ${axis}`}
                  width="100%"
                  minWidth="0"
                  height="26px"
                  padding="0 6px"
                  border="1px solid {colors.hair}"
                  borderRadius="slip"
                  background="paper.white"
                  value={typed(`${k}${axis}`, found[k]?.[at] ?? (at ? y : x))}
                  onChange={(event) => setByHand({ ...byHand, [`${k}${axis}`]: event.target.value })}
                />
              ))}
            </chakra.div>
          ))}
        </chakra.div>
        <Button
          type="button"
          marginTop="4px"
          disabled={!places.flat().every(Number.isFinite)}
          onClick={() => measure.mutate(places)}
        >
          Take these places
        </Button>
      </chakra.details>
    </chakra.div>
  );
}
