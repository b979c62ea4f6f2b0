import { chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { api, type Sentence } from "../api/client";
import { Miniature } from "../job/Miniature";
import { type Sheet, type Ticket, wantedInAll } from "../job/ticket";
import { processColour } from "../theme/processes";
import { Mark } from "../ui/Mark";
import { say, sayDate } from "../ui/slots";
import { useUnit } from "../ui/unit";

/** A job's ticket to stand by the machine: all of it in one look, nothing to change, always the newest revision. */
export function TicketPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const { unit } = useUnit();
  const job = useQuery({ queryKey: ["job", id], queryFn: () => api.job(id) });
  const revision = job.data?.revision.number;
  const work = useQuery({
    queryKey: ["work", id, revision],
    queryFn: () => api.work(id),
    enabled: revision !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
  useEffect(() => {
    const events = new EventSource(`/api/jobs/${id}/events`);
    events.addEventListener("revision", () => void client.invalidateQueries({ queryKey: ["job", id] }));
    return () => events.close();
  }, [client, id]);
  if (!job.data)
    return <chakra.p padding="40px">{job.error ? job.error.message : "Fetching the ticket…"}</chakra.p>;
  const ticket = job.data.ticket as unknown as Ticket;
  const stations = work.data?.stations ?? [];
  const blocked = stations.flatMap((one) => one.notes.filter((note) => note.weight === "blocked"));
  const words = (parts: Sentence["parts"]) => {
    const said = parts
      .map((part) => (typeof part === "string" ? part : say(part, part.value, unit)))
      .join("");
    return said.charAt(0).toUpperCase() + said.slice(1);
  };
  return (
    <chakra.main padding="18px 26px 50px" maxWidth="1180px" marginX="auto">
      <chakra.header display="flex" alignItems="baseline" gap="14px" flexWrap="wrap">
        <Link to={`/jobs/${id}`} aria-label="Back to the job" title="Back to the job">
          <Mark />
        </Link>
        <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="38px" lineHeight="1.1">
          {ticket.name}
        </chakra.h1>
        <chakra.span fontSize="22px" color="ink.soft">
          {ticket.client}
        </chakra.span>
        <chakra.span flex="1" />
        <chakra.span fontSize="22px" fontWeight={600}>
          {wantedInAll(job.data.wanted)} {ticket.due && `by ${sayDate(ticket.due)}`}
        </chakra.span>
        <chakra.span fontSize="18px" color="ink.soft" title="Job and change; the search field takes it">
          {id}.{revision}
        </chakra.span>
      </chakra.header>
      {blocked.map((note) => (
        <chakra.p
          key={`${note.where}${note.text}`}
          role="alert"
          marginTop="12px"
          fontSize="19px"
          fontWeight={600}
          color="#8C2F1B"
        >
          {note.text} {note.what_to_do}
        </chakra.p>
      ))}
      <chakra.div
        display="flex"
        gap="18px"
        alignItems="center"
        marginTop="14px"
        padding="14px"
        background="mat"
        borderRadius="card"
        minHeight="280px"
        overflowX="auto"
      >
        {work.data ? (
          <>
            <Miniature station="sheet" ticket={ticket} work={work.data} width="720px" height="270px" />
            {ticket.pieces.map((piece) => (
              <Miniature
                key={piece.id}
                station="lines"
                ticket={ticket}
                work={work.data}
                piece={piece}
                width="240px"
                height="250px"
              />
            ))}
          </>
        ) : (
          <span role="status">{work.error ? work.error.message : "Working it out…"}</span>
        )}
      </chakra.div>
      <chakra.div
        display="grid"
        gridTemplateColumns="repeat(auto-fit, minmax(380px, 1fr))"
        gap="6px 40px"
        marginTop="18px"
        fontSize="18px"
        lineHeight="1.45"
      >
        {GROUPS.map(([station, title]) => (
          <section key={station} aria-label={title}>
            <Heading>{title}</Heading>
            {job.data.sentences
              .filter((sentence) => sentence.station === station && sentence.on)
              .map((sentence) => (
                <chakra.p
                  key={sentence.id}
                  marginTop="6px"
                  paddingLeft="10px"
                  borderLeft="4px solid"
                  style={{
                    borderLeftColor: sentence.process ? processColour(sentence.process) : "transparent",
                  }}
                >
                  {words(sentence.parts)}
                </chakra.p>
              ))}
          </section>
        ))}
        <section aria-label="Afterwards">
          <Heading>Afterwards</Heading>
          {ticket.sheets.map((sheet) => (
            <Finishing key={sheet.id} sheet={sheet} />
          ))}
        </section>
      </chakra.div>
    </chakra.main>
  );
}

const GROUPS = [
  ["sheet", "The sheet"],
  ["machine", "The machine"],
  ["lines", "Lines"],
] as const;

function Heading({ children }: { children: string }) {
  return (
    <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="24px" marginTop="8px">
      {children}
    </chakra.h2>
  );
}

/** What is done to a sheet's stock once it is cut. */
function Finishing({ sheet }: { sheet: Sheet }) {
  const { stock } = sheet;
  const press = [
    stock.press_heat === null ? "" : `${stock.press_heat} °C`,
    stock.press_seconds === null ? "" : `${stock.press_seconds} s`,
    stock.press_pressure && `pressure ${stock.press_pressure}`,
    stock.peel && `peel ${stock.peel}`,
  ].filter(Boolean);
  return (
    <chakra.p marginTop="6px">
      <b>{stock.name}</b>
      {stock.beneath && `, on ${stock.beneath}`}
      {stock.mirrored ? ", mirrored" : ""}.{press.length > 0 && ` Press: ${press.join(", ")}.`}{" "}
      {stock.finishing}
    </chakra.p>
  );
}
