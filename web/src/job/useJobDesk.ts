import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import {
  api,
  type Change,
  type Click,
  type Job,
  type Nested,
  Refusal,
  type Step,
  type Work,
} from "../api/client";
import { Latest } from "../engine/latest";
import { tell, useNotices } from "../ui/notices";
import type { Value } from "../ui/slots";
import { drafted } from "./drafts";
import { stationOf } from "./stations";
import { machinesChanged, toNestAgain } from "./ticket";

/** How long a nest is looked for, at a press. */
export const NEST_SECONDS = 10;
const GIVEN_WAY = ["cancelled", "superseded"];

/** A call that makes a new revision, given the one that is seen. */
type Edit = (seen: number) => Promise<Job>;

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
    retry: false,
  });
  const [draft, setDraft] = useState<Record<string, Value>>({});
  const drafting = useRef(false);
  const [preview, setPreview] = useState<Work | null>(null);
  const [before, setBefore] = useState<Work | null>(null);

  const seen = useCallback(() => client.getQueryData<Job>(["job", id])?.revision.number ?? 0, [client, id]);
  const [search] = useSearchParams();
  const station = stationOf(search);
  const looked = useRef(station);
  const tried = useRef<Change[]>([]);
  const previews = useMemo(
    () =>
      new Latest<Change[], Work>(
        (changes) => {
          tried.current = changes;
          return api.preview(id, seen(), changes, looked.current);
        },
        (work) => {
          // an accepted change is previewed while its final work is under way, and not once that is there
          const settled = client.getQueryData<Work>(["work", id, seen()]) !== undefined;
          if (!settled || drafting.current) setPreview(work);
        },
        (error) => {
          if (!(error instanceof Refusal) || !GIVEN_WAY.includes(error.code)) tell(error);
        },
      ),
    [client, id, seen],
  );

  // a draft that is seen from another station is worked out up to there
  useEffect(() => {
    if (looked.current === station) return;
    looked.current = station;
    if (preview) previews.push(tried.current);
  }, [station, preview, previews]);

  const restore = useCallback(() => {
    previews.cancel();
    drafting.current = false;
    setDraft({});
    setPreview(null);
  }, [previews]);

  const accepted = useCallback(
    (next: Job) => {
      client.setQueryData(["job", id], next);
      void client.invalidateQueries({ queryKey: ["jobs"] });
      setDraft({});
      drafting.current = false;
      previews.push([]);
    },
    [client, id, previews],
  );
  const refused = useCallback(
    (error: unknown) => {
      tell(error);
      restore();
      void client.invalidateQueries({ queryKey: ["job", id] });
    },
    [client, id, restore],
  );
  // everything that makes a new revision goes one after the other
  const edit = useMutation({
    mutationFn: (call: Edit) => call(seen()),
    scope: { id: `job-${id}` },
    onSuccess: accepted,
    onError: refused,
  });
  const make = useCallback(
    (call: Edit, done?: (job: Job) => void) => {
      previews.cancel();
      edit.mutate(call, done && { onSuccess: done });
    },
    [edit.mutate, previews],
  );

  // what others do to the job, and how far its work and its files are, comes as it happens
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

  // somebody's newer change took the place of the work asked for: the job is looked at anew
  const superseded = final.error instanceof Refusal && final.error.code === "superseded";
  useEffect(() => {
    if (superseded) void client.invalidateQueries({ queryKey: ["job", id] });
  }, [superseded, client, id]);

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
    (path: string, value: Value) => {
      drafting.current = true;
      setDraft((old) => {
        const next = { ...old, [path]: value };
        previews.push(Object.entries(next).map(([at, to]) => ({ path: at, value: to, operation: "set" })));
        return next;
      });
    },
    [previews],
  );
  /** Show what changes would do, without a draft value anywhere; null shows what is kept. */
  const tryOn = useCallback(
    (changes: Change[] | null) => {
      if (changes) {
        drafting.current = true;
        previews.push(changes);
      } else restore();
    },
    [previews, restore],
  );
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
  const nestAgain = useRef<(sheet: string) => void>(() => {});
  const onTake = useCallback(
    (path: string, value: Value) => {
      setDraft((old) => ({ ...old, [path]: value }));
      change({ path, value, operation: "set" });
    },
    [change],
  );

  /** The newest nest that was found here, and of which sheet. */
  const [nested, setNested] = useState<(Nested & { sheet: string }) | null>(null);
  // a nest is looked for on the side, and then taken like any other change
  const nest = useMutation({
    mutationFn: ({ sheet, seconds }: { sheet: string; seconds: number }) => api.nest(id, sheet, seconds),
    onMutate: () => setNesting("nesting"),
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

  // when the finished size changes, stated distances stay; the operator may scale them too, once
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

  const work = useMemo(() => (preview ? drafted(preview, final.data) : final.data), [preview, final.data]);
  return {
    job: job.data,
    resized,
    forgetResize: () => setResized(null),
    failed: job.error ?? final.error,
    work,
    final: final.data,
    before,
    /** The final work is under way; it can be stopped, and gone on with. */
    working: final.isFetching,
    /** What it is at, in words. */
    doing: final.isFetching ? doing : "",
    stopped: final.error !== null && !final.isFetching && !superseded ? final.error : null,
    stopWork: () => void api.stopWork(id).catch(tell),
    goOn: () => void final.refetch(),
    settling: preview !== null || final.isPlaceholderData || final.isPending,
    replace: (artwork: string, file: File) => make((seen) => api.replaceArtwork(id, artwork, seen, file)),
    addArtwork: (piece: string, file: File) => make((seen) => api.addArtwork(id, piece, seen, file)),
    addPiece: (file: File, done: (job: Job) => void) => make((seen) => api.addPiece(id, seen, file), done),
    addParts: (artwork: string) => make((seen) => api.addParts(id, seen, artwork)),
    scaleDistances: (factor: number) => make((seen) => api.scaleDistances(id, seen, factor)),
    keeping: edit.isPending,
    bring: (sheet: string, from: number, piece: string) =>
      make((seen) => api.bring(id, seen, sheet, from, piece)),
    bringAgain: (piece: string) => make((seen) => api.bringAgain(id, seen, piece)),
    nest: nest.mutate,
    /** The sheet that is being nested, and how far that is, in words. */
    /** How far many rehearsals are. */
    rehearsing,
    nesting: nest.isPending ? { sheet: nest.variables.sheet, words: nesting } : null,
    nested,
    stopNest: () => void api.stopNest(id).catch(tell),
    oneMore: oneMore.mutate,
    draft,
    onDraft,
    tryOn,
    onTake,
    onRestore: restore,
    change,
    /** What one press does; ``done`` is told the job then. */
    take: (step: Step, done?: (job: Job) => void) => make((seen) => api.takeStep(id, seen, step), done),
    /** A click at Lines, whose meaning the service tells. */
    click: (layer: string, click: Click) => make((seen) => api.click(id, layer, seen, click)),
    undo: () => make((seen) => api.undo(id, seen)),
    redo: () => make((seen) => api.redo(id, seen)),
  };
}

export type JobDesk = ReturnType<typeof useJobDesk>;
