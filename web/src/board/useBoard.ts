import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { api, type BoardOrder, type Card } from "../api/client";
import { tell } from "../ui/notices";

const WAITING_MS = 2000; // between two looks while cards are being drawn
const AGAIN_MS = 5000; // between two looks where the last one failed
const OTHERS_MS = 10000; // between two looks for what others of the shop did
const MOST_LOOKS = 150; // after which a card that is not there yet is not waited for

/** The cards of the board, page by page, looked at again as they are drawn and as others change them. */
export function useCards(search: string, archived: boolean, order: BoardOrder) {
  const asked = useDeferredValue(search);
  const pages = useInfiniteQuery({
    queryKey: ["jobs", asked, archived, order],
    queryFn: ({ pageParam }) => api.jobs(asked, archived, pageParam, order),
    initialPageParam: 0,
    getNextPageParam: (last, all) => (last.more ? all.length : undefined),
    // cards in another order would stand under the wrong headings
    placeholderData: (before, query) => (query?.queryKey[3] === order ? before : undefined),
    refetchInterval: ({ state }) => {
      if (state.status === "error") return AGAIN_MS; // it comes back by itself when Nibble does
      const undrawn = state.data?.pages.some((page) => page.undrawn > 0) === true;
      return undrawn && state.dataUpdateCount < MOST_LOOKS ? WAITING_MS : OTHERS_MS;
    },
  });
  return {
    pages,
    cards: pages.data?.pages.flatMap((page) => page.cards),
    undrawn: pages.data?.pages[0]?.undrawn ?? 0,
  };
}

/** What is done to a job from its card. */
export function useCardActions() {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ queryKey: ["jobs"] });
  const duplicate = useMutation({ mutationFn: api.duplicate, onSuccess: refresh, onError: tell });
  const archive = useMutation({
    mutationFn: (card: Card) => api.archive(card.id, !card.archived),
    onSuccess: refresh,
    onError: tell,
  });
  const tick = useMutation({
    mutationFn: ({ id, step, done }: { id: number; step: string; done: boolean }) => api.tick(id, step, done),
    onSuccess: refresh,
    onError: tell,
  });
  return { duplicate: duplicate.mutate, archive: archive.mutate, tick: tick.mutate };
}
