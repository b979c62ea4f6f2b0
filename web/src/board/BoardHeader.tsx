import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { api, type BoardOrder } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { Mark } from "../ui/Mark";
import { tell } from "../ui/notices";
import { PageHeader } from "../ui/PageHeader";
import { ORDERS } from "./groups";
import { useStartJob } from "./useIncoming";

const Input = chakra("input");

/** The board's name, what begins a job, and how its jobs are found and ordered. */
export function BoardHeader(props: {
  archived: boolean;
  onArchived: (archived: boolean) => void;
  order: BoardOrder;
  onOrder: (order: BoardOrder) => void;
  search: string;
  onSearch: (words: string) => void;
  onKeys: () => void;
}) {
  const { archived, order } = props;
  const { start, taking } = useStartJob();
  const { session, signOut } = useSession();
  return (
    <PageHeader mark={<Mark />} title="Jobs">
      <Button
        type="button"
        look="quiet"
        fontSize="15px"
        aria-pressed={archived}
        onClick={() => props.onArchived(!archived)}
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
      <OrderButtons order={order} onOrder={props.onOrder} />
      <FindField value={props.search} onFind={props.onSearch} />
      {session && !session.demo && (
        <Button type="button" look="quiet" fontSize="15px" onClick={() => signOut()}>
          Sign {session.name} out
        </Button>
      )}
      <Button type="button" onClick={props.onKeys} aria-label="Keys" title="Keys (?)">
        ?
      </Button>
    </PageHeader>
  );
}

function useSession() {
  const client = useQueryClient();
  const { data: session } = useQuery({ queryKey: ["session"], queryFn: api.session });
  const signOut = useMutation({
    mutationFn: api.signOut,
    onSuccess: (left) => {
      client.setQueryData(["session"], left);
      client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
    },
    onError: tell,
  });
  return { session, signOut: signOut.mutate };
}

function OrderButtons({ order, onOrder }: { order: BoardOrder; onOrder: (order: BoardOrder) => void }) {
  return (
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
            onOrder(key);
          }}
        >
          {words}
        </Button>
      ))}
    </chakra.span>
  );
}

/** What a job is looked for by; the key / goes to it. */
function FindField({ value, onFind }: { value: string; onFind: (words: string) => void }) {
  const find = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.ctrlKey || event.metaKey || event.key !== "/")
        return;
      event.preventDefault();
      find.current?.focus();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <chakra.label position="relative" display="block" width="230px">
      <chakra.span srOnly>Find a job by client, words, size or stock</chakra.span>
      <Input
        ref={find}
        type="search"
        value={value}
        placeholder="Client, words, size, stock"
        onChange={(event) => onFind(event.target.value)}
        width="100%"
        height="32px"
        padding="0 26px 0 10px"
        border="1px solid {colors.hair}"
        borderRadius="slip"
        background="paper.white"
        _placeholder={{ color: "ink.faint" }}
      />
      {!value && (
        <chakra.span position="absolute" right="10px" top="4px" color="ink.faint" aria-hidden="true">
          /
        </chakra.span>
      )}
    </chakra.label>
  );
}
