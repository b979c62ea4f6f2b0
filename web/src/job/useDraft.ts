import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Change, Refusal, type Work } from "../api/client";
import { Latest } from "../engine/latest";
import { tell } from "../ui/notices";
import type { Value } from "../ui/slots";
import { stationOf } from "./stations";

const GIVEN_WAY = ["cancelled", "superseded"];

/** Values that are tried and not kept, and the reduced work that follows from them. seen: number of the revision that
 * they are tried on. */
export function useDraft(id: number, seen: () => number) {
  const client = useQueryClient();
  const [draft, setDraft] = useState<Record<string, Value>>({});
  const drafting = useRef(false);
  const [preview, setPreview] = useState<Work | null>(null);
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

  const stop = useCallback(() => previews.cancel(), [previews]);
  const restore = useCallback(() => {
    previews.cancel();
    drafting.current = false;
    setDraft({});
    setPreview(null);
  }, [previews]);
  /** The draft was kept: what became of it is previewed until its final work is there. */
  const kept = useCallback(() => {
    setDraft({});
    drafting.current = false;
    previews.push([]);
  }, [previews]);
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
  /** Show a value as taken while it is being kept. */
  const shown = useCallback(
    (path: string, value: Value) => setDraft((old) => ({ ...old, [path]: value })),
    [],
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
  const givesWay = useCallback(() => setPreview(null), []);
  return { draft, preview, givesWay, stop, restore, kept, shown, onDraft, tryOn };
}
