import { chakra } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useId, useState } from "react";
import { api, type Change, type Fields } from "../api/client";
import { cutsOut, fillsShapes, swatchProcesses } from "../theme/processes";
import { Button } from "../ui/Button";
import { Download } from "../ui/Download";
import { tell } from "../ui/notices";
import { PanelSection } from "./PanelSection";
import { ACROSS, type Across, kerfChanges, type Pick, pickChanges, steps } from "./swatch";
import type { Sheet, Ticket } from "./ticket";

const Input = chakra("input");
const Select = chakra("select");
const KERFS = [0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4];

interface Props {
  jobId: number;
  ticket: Ticket;
  sheet: Sheet;
  onChanges: (changes: Change[]) => void;
}

/** Settings found on a scrap: a labelled grid whose best cell is pressed, and a comb that tells the kerf. */
export function FindSettings({ jobId, ticket, sheet, onChanges }: Props) {
  const client = useQueryClient();
  const id = useId();
  const [open, setOpen] = useState(false);
  const [process, setProcess] = useState(() => swatchProcesses().find(fillsShapes) ?? "");
  const [across, setAcross] = useState<Across>("speed");
  const [powers, setPowers] = useState("10 20 40 60 80");
  const [values, setValues] = useState<string>(ACROSS.speed.usual);
  const [thickness, setThickness] = useState(String(sheet.stock.thickness));
  const rows = steps(powers, 100);
  const columns = steps(values, 1);
  const keep = async (changes: Change[]) => {
    onChanges(changes);
    try {
      await keepForTheShop(sheet, changes);
      void client.invalidateQueries({ queryKey: ["library"] });
    } catch (error) {
      tell(error);
    }
  };
  const here = `/jobs/${jobId}/sheets/${sheet.id}`;
  const asked = new URLSearchParams([
    ["process", process],
    ["across", across],
    ...rows.map((one) => ["powers", String(one)]),
    ...columns.map((one) => ["values", String(one)]),
  ] as [string, string][]);
  const depth = Number(thickness.replace(",", "."));
  const slots = KERFS.filter((one) => one < depth);
  const comb = new URLSearchParams([
    ["thickness", String(depth)],
    ...slots.map((one) => ["kerfs", String(one)]),
  ] as [string, string][]);
  return (
    <PanelSection title="Find the settings on a scrap">
      {!open ? (
        <Button type="button" marginTop="4px" onClick={() => setOpen(true)}>
          A test swatch, a kerf comb
        </Button>
      ) : (
        <>
          <chakra.div display="flex" flexWrap="wrap" gap="6px 10px" alignItems="end" marginTop="6px">
            <Labelled words="Try" of={`${id}-1`}>
              <Select
                id={`${id}-1`}
                {...FIELD}
                value={process}
                onChange={(event) => setProcess(event.target.value)}
              >
                {swatchProcesses().map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </Select>
            </Labelled>
            <Labelled words="Powers down, %" of={`${id}-2`}>
              <Input
                id={`${id}-2`}
                {...FIELD}
                width="132px"
                value={powers}
                onChange={(event) => setPowers(event.target.value)}
              />
            </Labelled>
            <Labelled words="Across" of={`${id}-3`}>
              <Select
                id={`${id}-3`}
                {...FIELD}
                value={across}
                onChange={(event) => {
                  const next = event.target.value as Across;
                  setAcross(next);
                  setValues(ACROSS[next].usual);
                }}
              >
                {(Object.keys(ACROSS) as Across[])
                  .filter((one) => one !== "interval" || fillsShapes(process))
                  .map((one) => (
                    <option key={one} value={one}>
                      {ACROSS[one].words}
                    </option>
                  ))}
              </Select>
            </Labelled>
            <Labelled words="Values" of={`${id}-4`}>
              <Input
                id={`${id}-4`}
                {...FIELD}
                width="150px"
                value={values}
                onChange={(event) => setValues(event.target.value)}
              />
            </Labelled>
          </chakra.div>
          {rows.length > 0 && columns.length > 0 ? (
            <>
              <chakra.p fontSize="14px" marginTop="8px">
                <Download path={`${here}/swatch?${asked}`}>The swatch as G-code</Download>. Burn it, then
                press the cell that came out best:
              </chakra.p>
              <Cells
                rows={rows}
                columns={columns}
                onPick={(power, value) => {
                  const pick: Pick = { process, power, across, value };
                  void keep(pickChanges(ticket, sheet, pick));
                }}
              />
            </>
          ) : (
            <chakra.p role="status" fontSize="14px" marginTop="8px">
              Write 1 to 12 numbers with spaces between them, both down and across.
            </chakra.p>
          )}
          <chakra.div display="flex" flexWrap="wrap" gap="6px 10px" alignItems="end" marginTop="14px">
            <Labelled words="Thickness, mm, as measured" of={`${id}-5`}>
              <Input
                id={`${id}-5`}
                {...FIELD}
                width="90px"
                value={thickness}
                onChange={(event) => setThickness(event.target.value)}
              />
            </Labelled>
            {slots.length > 0 && (
              <Download path={`${here}/kerf-comb?${comb}`}>The kerf comb as G-code</Download>
            )}
          </chakra.div>
          <chakra.p fontSize="14px" marginTop="6px">
            Press the slot that the material just goes into:
          </chakra.p>
          <chakra.div display="flex" flexWrap="wrap" gap="4px" marginTop="4px">
            {slots.map((kerf) => (
              <Button
                key={kerf}
                type="button"
                minHeight="26px"
                aria-label={`A kerf of ${kerf} mm`}
                onClick={() => void keep(kerfChanges(sheet, cutsOut(), kerf))}
              >
                {kerf.toFixed(2)}
              </Button>
            ))}
          </chakra.div>
        </>
      )}
    </PanelSection>
  );
}

/** The grid as it is burnt. */
function Cells(props: {
  rows: readonly number[];
  columns: readonly number[];
  onPick: (power: number, value: number) => void;
}) {
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns={`auto repeat(${props.columns.length}, 1fr)`}
      gap="3px"
      marginTop="6px"
      fontSize="13px"
      maxWidth="340px"
    >
      <span />
      {props.columns.map((value) => (
        <chakra.span key={value} textAlign="center">
          {value}
        </chakra.span>
      ))}
      {props.rows.map((power) => (
        <chakra.div key={power} display="contents">
          <chakra.span textAlign="right" paddingRight="4px" alignSelf="center">
            {Math.round(100 * power)} %
          </chakra.span>
          {props.columns.map((value) => (
            <chakra.button
              key={value}
              type="button"
              aria-label={`Take ${Math.round(100 * power)} % and ${value}`}
              minHeight="26px"
              border="1px solid {colors.hair}"
              borderRadius="2px"
              cursor="pointer"
              style={{ background: `rgba(123,75,42,${0.12 + 0.75 * power})` }}
              onClick={() => props.onPick(power, value)}
            />
          ))}
        </chakra.div>
      ))}
    </chakra.div>
  );
}

