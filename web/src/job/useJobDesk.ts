import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, type Click, type Job, Refusal, type Step, type Work } from "../api/client";
import { tell } from "../ui/notices";
import type { Value } from "../ui/slots";
import { drafted } from "./drafts";
import { useDraft } from "./useDraft";
import { type Make, useEdits, useNests } from "./useEdits";
import { useTold } from "./useTold";

/**
 * A job on the desk: what is kept, the draft being tried, and the work that follows from either. The last good
 * work stays until a newer one is there.
 */
export function useJobDesk(id: number) {
  const client = useQueryClient();
  const seen = useCallback(() => client.getQueryData<Job>(["job", id])?.revision.number ?? 0, [client, id]);
  const kept = useKept(id);
  const { final, finalWork, superseded } = kept;
  const drafts = useDraft(id, seen);
  const edits = useEdits(id, seen, drafts);
  const told = useTold(id, seen);
  const nests = useNests(id, edits, told);
  const before = useBefore(finalWork, drafts.givesWay);
  const { resized, forgetResize } = useResized(finalWork);
  const { make, change } = edits;
  const { preview, shown } = drafts;
  const onTake = useCallback(
    (path: string, value: Value) => {
      shown(path, value);
      change({ path, value, operation: "set" });
    },
    [change, shown],
  );
  const work = useMemo(() => (preview ? drafted(preview, final.data) : final.data), [preview, final.data]);
  return {
    ...nests,
    ...actions(id, make),
    job: kept.job.data,
    resized,
    forgetResize,
    failed: kept.job.error ?? final.error,
    work,
    final: final.data,
    before,
    /** The final work is under way; it can be stopped, and gone on with. */
    working: final.isFetching,
    /** What it is at, in words. */
    doing: final.isFetching ? told.doing : "",
    stopped: final.error !== null && !final.isFetching && !superseded ? final.error : null,
    stopWork: () => void api.stopWork(id).catch(tell),
    goOn: () => void final.refetch(),
    settling: preview !== null || final.isPlaceholderData || final.isPending,
    keeping: edits.keeping,
    /** How far many rehearsals are. */
    rehearsing: told.rehearsing,
    draft: drafts.draft,
    onDraft: drafts.onDraft,
    tryOn: drafts.tryOn,
    onTake,
    onRestore: drafts.restore,
    change,
  };
}

export type JobDesk = ReturnType<typeof useJobDesk>;

/** The job as it is kept, and the work that follows from it. */
function useKept(id: number) {
  const client = useQueryClient();
  const job = useQuery({ queryKey: ["job", id], queryFn: () => api.job(id) });
  const number = job.data?.revision.number;
  const final = useQuery({
    queryKey: ["work", id, number],
    queryFn: () => api.work(id),
    enabled: number !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  // somebody's newer change took the place of the work asked for: the job is looked at anew
  const superseded = final.error instanceof Refusal && final.error.code === "superseded";
  useEffect(() => {
    if (superseded) void client.invalidateQueries({ queryKey: ["job", id] });
  }, [superseded, client, id]);
  return { job, final, finalWork: final.isPlaceholderData ? undefined : final.data, superseded };
}

/** The work before the newest. A preview gives way to final work, unless another draft is under way by then. */
function useBefore(finalWork: Work | undefined, givesWay: () => void): Work | null {
  const [before, setBefore] = useState<Work | null>(null);
  const shown = useRef<Work | undefined>(undefined);
  useEffect(() => {
    if (!finalWork) return;
    if (shown.current && shown.current !== finalWork) setBefore(shown.current);
    shown.current = finalWork;
    givesWay();
  }, [finalWork, givesWay]);
  return before;
}

/** By what the finished size changed: stated distances stay, and the operator may scale them too, once. */
function useResized(finalWork: Work | undefined) {
  const [resized, setResized] = useState<number | null>(null);
  const sizes = useRef<{ id: string; width: number } | null>(null);
  useEffect(() => {
    const first = Object.entries(finalWork?.artworks ?? {})[0];
    if (!first) return;
    const before = sizes.current;
    sizes.current = { id: first[0], width: first[1].width };
    if (before && before.id === first[0] && Math.abs(before.width / first[1].width - 1) > 0.001)
      setResized((old) => ((old ?? 1) * first[1].width) / before.width);
  }, [finalWork]);
  return { resized, forgetResize: () => setResized(null) };
}

/** What is done to a job by one call each. */
function actions(id: number, make: Make) {
  return {
    replace: (artwork: string, file: File) => make((seen) => api.replaceArtwork(id, artwork, seen, file)),
    addArtwork: (piece: string, file: File) => make((seen) => api.addArtwork(id, piece, seen, file)),
    addPiece: (file: File, done: (job: Job) => void) => make((seen) => api.addPiece(id, seen, file), done),
    addParts: (artwork: string) => make((seen) => api.addParts(id, seen, artwork)),
    scaleDistances: (factor: number) => make((seen) => api.scaleDistances(id, seen, factor)),
    bring: (sheet: string, from: number, piece: string) =>
      make((seen) => api.bring(id, seen, sheet, from, piece)),
    bringAgain: (piece: string) => make((seen) => api.bringAgain(id, seen, piece)),
    /** What one press does; ``done`` is told the job then. */
    take: (step: Step, done?: (job: Job) => void) => make((seen) => api.takeStep(id, seen, step), done),
    /** A click at Lines, whose meaning the service tells. */
    click: (layer: string, click: Click) => make((seen) => api.click(id, layer, seen, click)),
    undo: () => make((seen) => api.undo(id, seen)),
    redo: () => make((seen) => api.redo(id, seen)),
  };
}
