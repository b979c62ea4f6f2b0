import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, type Change, type Job, type Nested } from "../api/client";
import { tell, useNotices } from "../ui/notices";
import { machinesChanged, toNestAgain } from "./ticket";
import type { useDraft } from "./useDraft";

/** How long a nest is looked for, at a press. */
export const NEST_SECONDS = 10;

/** A call that makes a new revision, given the one that is seen. */
type Edit = (seen: number) => Promise<Job>;
export type Make = (call: Edit, done?: (job: Job) => void) => void;

/** What makes new revisions of a job, one after the other. */
export function useEdits(
  id: number,
  seen: () => number,
  { stop, restore, kept }: ReturnType<typeof useDraft>,
) {
  const client = useQueryClient();
  const accepted = useCallback(
    (next: Job) => {
      client.setQueryData(["job", id], next);
      void client.invalidateQueries({ queryKey: ["jobs"] });
      kept();
    },
    [client, id, kept],
  );
  const refused = useCallback(
    (error: unknown) => {
      tell(error);
      restore();
      void client.invalidateQueries({ queryKey: ["job", id] });
    },
    [client, id, restore],
  );
  const edit = useMutation({
    mutationFn: (call: Edit) => call(seen()),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });
  const make: Make = useCallback(
    (call, done) => {
      stop();
      edit.mutate(call, done && { onSuccess: done });
    },
    [edit.mutate, stop],
  );
  const nestAgain = useRef<(sheet: string) => void>(() => {});
  const change = useCallback(
    (...changes: Change[]) => {
      const before = client.getQueryData<Job>(["job", id]);
      make(
        (seen) => api.change(id, seen, changes),
        (next) => {
          for (const words of machinesChanged(changes, before, next)) useNotices.getState().say(words);
          const again = toNestAgain(changes, next.ticket);
          if (again) nestAgain.current(again);
        },
      );
    },
    [make, id, client],
  );
  return { make, change, nestAgain, keeping: edit.isPending };
}

/** Nests of a job's sheets: looked for on the side, and then taken like any other change. */
export function useNests(
  id: number,
  { make, nestAgain, change }: ReturnType<typeof useEdits>,
  told: { nesting: string; setNesting: (words: string) => void },
) {
  /** The newest nest that was found here, and of which sheet. */
  const [nested, setNested] = useState<(Nested & { sheet: string }) | null>(null);
  const nest = useMutation({
    mutationFn: ({ sheet, seconds }: { sheet: string; seconds: number }) => api.nest(id, sheet, seconds),
    onMutate: () => told.setNesting("nesting"),
    onSuccess: (found, { sheet }) => {
      setNested({ sheet, ...found });
      make((seen) => api.takeNest(id, seen, found.name));
    },
    onError: tell,
  });
  nestAgain.current = (sheet) => nest.mutate({ sheet, seconds: NEST_SECONDS });
  const oneMore = useMutation({
    mutationFn: ({ sheet, layer }: { sheet: string; layer: string }) => api.oneMore(id, sheet, layer),
    onSuccess: (found) => change(...found.changes),
    onError: tell,
  });
  return {
    nest: nest.mutate,
    /** The sheet that is being nested, and how far that is, in words. */
    nesting: nest.isPending ? { sheet: nest.variables.sheet, words: told.nesting } : null,
    nested,
    stopNest: () => void api.stopNest(id).catch(tell),
    oneMore: oneMore.mutate,
  };
}
