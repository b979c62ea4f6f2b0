import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

const LOOKS = 400;

/** The last run of a sheet on its machine, looked at again and again while it goes on. */
export function useRun(job: number, sheet: string, connected: boolean) {
  const { data } = useQuery({
    queryKey: ["run", job, sheet],
    queryFn: () => api.run(job, sheet),
    enabled: connected && sheet !== "",
    refetchInterval: ({ state }) => (goesOn(state.data?.state) ? LOOKS : false),
  });
  return data ?? null;
}

/** Whether a machine is connected, as its record in the library says: a ticket does not choose what is sent to. */
export function useConnected(machine: string | undefined): boolean {
  const { data } = useQuery({ queryKey: ["library"], queryFn: api.library });
  return data?.machines.some((record) => record.key === machine && record.port !== null) ?? false;
}

/** Whether a run is under way. */
export function goesOn(state: string | undefined): boolean {
  return state === "running" || state === "paused";
}
