import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { tell } from "../ui/notices";
import { PanelSection } from "./PanelSection";

/** When a sheet is cut: what it took goes off its stock, once, and its offcut is kept. */
export function Afterwards({
  jobId,
  sheets,
}: {
  jobId: number;
  sheets: readonly { id: string; name: string }[];
}) {
  const client = useQueryClient();
  const key = ["taken", jobId];
  const { data: taken } = useQuery({ queryKey: key, queryFn: () => api.taken(jobId) });
  const take = useMutation({
    mutationFn: (sheet: string) => api.take(jobId, sheet),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["library"] }),
    onError: tell,
    onSettled: () => void client.invalidateQueries({ queryKey: key }),
  });
  if (!taken) return null;
  return (
    <PanelSection title="When it is cut">
      {sheets.map(({ id, name }) => {
        const before = taken.find((one) => one.sheet === id);
        return (
          <chakra.p key={id} fontSize="14.5px" marginTop="4px">
            {name && `${name}: `}
            {before ? (
              `${before.said} (change ${before.revision})`
            ) : (
              <Button
                type="button"
                minHeight="26px"
                disabled={take.isPending}
                onClick={() => take.mutate(id)}
              >
                Take it off the stock, keep the offcut
              </Button>
            )}
          </chakra.p>
        );
      })}
    </PanelSection>
  );
}
