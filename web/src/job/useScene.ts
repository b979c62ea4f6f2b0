import { useQuery } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef } from "react";
import { api, type Deviation } from "../api/client";
import type { Table } from "../engine/table";
import { fitKey } from "./fitting";
import type { OnTable } from "./onTable";
import { sceneOf } from "./scenes";
import type { ViewKey } from "./stations";
import { useImages } from "./useImages";

/**
 * The work in a view, drawn on the table and fitted to it when the thing itself changes. ``fade``: how strongly the
 * artwork shows; ``kept``: which job's work it is. Gives the deviation, where the view measures it.
 */
export function useScene(
  table: RefObject<Table | null>,
  on: OnTable,
  view: ViewKey,
  fade: number,
  kept: { jobId: number; revision: number },
): Deviation | undefined {
  const { station, ticket, work, artwork, piece } = on;
  const { images, loaded } = useImages();
  const { data: deviation } = useQuery({
    queryKey: ["deviation", kept.jobId, kept.revision, artwork],
    queryFn: () => api.deviation(kept.jobId, artwork),
    enabled: view === "deviation",
    staleTime: Number.POSITIVE_INFINITY,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: ``loaded`` counts pictures that arrived
  useEffect(() => {
    const looked = { artworks: [artwork], piece: piece?.id ?? "", layer: "" };
    const under = station === "artwork" ? "made" : "over";
    table.current?.show(
      sceneOf(station, view, ticket, work, images, { fade, deviation, ...looked }),
      sceneOf(station, under, ticket, work, images, { fade: 1, ...looked }),
    );
  }, [station, view, ticket, work, images, loaded, fade, deviation, artwork, piece?.id]);
  // not while a draft is being tried
  const fitted = useRef("");
  if (!work.preview) fitted.current = fitKey(station, ticket, work, artwork, piece);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new station is fitted once
  useEffect(() => table.current?.fit(), [station, piece?.id, fitted.current, view === "thing"]);
  // words that were made longer, a piece that was added
  useEffect(() => {
    if (!work.preview) table.current?.fitIfOutgrown();
  }, [table, work]);
  return deviation;
}
