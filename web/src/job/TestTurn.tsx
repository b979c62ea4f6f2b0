import { chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Change, type Fields, Refusal } from "../api/client";
import { parseLength } from "../engine/units";
import { Button } from "../ui/Button";
import { Download } from "../ui/Download";
import { useNotices } from "../ui/notices";
import { useUnit } from "../ui/unit";
import { PanelSection } from "./PanelSection";
import type { Sheet } from "./ticket";

const Input = chakra("input");
const Select = chakra("select");
const TURNS = ["a whole turn", "half a turn"] as const;
const WAYS = ["too early", "too late"] as const;

interface Props {
  jobId: number;
  sheet: Sheet;
  onChanges: (changes: Change[]) => void;
}

/** What a machine's turns are off by, read from two lines that were burnt a turn apart. */
export function TestTurn({ jobId, sheet, onChanges }: Props) {
  const client = useQueryClient();
  const id = useId();
  const { unit } = useUnit();
  const say = useNotices((notices) => notices.say);
  const [turn, setTurn] = useState<string>(TURNS[0]);
  const [way, setWay] = useState<string>(WAYS[0]);
  const [typed, setTyped] = useState("");
  const gap = typed.trim() === "" ? null : parseLength(typed, unit);
  const whole = gap !== null && Number.isFinite(gap) && gap >= 0;
  const learn = useMutation({
    mutationFn: async (off: number) => {
      const told = await api.learnTurn(jobId, sheet.id, off, turn);
      const library = await api.library();
      const own = library.machines.find((one) => one.key === sheet.machine.key);
      const learnt = Object.fromEntries(
        told.changes.map(({ path, value }) => [path.split("/").at(-1), value]),
      );
      if (own) {
        const turner = { ...(own.turner as Fields), ...learnt };
        await api.keepRecord("machine", sheet.machine.key, { ...own, turner } as Fields);
      }
      return told;
    },
    onSuccess: (told) => {
      onChanges(told.changes);
      setTyped("");
      void client.invalidateQueries({ queryKey: ["library"] });
      say(`Turns of the ${sheet.machine.name} are made ${(100 * told.correction).toFixed(2)} % long now.`);
    },
  });
  return (
    <PanelSection title="A test turn first">
      <chakra.p fontSize="14.5px">
        <Download path={`/jobs/${jobId}/sheets/${sheet.id}/test-turn?turn=${encodeURIComponent(turn)}`}>
          The test turn
        </Download>{" "}
        burns a line and a letter F on a spare, makes {turn}, and burns a second line. If the letter reads
        upright, type how far the second line is from where it belongs.
      </chakra.p>
      <chakra.div display="flex" flexWrap="wrap" gap="6px 10px" marginTop="6px" alignItems="end">
        <Field id={`${id}-turn`} words="It makes">
          <Choice id={`${id}-turn`} value={turn} among={TURNS} onChange={setTurn} />
        </Field>
        <Field id={`${id}-gap`} words={`The second line is off by, ${unit}`}>
          <Input
            id={`${id}-gap`}
            width="110px"
            height="28px"
            padding="0 6px"
            background="paper.white"
            border="1px solid {colors.hair}"
            borderRadius="slip"
            fontSize="14px"
            placeholder="0.0"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
        </Field>
        <Field id={`${id}-way`} words="and came">
          <Choice id={`${id}-way`} value={way} among={WAYS} onChange={setWay} />
        </Field>
        <Button
          type="button"
          aria-disabled={!whole || learn.isPending}
          onClick={() => whole && !learn.isPending && learn.mutate(way === WAYS[0] ? gap : -gap)}
        >
          Correct every turn
        </Button>
      </chakra.div>
      {learn.error && (
        <chakra.p role="alert" color="blocked" fontSize="14px" marginTop="4px">
          {learn.error instanceof Refusal
            ? `${learn.error.message} ${learn.error.whatToDo}`
            : "Nothing was kept. Try again."}
        </chakra.p>
      )}
    </PanelSection>
  );
}

function Field({ id, words, children }: { id: string; words: string; children: React.ReactNode }) {
  return (
    <chakra.div display="grid" gap="2px">
      <chakra.label htmlFor={id} fontSize="13px" color="ink.soft">
        {words}
      </chakra.label>
      {children}
    </chakra.div>
  );
}

function Choice(props: {
  id: string;
  value: string;
  among: readonly string[];
  onChange: (value: string) => void;
}) {
  return (
    <Select
      id={props.id}
      height="28px"
      padding="0 6px"
      background="paper.white"
      border="1px solid {colors.hair}"
      borderRadius="slip"
      fontSize="14px"
      value={props.value}
      onChange={(event) => props.onChange(event.target.value)}
    >
      {props.among.map((one) => (
        <option key={one}>{one}</option>
      ))}
    </Select>
  );
}
