import { chakra } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Field, type Fields, type Library } from "../api/client";
import { Button } from "../ui/Button";
import { tell } from "../ui/notices";
import { useUnit } from "../ui/unit";
import { capital, FieldRow, inTheUnit, NumberInput, Select } from "./FieldRow";

const Cell = chakra("td", { base: { padding: "3px 8px 3px 0" } });
const Head = chakra("th", {
  base: {
    textAlign: "left",
    verticalAlign: "bottom",
    fontWeight: 400,
    fontSize: "13.5px",
    color: "ink.soft",
    padding: "2px 8px 2px 0",
    maxWidth: "110px",
  },
});

/** How a machine makes each process in one stock: a row a process, filled by the shop. */
export function SettingsForm(props: { library: Library; machine: Fields; onKept: (next: Library) => void }) {
  const { library, machine } = props;
  const known = library.settings.filter((one) => one.machine === machine.key);
  const [stock, setStock] = useState(String(known[0]?.stock ?? library.stocks[0]?.key ?? ""));
  const own = known.find((one) => one.stock === stock)?.settings ?? [];
  const [draft, setDraft] = useState<{ stock: string; rows: Fields[] } | null>(null);
  const rows: readonly Fields[] = draft?.stock === stock ? draft.rows : own;
  const edit = (next: Fields[]) => setDraft({ stock, rows: next });
  const able = ((machine.spots ?? []) as Fields[]).map((spot) => String(spot.process));
  const free = able.filter((process) => !rows.some((row) => row.process === process));
  const made = library.heads[String((machine.head as Fields).kind)];
  const fields = made?.how.fields ?? [];
  const wide = fields.length > MOST_COLUMNS;
  const set = (k: number, name: string, value: unknown) =>
    edit(rows.map((row, i) => (i === k ? { ...row, how: { ...howOf(row), [name]: value } } : row)));
  const takeOut = (k: number) => edit(rows.filter((_, i) => i !== k));
  const keep = useMutation({
    mutationFn: () => api.keepSettings(String(machine.key), stock, rows),
    onSuccess: (next) => {
      setDraft(null);
      props.onKept(next);
    },
    onError: tell,
  });
  return (
    <chakra.section
      aria-label="Settings"
      marginTop="30px"
      borderTop="1.5px solid {colors.ink}"
      paddingTop="12px"
    >
      <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="19px">
        Settings in one stock
      </chakra.h3>
      <chakra.div maxWidth="360px" marginTop="4px">
        <chakra.label htmlFor="settings-stock" display="block" fontSize="13.5px" color="ink.soft">
          Stock
        </chakra.label>
        <Select id="settings-stock" value={stock} onChange={(event) => setStock(event.target.value)}>
          {library.stocks.map((one) => (
            <option key={String(one.key)} value={String(one.key)}>
              {String(one.name)}
              {known.some((set) => set.stock === one.key && set.settings.length) ? " ·" : ""}
            </option>
          ))}
        </Select>
      </chakra.div>
      {rows.length === 0 ? (
        <chakra.p marginTop="10px" color="ink.soft">
          {NOTHING_SET[String(made?.how.usual.kind)]}
        </chakra.p>
      ) : wide ? (
        <SettingRows {...{ rows, fields }} onSet={set} onTakeOut={takeOut} />
      ) : (
        <SettingTable {...{ rows, fields }} onSet={set} onTakeOut={takeOut} />
      )}
      <chakra.div display="flex" flexWrap="wrap" gap="6px" marginTop="10px">
        {free.map((process) => (
          <Button
            key={process}
            type="button"
            look="quiet"
            onClick={() =>
              edit([
                ...rows,
                { id: process.replaceAll(" ", "-"), process, how: usualHow(machine, made?.how.usual ?? {}) },
              ])
            }
          >
            + {process}
          </Button>
        ))}
        <chakra.span flex="1" />
        <Button
          type="button"
          look="strong"
          disabled={draft?.stock !== stock || keep.isPending}
          onClick={() => keep.mutate()}
        >
          Keep these settings
        </Button>
      </chakra.div>
    </chakra.section>
  );
}

interface RowsProps {
  rows: readonly Fields[];
  fields: readonly Field[];
  onSet: (row: number, name: string, value: unknown) => void;
  onTakeOut: (row: number) => void;
}

const howOf = (row: Fields) => row.how as Fields;

/** A block for each process, where there is more to set than fits beside each other. */
function SettingRows({ rows, fields, onSet, onTakeOut }: RowsProps) {
  return rows.map((row, k) => (
    <chakra.fieldset key={String(row.process)} border="none" padding="0" marginTop="12px">
      <chakra.legend fontWeight={600}>{capital(String(row.process))}</chakra.legend>
      <chakra.div display="grid" gridTemplateColumns="repeat(4, minmax(0, 1fr))" gap="6px 14px">
        {fields.map((field) => (
          <FieldRow
            key={field.name}
            field={field}
            value={howOf(row)[field.name]}
            problem=""
            onChange={(value) => onSet(k, field.name, value)}
          />
        ))}
      </chakra.div>
      <Button type="button" look="quiet" onClick={() => onTakeOut(k)}>
        take out
      </Button>
    </chakra.fieldset>
  ));
}

/** A row for each process. */
function SettingTable({ rows, fields, onSet, onTakeOut }: RowsProps) {
  const { unit } = useUnit();
  return (
    <chakra.table marginTop="10px">
      <thead>
        <tr>
          <Head scope="col">Process</Head>
          {fields.map((field) => (
            <Head key={field.name} scope="col">
              {capital(field.called)}
              {inTheUnit(field, unit)}
            </Head>
          ))}
          <Head />
        </tr>
      </thead>
      <tbody>
        {rows.map((row, k) => (
          <tr key={String(row.process)}>
            <Cell whiteSpace="nowrap">{String(row.process)}</Cell>
            {fields.map((field) => (
              <Cell key={field.name} width="92px">
                <NumberInput
                  label={`${field.called} of ${row.process}`}
                  field={field}
                  value={howOf(row)[field.name] as number | null}
                  problem=""
                  onChange={(value) => onSet(k, field.name, value)}
                />
              </Cell>
            ))}
            <Cell>
              <Button type="button" look="quiet" onClick={() => onTakeOut(k)}>
                take out
              </Button>
            </Cell>
          </tr>
        ))}
      </tbody>
    </chakra.table>
  );
}

const MOST_COLUMNS = 8;
const NOTHING_SET: Record<string, string> = {
  "by knife":
    "Nothing is set: the machine’s own force and speed are used. Try it on scrap, then write it down here.",
  "by beam": "Nothing is set: without power and speed no moves can be planned. A test swatch finds them.",
  "by cutter": "Nothing is set. Feeds are those of its cutters; name the processes that this stock takes.",
};

/** A way of making as a machine has it where nobody has set any: with what its own head says of the same. */
function usualHow(machine: Fields, how: Fields): Fields {
  const head = machine.head as Fields;
  const own = Object.keys(how).filter((name) => name !== "kind" && name !== "speed" && name in head);
  return { ...how, ...Object.fromEntries(own.map((name) => [name, head[name]])) };
}
