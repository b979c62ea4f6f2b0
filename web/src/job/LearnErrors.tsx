import { chakra } from "@chakra-ui/react";
import { useId, useState } from "react";
import { api, type Change } from "../api/client";
import { parseLength } from "../engine/units";
import { Button } from "../ui/Button";
import { Download } from "../ui/Download";
import { useUnit } from "../ui/unit";
import { PanelSection } from "./PanelSection";
import type { Sheet } from "./ticket";
import { useLearning } from "./useLearning";

const Input = chakra("input");
const READINGS = [
  "upper left, across",
  "upper left, down",
  "lower right, across",
  "lower right, down",
] as const;
const RULERS = ["ruler across", "ruler along"] as const;

interface Props {
  jobId: number;
  sheet: Sheet;
  onChanges: (changes: Change[]) => void;
}

/** What a press and a cutter are off by, read from a test sheet that was printed and cut for real. */
export function LearnErrors({ jobId, sheet, onChanges }: Props) {
  const id = useId();
  const { unit } = useUnit();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState<Record<string, string>>({});
  const read = (name: string) => {
    const text = (typed[name] ?? "").trim();
    return text === "" ? null : parseLength(text, unit);
  };
  // the sheet's numbers are millimetres, whatever the shop works in
  const readings = READINGS.map((name) => {
    const text = (typed[name] ?? "").trim().replace(",", ".");
    return text === "" ? Number.NaN : Number(text);
  });
  const whole = readings.every(Number.isFinite);
  const { learn, pending, refused } = useLearning({
    sheet,
    ask: () => api.learnErrors(jobId, sheet.id, readings, read(RULERS[0]), read(RULERS[1])),
    onChanges,
    said: () => `The record of the ${sheet.machine.name} has what was measured.`,
  });
  const field = (name: string, hint: string) => (
    <chakra.div key={name} display="grid" gap="2px">
      <chakra.label htmlFor={`${id}-${name}`} fontSize="13px" color="ink.soft">
        {name}
      </chakra.label>
      <Input
        id={`${id}-${name}`}
        placeholder={hint}
        width="120px"
        height="28px"
        padding="0 6px"
        background="paper.white"
        border="1px solid {colors.hair}"
        borderRadius="slip"
        fontSize="14px"
        value={typed[name] ?? ""}
        onChange={(event) => setTyped({ ...typed, [name]: event.target.value })}
      />
    </chakra.div>
  );
  return (
    <PanelSection title="What this machine is off by">
      {!open ? (
        <Button type="button" marginTop="4px" onClick={() => setOpen(true)}>
          Measure it with a test sheet
        </Button>
      ) : (
        <>
          <chakra.p fontSize="14px" marginTop="4px">
            <Download path={`/jobs/${jobId}/sheets/${sheet.id}/test-sheet`}>The test sheet</Download>: print
            it, cut it by its marks. In each comb, read the number where a printed and a cut line meet.
          </chakra.p>
          <chakra.div display="flex" flexWrap="wrap" gap="6px 10px" marginTop="6px">
            {READINGS.map((name) => field(name, "0.00"))}
            {RULERS.map((name) => field(name, "if measured"))}
          </chakra.div>
          <Button
            type="button"
            marginTop="8px"
            aria-disabled={!whole || pending}
            onClick={() => whole && !pending && learn(undefined)}
          >
            Put it into the machine’s record
          </Button>
          {refused && (
            <chakra.p role="alert" color="blocked" fontSize="14px" marginTop="4px">
              {refused}
            </chakra.p>
          )}
        </>
      )}
    </PanelSection>
  );
}
