import { chakra } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, type BoardOrder, type Card, Refusal } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { KeyList, type Keys } from "../ui/KeyList";
import { Mark } from "../ui/Mark";
import { tell } from "../ui/notices";
import { localDay } from "../ui/slots";
import { useKeptFocus } from "../ui/useKeptFocus";
import { grouped, ORDERS } from "./groups";
import { JobCard } from "./JobCard";
import { useStartJob } from "./useIncoming";

const Input = chakra("input");
const KEYS: Keys = [
  ["/", "find a job by client, words, size (84x84) or stock"],
  ["Tab, Enter", "go to a job and open it"],
  ["Ctrl V", "start a job with a copied picture"],
  ["Ctrl .", "stop every machine that moves, from any screen"],
  ["?", "this list"],
];

const WAITING_MS = 2000; // between two looks while cards are being drawn
const AGAIN_MS = 5000; // between two looks where the last one failed
const OTHERS_MS = 10000; // between two looks for what others of the shop did
const MOST_LOOKS = 150; // after which a card that is not there yet is not waited for

const ORDER_KEPT = "nibble-board-order";
const keptOrder = () => ORDERS.find(({ key }) => key === localStorage.getItem(ORDER_KEPT))?.key ?? "due";

/** All jobs as cards, and the place where new ones begin. */
export function Board() {
  const client = useQueryClient();
  const [search, setSearch] = useState("");
  const [archived, setArchived] = useState(false);
  const [order, setOrder] = useState<BoardOrder>(keptOrder);
  const { start, taking } = useStartJob();
  const [keys, setKeys] = useState(false);
  const find = useRef<HTMLInputElement>(null);
  const board = useRef<HTMLElement>(null);
  useKeptFocus(board);
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
  const cards = pages.data?.pages.flatMap((page) => page.cards);
  const undrawn = pages.data?.pages[0]?.undrawn ?? 0;
  const counted = (number: number) =>
    `${number}${pages.hasNextPage ? " and more" : ""} ${number === 1 && !pages.hasNextPage ? "job" : "jobs"}`;
  const { data: session } = useQuery({ queryKey: ["session"], queryFn: api.session });
  const signOut = useMutation({
    mutationFn: api.signOut,
    onSuccess: (left) => {
      client.setQueryData(["session"], left);
      client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
    },
    onError: tell,
  });
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
  useEffect(() => {
    document.title = "Jobs, Nibble";
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.ctrlKey || event.metaKey) return;
      if (event.key === "/") {
        event.preventDefault();
        find.current?.focus();
      }
      if (event.key === "?") setKeys(true);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const group = (title: string, some: readonly Card[]) =>
    some.length > 0 && (
      <section key={title} aria-label={title}>
        <Title>
          {title}{" "}
          <chakra.span fontFamily="body" fontSize="15px" fontWeight={400} color="ink.soft" marginLeft="6px">
            {counted(some.length)}
          </chakra.span>
        </Title>
        <Cards>
          {some.map((card) => (
            <JobCard
              key={card.id}
              card={card}
              onDuplicate={() => duplicate.mutate(card.id)}
              onArchive={() => archive.mutate(card)}
              onTick={(step, done) => tick.mutate({ id: card.id, step, done })}
            />
          ))}
        </Cards>
      </section>
    );
  return (
    <>
      <chakra.header
        height="58px"
        display="flex"
        alignItems="center"
        gap="16px"
        paddingX="20px"
        borderBottom="1px solid {colors.hair}"
      >
        <Mark />
        <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="24px">
          Jobs
        </chakra.h1>
        <Button
          type="button"
          look="quiet"
          fontSize="15px"
          aria-pressed={archived}
          onClick={() => setArchived(!archived)}
        >
          {archived ? "Back to the board" : "Archive"}
        </Button>
        <chakra.span fontSize="15px" color="ink.soft" _hover={{ color: "ink", textDecoration: "underline" }}>
          <Link to="/library">Stocks and machines</Link>
        </chakra.span>
        <FileButton label="A client's file to start a job with" multiple disabled={taking} onFiles={start}>
          Start a job
        </FileButton>
        <chakra.span flex="1" />
        <chakra.span role="group" aria-label="Order of the board" display="inline-flex" gap="2px">
          {ORDERS.map(({ key, words }) => (
            <Button
              key={key}
              type="button"
              look="quiet"
              fontSize="15px"
              aria-pressed={key === order}
              color={key === order ? "ink" : undefined}
              textDecoration={key === order ? "underline" : undefined}
              textUnderlineOffset="5px"
              onClick={() => {
                localStorage.setItem(ORDER_KEPT, key);
                setOrder(key);
              }}
            >
              {words}
            </Button>
          ))}
        </chakra.span>
        <chakra.label position="relative" display="block" width="230px">
          <chakra.span srOnly>Find a job by client, words, size or stock</chakra.span>
          <Input
            ref={find}
            type="search"
            value={search}
            placeholder="Client, words, size, stock"
            onChange={(event) => setSearch(event.target.value)}
            width="100%"
            height="32px"
            padding="0 26px 0 10px"
            border="1px solid {colors.hair}"
            borderRadius="slip"
            background="paper.white"
            _placeholder={{ color: "ink.faint" }}
          />
          {!search && (
            <chakra.span position="absolute" right="10px" top="4px" color="ink.faint" aria-hidden="true">
              /
            </chakra.span>
          )}
        </chakra.label>
        {session && !session.demo && (
          <Button type="button" look="quiet" fontSize="15px" onClick={() => signOut.mutate()}>
            Sign {session.name} out
          </Button>
        )}
        <Button type="button" onClick={() => setKeys(true)} aria-label="Keys" title="Keys (?)">
          ?
        </Button>
      </chakra.header>
      <chakra.main ref={board} padding="6px 28px 60px" maxWidth="1800px">
        {grouped(cards ?? [], order, localDay()).map(({ title, cards }) => group(title, cards))}
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
        {cards?.length === 0 && search && (
          <chakra.p marginTop="24px">
            No job has “{search}”, be it as client, words, size or stock.
            {undrawn > 0 &&
              (undrawn === 1
                ? " One is being drawn; its size is not known yet."
                : ` ${undrawn} are being drawn; their sizes are not known yet.`)}
          </chakra.p>
        )}
        {cards?.length === 0 && archived && !search && (
          <chakra.p marginTop="24px">Nothing is archived.</chakra.p>
        )}
        {!archived && <StartHere empty={cards?.length === 0 && !search} />}
      </chakra.main>
      {keys && <KeyList keys={KEYS} onClose={() => setKeys(false)} />}
    </>
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

function StartHere({ empty }: { empty: boolean }) {
  const { start, tryFile, taking } = useStartJob();
  const { data: files } = useQuery({
    queryKey: ["loose-files"],
    queryFn: api.looseFiles,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <section aria-label="Start a job">
      <Title>Start a job</Title>
      <chakra.div display="grid" gridTemplateColumns={{ base: "1fr", lg: "2fr 1fr" }} gap="16px">
        <chakra.div
          minHeight={empty ? "220px" : "130px"}
          padding="20px 24px"
          background="mat.pale"
          border="2px dashed #9AAAA0"
          borderRadius="card"
        >
          <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="20px">
            {taking ? "Looking at the file…" : "Drop what the client sent anywhere on this page"}
          </chakra.h3>
          <p>
            Pictures (PNG, JPEG, JPEG 2000, WebP, BMP, GIF, TIFF, HEIC, AVIF), drawings (SVG, PDF, DXF) or a
            zip of them; or paste a copied picture. Nibble looks at it first and says what it is good for.
          </p>
          <FileButton label="Client's file" multiple marginTop="12px" disabled={taking} onFiles={start}>
            Choose a file
          </FileButton>
        </chakra.div>
        <chakra.div
          padding="20px 24px"
          background="paper.white"
          border="1px solid {colors.hair}"
          borderRadius="card"
        >
          <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="20px">
            Try one of these
          </chakra.h3>
          <chakra.ul listStyleType="none" padding="0">
            {files?.map((file) => (
              <chakra.li key={file.name} marginTop="6px">
                <Button
                  type="button"
                  look="quiet"
                  fontSize="15px"
                  fontWeight={600}
                  color="ink"
                  disabled={taking}
                  onClick={() => tryFile(file.name)}
                >
                  {file.name}
                </Button>{" "}
                <chakra.span color="ink.soft" fontSize="14px">
                  {file.words}
                </chakra.span>
              </chakra.li>
            ))}
          </chakra.ul>
        </chakra.div>
      </chakra.div>
    </section>
  );
}

function Title({ children }: { children: React.ReactNode }) {
  return (
    <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="21px" margin="20px 0 10px">
      {children}
    </chakra.h2>
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