/** A field under its name. */
function Labelled({ words, of, children }: { words: string; of: string; children: ReactNode }) {
  return (
    <chakra.div display="grid" gap="2px">
      <chakra.label htmlFor={of} fontSize="13px" color="ink.soft">
        {words}
      </chakra.label>
      {children}
    </chakra.div>
  );
}

const FIELD = {
  height: "28px",
  padding: "0 6px",
  background: "paper.white",
  border: "1px solid {colors.hair}",
  borderRadius: "slip",
  color: "ink",
  fontSize: "14px",
} as const;

/** What was found is the shop's from now on: written into its settings of this machine and stock. */
async function keepForTheShop(sheet: Sheet, changes: Change[]): Promise<void> {
  const library = await api.library();
  const own = library.settings.find(
    ({ machine, stock }) => machine === sheet.machine.key && stock === sheet.stock.key,
  );
  const settings: Fields[] = (own?.settings ?? sheet.settings).map((one) => ({ ...(one as Fields) }));
  for (const { path, value, operation } of changes) {
    const [, , , id, , name] = path.split("/");
    if (!path.startsWith(`sheets/${sheet.id}/settings`)) continue;
    if (operation === "add") {
      settings.push(value as Fields);
      continue;
    }
    const process = sheet.settings.find((one) => one.id === id)?.process;
    const found = settings.find((one) => one.process === process);
    if (found && name) found.how = { ...(found.how as Fields), [name]: value };
  }
  await api.keepSettings(sheet.machine.key, sheet.stock.key, settings);
}
