import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** What the service tells as it happens: what others do to the job, and how far its work, nests, rehearsals and files
 * are. */
export function useTold(id: number, seen: () => number) {
  const client = useQueryClient();
  const [doing, setDoing] = useState("");
  const [nesting, setNesting] = useState("");
  const [rehearsing, setRehearsing] = useState("");
  useEffect(() => {
    const events = new EventSource(`/api/jobs/${id}/events`);
    events.addEventListener("revision", (event) => {
      const newest = Number(event.data);
      if (seen() > 0 && newest > seen() && client.isMutating() === 0)
        void client.invalidateQueries({ queryKey: ["job", id] });
    });
    events.addEventListener("doing", (event) => setDoing(JSON.parse(event.data)));
    events.addEventListener("nesting", (event) => setNesting(JSON.parse(event.data)));
    events.addEventListener("rehearsing", (event) => setRehearsing(JSON.parse(event.data)));
    events.addEventListener("task", (event) => client.setQueryData(["files", id], JSON.parse(event.data)));
    return () => events.close();
  }, [client, id, seen]);
  return { doing, nesting, setNesting, rehearsing };
}
