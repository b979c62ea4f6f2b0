import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, type Field, type Fields, type Library, Refusal } from "../api/client";
import { inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";
import { tell } from "../ui/notices";
import { PageHeader } from "../ui/PageHeader";
import { useUnit } from "../ui/unit";
import { FieldRow, fresh } from "./FieldRow";
import { HeadForm } from "./HeadForm";
import { ClampsForm, FormatsForm, SpotsForm } from "./MachineForms";
import { ProfileForm } from "./ProfileForm";
import { SettingsForm } from "./SettingsForm";
import { WallForm } from "./WallForm";

type Kind = "stock" | "machine" | "rates";
interface Chosen {
  kind: Kind;
  /** Empty for a record that is not kept yet. */
  key: string;
}

/** The shop's own stocks and machines, and how each machine makes each stock. */
export function LibraryPage() {
  const { data: library, error } = useQuery({ queryKey: ["library"], queryFn: api.library });
  const [chosen, setChosen] = useState<Chosen | null>(null);
  useEffect(() => {
    document.title = "Stocks and machines, Nibble";
  }, []);
  const records = chosen?.kind === "machine" ? library?.machines : library?.stocks;
  const own = chosen?.kind === "rates" ? library?.rates : records?.find((one) => one.key === chosen?.key);
  return (
    <>
      <PageHeader
        title="Stocks and machines"
        mark={
          <Link to="/" aria-label="Back to the board">
            <Mark />
          </Link>
        }
      >
        <chakra.span flex="1" />
        <chakra.span color="ink.soft" fontSize="14.5px">
          A job copies what it is made on; a change here is offered to it, never forced.
        </chakra.span>
      </PageHeader>
      <chakra.main
        display="grid"
        gridTemplateColumns="minmax(280px, 380px) 1fr"
        minHeight="calc(100vh - 58px)"
      >
        <chakra.nav
          aria-label="Records"
          borderRight="1px solid {colors.hair}"
          padding="8px 20px 40px"
          background="paper"
        >
          {error && (
            <p role="alert">
              {error.message} {error instanceof Refusal ? error.whatToDo : ""}
            </p>
          )}
          {library && (
            <>
              <Group
                title="Stocks"
                records={library.stocks}
                chosen={chosen?.kind === "stock" ? chosen.key : null}
                says={(one) =>
                  one.kind === ROUND_THING
                    ? `${ROUND_THING}, its wall ${String((one.wall as Fields).shape)}`
                    : `${number(one.usable_width)} mm usable${one.mirrored ? ", mirrored" : ""}${
                        one.length_left === null ? "" : `, ${number(one.length_left, 1000)} m left`
                      }`
                }
                onChoose={(key) => setChosen({ kind: "stock", key })}
                adds="Add a stock"
              />
              <Group
                title="Machines"
                records={library.machines}
                chosen={chosen?.kind === "machine" ? chosen.key : null}
                says={(one) =>
                  `${number(one.usable_width)} mm, takes ${(one.formats as string[]).join(", ")}`
                }
                onChoose={(key) => setChosen({ kind: "machine", key })}
                adds="Add a machine"
              />
              <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="20px" marginTop="14px">
                Quotes
              </chakra.h2>
              <Button
                type="button"
                marginTop="4px"
                onClick={() => setChosen({ kind: "rates", key: "rates" })}
              >
                The shop’s rates and names
              </Button>
            </>
          )}
        </chakra.nav>
        <chakra.section
          aria-label="Record"
          padding="14px 28px 60px"
          maxWidth="1000px"
          position="sticky"
          top="0"
          alignSelf="start"
          maxHeight="100vh"
          overflowY="auto"
        >
          {!chosen && (
            <chakra.p marginTop="24px" color="ink.soft">
              Choose a stock or a machine to see its record, or add one.
            </chakra.p>
          )}
          {library && chosen && (
            <RecordForm
              key={`${chosen.kind} ${chosen.key}`}
              library={library}
              kind={chosen.kind}
              record={own ?? null}
              onChosen={setChosen}
            />
          )}
        </chakra.section>
      </chakra.main>
    </>
  );
}

/** What of a stock's record says nothing of a round thing. */
const OF_FLAT_STOCK = [
  ...["width", "usable_width", "usable_length", "mirrored", "liner", "length_left", "beneath"],
  ...["press_heat", "press_seconds", "press_pressure", "peel", "rendering", "printable", "thinnest"],
];
const ROUND_THING = "a round thing";

/** A round thing has its price each. */
function named(field: Field, value: Fields): Field {
  return field.name === "price" && value.kind === ROUND_THING ? { ...field, called: "price of one" } : field;
}

function counts(kind: Kind, name: string, value: Fields): boolean {
  if (kind !== "stock") return true;
  if (name === "feeds" || name === "grain") return value.kind === "a sheet";
  return value.kind !== ROUND_THING || !OF_FLAT_STOCK.includes(name);
}

function number(value: unknown, per = 1): string {
  return String(Math.round((Number(value) / per) * 100) / 100);
}

function Group(props: {
  title: string;
  records: readonly Fields[];
  chosen: string | null;
  says: (one: Fields) => string;
  onChoose: (key: string) => void;
  adds: string;
}) {
  const { unit } = useUnit();
  return (
    <chakra.section aria-label={props.title} marginTop="14px">
      <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="20px">
        {props.title}
      </chakra.h2>
      <chakra.ul listStyleType="none" margin="4px 0 6px" padding="0">
        {props.records.map((one) => (
          <li key={String(one.key)}>
            <chakra.button
              type="button"
              aria-current={props.chosen === one.key || undefined}
              onClick={() => props.onChoose(String(one.key))}
              display="flex"
              gap="10px"
              alignItems="center"
              width="100%"
              padding="6px 8px"
              textAlign="left"
              cursor="pointer"
              borderLeft="4px solid"
              style={{ borderLeftColor: props.chosen === one.key ? "#E9A50C" : "transparent" }}
              borderBottom="1px solid {colors.hair.soft}"
              _hover={{ background: "paper.warm" }}
              background={props.chosen === one.key ? "paper.warm" : "transparent"}
            >
              {typeof one.colour === "string" && (
                <chakra.span
                  width="20px"
                  height="20px"
                  flex="none"
                  borderRadius="3px"
                  border="1px solid {colors.hair.strong}"
                  style={{ background: one.colour }}
                />
              )}
              <span>
                <chakra.span display="block" fontWeight={500}>
                  {inUnit(String(one.name), unit)}
                </chakra.span>
                <chakra.span display="block" fontSize="13.5px" color="ink.soft">
                  {inUnit(props.says(one), unit)}
                </chakra.span>
              </span>
            </chakra.button>
          </li>
        ))}
      </chakra.ul>
      <Button type="button" onClick={() => props.onChoose("")}>
        {props.adds}
      </Button>
    </chakra.section>
  );
}

/** What a machine begins with beside its plain fields. */
function newMachine(library: Library): Fields {
  return { spots: [], formats: ["pdf"], clamps: [], head: Object.values(library.heads)[0]?.usual };
}

/** One record: its fields, and for a machine its processes, formats and settings. */
function RecordForm(props: {
  library: Library;
  kind: Kind;
  record: Fields | null;
  onChosen: (chosen: Chosen | null) => void;
}) {
  const { library, kind, record } = props;
  const client = useQueryClient();
  const fields = {
    stock: library.stock_fields,
    machine: library.machine_fields,
    rates: library.rate_fields,
  }[kind];
  const [value, setValue] = useState<Fields>(
    () => record ?? { ...fresh(fields), ...(kind === "machine" ? newMachine(library) : {}) },
  );
  const [problem, setProblem] = useState<Refusal | null>(null);
  const changed = JSON.stringify(value) !== JSON.stringify(record);
  const kept = (next: Library) => {
    client.setQueryData(["library"], next);
    void client.invalidateQueries({ queryKey: ["job"] });
  };
  const keep = useMutation({
    mutationFn: () =>
      kind === "rates" ? api.keepRates(value) : api.keepRecord(kind, String(record?.key ?? ""), value),
    onSuccess: (next) => {
      setProblem(null);
      kept(next);
      const list = kind === "stock" ? next.stocks : next.machines;
      const own = list.find((one) => one.name === value.name);
      if (!record && own) props.onChosen({ kind, key: String(own.key) });
    },
    onError: (error) => (error instanceof Refusal && error.status === 422 ? setProblem(error) : tell(error)),
  });
  const remove = useMutation({
    mutationFn: () => api.removeRecord(kind === "machine" ? "machine" : "stock", String(record?.key ?? "")),
    onSuccess: (next) => {
      kept(next);
      props.onChosen(null);
    },
    onError: tell,
  });
  const set = (name: string, to: unknown) => setValue((old) => ({ ...old, [name]: to }));
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <chakra.h2 fontFamily="condensed" fontWeight={700} fontSize="26px">
        {kind === "rates"
          ? "The shop’s rates and names"
          : record
            ? String(record.name)
            : kind === "stock"
              ? "A new stock"
              : "A new machine"}
      </chakra.h2>
      <chakra.div
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(250px, 1fr))"
        gap="12px 24px"
        marginTop="14px"
      >
        {fields
          .filter(({ name }) => counts(kind, name, value))
          .map((field) => (
            <FieldRow
              key={field.name}
              field={named(field, value)}
              value={value[field.name]}
              problem={problem?.where === field.name ? `${problem.message} ${problem.whatToDo}` : ""}
              onChange={(to) => set(field.name, to)}
            />
          ))}
      </chakra.div>
      {kind === "stock" && value.kind === ROUND_THING && (
        <WallForm
          library={library}
          wall={(value.wall ?? fresh(library.wall_fields)) as Fields}
          onChange={(wall) => set("wall", wall)}
        />
      )}
      {kind === "stock" && value.kind !== ROUND_THING && (
        <ProfileForm stock={value} onChange={(to) => setValue((old) => ({ ...old, ...to }))} />
      )}
      {kind === "machine" && (
        <>
          <HeadForm
            library={library}
            head={value.head as Fields}
            problem={problem && { where: problem.where, words: `${problem.message} ${problem.whatToDo}` }}
            onChange={(head) => set("head", head)}
          />
          <SpotsForm
            processes={library.processes}
            spots={(value.spots ?? []) as Fields[]}
            onChange={(spots) => set("spots", spots)}
          />
          <FormatsForm
            formats={library.formats}
            chosen={(value.formats ?? []) as string[]}
            onChange={(formats) => set("formats", formats)}
          />
          <ClampsForm
            clamps={(value.clamps ?? []) as Fields[]}
            onChange={(clamps) => set("clamps", clamps)}
          />
        </>
      )}
      {problem && (
        <chakra.p role="alert" marginTop="12px" color="#8C2F1B" fontWeight={600}>
          {problem.message} {problem.whatToDo}
        </chakra.p>
      )}
      <chakra.div display="flex" gap="8px" marginTop="18px">
        <Button type="submit" look="strong" disabled={!changed || keep.isPending}>
          {record ? "Keep these values" : "Add it"}
        </Button>
        {record && changed && (
          <Button type="button" onClick={() => setValue(record)}>
            Back to what is kept
          </Button>
        )}
        <chakra.span flex="1" />
        {record && kind !== "rates" && (
          <Button type="button" look="quiet" disabled={remove.isPending} onClick={() => remove.mutate()}>
            take it out of the library
          </Button>
        )}
      </chakra.div>
      {kind === "machine" && record && <SettingsForm library={library} machine={record} onKept={kept} />}
    </form>
  );
}
