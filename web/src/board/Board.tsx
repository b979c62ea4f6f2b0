import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { type BoardOrder, type Card, Refusal } from "../api/client";
import { Button } from "../ui/Button";
import { KeyList, type Keys } from "../ui/KeyList";
import { localDay } from "../ui/slots";
import { useKeptFocus } from "../ui/useKeptFocus";
import { BoardHeader } from "./BoardHeader";
import { GroupTitle } from "./GroupTitle";
import { grouped, ORDERS } from "./groups";
import { JobCard } from "./JobCard";
import { StartHere } from "./StartHere";
import { useCardActions, useCards } from "./useBoard";

const KEYS: Keys = [
  ["/", "find a job by client, words, size (84x84) or stock"],
  ["Tab, Enter", "go to a job and open it"],
  ["Ctrl V", "start a job with a copied picture"],
  ["Ctrl .", "stop every machine that moves, from any screen"],
  ["?", "this list"],
];

const ORDER_KEPT = "nibble-board-order";
const keptOrder = () => ORDERS.find(({ key }) => key === localStorage.getItem(ORDER_KEPT))?.key ?? "due";

/** All jobs as cards, and the place where new ones begin. */
export function Board() {
  const [search, setSearch] = useState("");
  const [archived, setArchived] = useState(false);
  const [order, setOrder] = useState<BoardOrder>(keptOrder);
  const [keys, setKeys] = useState(false);
  const board = useRef<HTMLElement>(null);
  useKeptFocus(board);
  const { pages, cards, undrawn } = useCards(search, archived, order);
  useEffect(() => {
    document.title = "Jobs, Nibble";
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.ctrlKey || event.metaKey) return;
      if (event.key === "?") setKeys(true);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <>
      <BoardHeader
        archived={archived}
        onArchived={setArchived}
        order={order}
        onOrder={(next) => {
          localStorage.setItem(ORDER_KEPT, next);
          setOrder(next);
        }}
        search={search}
        onSearch={setSearch}
        onKeys={() => setKeys(true)}
      />
      <chakra.main ref={board} padding="6px 28px 60px" maxWidth="1800px">
        {grouped(cards ?? [], order, localDay()).map(({ title, cards }) => (
          <Group key={title} title={title} cards={cards} more={pages.hasNextPage} />
        ))}
        {pages.hasNextPage && (
          <Button
            type="button"
            marginTop="16px"
            disabled={pages.isFetchingNextPage}
            onClick={() => void pages.fetchNextPage()}
          >
            {pages.isFetchingNextPage ? "Looking…" : "Show more jobs"}
          </Button>
        )}
        {pages.isError && !cards && <Unreachable onAgain={() => void pages.refetch()} error={pages.error} />}
        {cards?.length === 0 && <Nothing search={search} archived={archived} undrawn={undrawn} />}
        {!archived && <StartHere empty={cards?.length === 0 && !search} />}
      </chakra.main>
      {keys && <KeyList keys={KEYS} onClose={() => setKeys(false)} />}
    </>
  );
}

/** Jobs that belong together. more: whether there are others that were not fetched. */
function Group(props: { title: string; cards: readonly Card[]; more: boolean }) {
  const { title, cards, more } = props;
  const { duplicate, archive, tick } = useCardActions();
  if (cards.length === 0) return null;
  return (
    <section aria-label={title}>
      <GroupTitle>
        {title}{" "}
        <chakra.span fontFamily="body" fontSize="15px" fontWeight={400} color="ink.soft" marginLeft="6px">
          {cards.length}
          {more && " and more"} {cards.length === 1 && !more ? "job" : "jobs"}
        </chakra.span>
      </GroupTitle>
      <Cards>
        {cards.map((card) => (
          <JobCard
            key={card.id}
            card={card}
            onDuplicate={() => duplicate(card.id)}
            onArchive={() => archive(card)}
            onTick={(step, done) => tick({ id: card.id, step, done })}
          />
        ))}
      </Cards>
    </section>
  );
}

/** Why no job is shown. */
function Nothing({ search, archived, undrawn }: { search: string; archived: boolean; undrawn: number }) {
  if (!search) return archived ? <chakra.p marginTop="24px">Nothing is archived.</chakra.p> : null;
  return (
    <chakra.p marginTop="24px">
      No job has “{search}”, be it as client, words, size or stock.
      {undrawn > 0 &&
        (undrawn === 1
          ? " One is being drawn; its size is not known yet."
          : ` ${undrawn} are being drawn; their sizes are not known yet.`)}
    </chakra.p>
  );
}

/** The board cannot be had: why, and once more. */
function Unreachable({ error, onAgain }: { error: Error; onAgain: () => void }) {
  return (
    <chakra.div role="alert" marginTop="24px" maxWidth="560px">
      <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="21px">
        The board cannot be shown.
      </chakra.h2>
      <p>
        {error.message} {error instanceof Refusal ? error.whatToDo : ""}
      </p>
      <Button type="button" marginTop="10px" onClick={onAgain}>
        Try again
      </Button>
    </chakra.div>
  );
}

function Cards({ children }: { children: React.ReactNode }) {
  return (
    <chakra.ul
      display="grid"
      gridTemplateColumns="repeat(auto-fill, minmax(min(390px, 100%), 1fr))"
      gap="16px"
      padding="0"
    >
      {children}
    </chakra.ul>
  );
}
