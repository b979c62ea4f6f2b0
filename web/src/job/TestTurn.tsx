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
  const id = useId();
  const { unit } = useUnit();
  const [turn, setTurn] = useState<string>(TURNS[0]);
  const [way, setWay] = useState<string>(WAYS[0]);
  const [typed, setTyped] = useState("");
  const gap = typed.trim() === "" ? null : parseLength(typed, unit);
  const whole = gap !== null && Number.isFinite(gap) && gap >= 0;
  const { learn, pending, refused } = useLearning({
    sheet,
    ask: (off: number) => api.learnTurn(jobId, sheet.id, off, turn),
    onChanges: (changes) => {
      onChanges(changes);
      setTyped("");
    },
    said: (told) =>
      `Turns of the ${sheet.machine.name} are made ${(100 * told.correction).toFixed(2)} % long now.`,
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
          aria-disabled={!whole || pending}
          onClick={() => whole && !pending && learn(way === WAYS[0] ? gap : -gap)}
        >
          Correct every turn
        </Button>
      </chakra.div>
      {refused && (
        <chakra.p role="alert" color="blocked" fontSize="14px" marginTop="4px">
          {refused}
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
