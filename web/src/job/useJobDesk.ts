import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, type Change, type Job, Refusal, type Work } from "../api/client";
import { Latest } from "../engine/latest";
import { tell } from "../ui/notices";
import type { Value } from "../ui/slots";

/**
 * A job on the desk: what is kept, the draft being tried, and the work that follows from either. The last good
 * work stays until a newer one is there.
 */
export function useJobDesk(id: number) {
  const client = useQueryClient();
  const job = useQuery({ queryKey: ["job", id], queryFn: () => api.job(id) });
  const number = job.data?.revision.number;
  const final = useQuery({
    queryKey: ["work", id, number],
    queryFn: () => api.work(id),
    enabled: number !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [draft, setDraft] = useState<Record<string, Value>>({});
  const [preview, setPreview] = useState<Work | null>(null);
  const [before, setBefore] = useState<Work | null>(null);

  const seen = useCallback(() => client.getQueryData<Job>(["job", id])?.revision.number ?? 0, [client, id]);
  const previews = useMemo(
    () =>
      new Latest<Change[], Work>(
        (changes) => api.preview(id, seen(), changes),
        setPreview,
        (error) => {
          if (!(error instanceof Refusal) || error.code !== "cancelled") tell(error);
        },
      ),
    [id, seen],
  );

  const restore = useCallback(() => {
    previews.cancel();
    setDraft({});
    setPreview(null);
  }, [previews]);

  const accepted = useCallback(
    (next: Job) => {
      client.setQueryData(["job", id], next);
      void client.invalidateQueries({ queryKey: ["jobs"] });
      setDraft({});
    },
    [client, id],
  );
  const refused = useCallback(
    (error: unknown) => {
      tell(error);
      restore();
      void client.invalidateQueries({ queryKey: ["job", id] });
    },
    [client, id, restore],
  );
  const keep = useMutation({
    mutationFn: (changes: Change[]) => api.change(id, seen(), changes),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });
  const replace = useMutation({
    mutationFn: ({ artwork, file }: { artwork: string; file: File }) =>
      api.replaceArtwork(id, artwork, seen(), file),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });
  const undo = useMutation({
    mutationFn: () => api.undo(id, seen()),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });
  const redo = useMutation({
    mutationFn: () => api.redo(id, seen()),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });

  // a preview gives way to the final work, unless another draft is under way by then
  const finalWork = final.isPlaceholderData ? undefined : final.data;
  const shown = useRef<Work | undefined>(undefined);
  useEffect(() => {
    if (!finalWork) return;
    if (shown.current && shown.current !== finalWork) setBefore(shown.current);
    shown.current = finalWork;
    setPreview(null);
  }, [finalWork]);

  const onDraft = useCallback(
    (path: string, value: Value) =>
      setDraft((old) => {
        const next = { ...old, [path]: value };
        previews.push(Object.entries(next).map(([at, to]) => ({ path: at, value: to, operation: "set" })));
        return next;
      }),
    [previews],
  );
  const change = useCallback(
    (...changes: Change[]) => {
      previews.cancel();
      keep.mutate(changes);
    },
    [keep.mutate, previews],
  );
  const onTake = useCallback(
    (path: string, value: Value) => {
      setDraft((old) => ({ ...old, [path]: value }));
      change({ path, value, operation: "set" });
    },
    [change],
  );

  return {
    job: job.data,
    failed: job.error ?? final.error,
    work: preview ?? final.data,
    final: final.data,
    before,
    settling: preview !== null || final.isPlaceholderData || final.isPending,
    replace: (artwork: string, file: File) => replace.mutate({ artwork, file }),
    keeping: keep.isPending || replace.isPending || undo.isPending || redo.isPending,
    draft,
    onDraft,
    onTake,
    onRestore: restore,
    change,
    undo: undo.mutate,
    redo: redo.mutate,
  };
}

export type JobDesk = ReturnType<typeof useJobDesk>;
