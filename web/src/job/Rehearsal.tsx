import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type ReactNode, useRef, useState } from "react";
import { api, type Change, type CutCopy, type Mend, Refusal, type Said } from "../api/client";
import { inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { CardButton } from "../ui/CardButton";
import { Overlay } from "../ui/Overlay";
import { useUnit } from "../ui/unit";
import { RehearsedSheet } from "./RehearsedSheet";

/** The key from a sheet as made to the same as it came off, and back. */
export const CAME_OFF = "v";
const DRAWS = 200;
const LISTED = 12;
const [SMALL, LARGE] = [150, 420];

interface Props {
  jobId: number;
  revision: number;
  sheet: string;
  /** Of the sheet, where a job has several. */
  name: string;
  /** How far many rehearsals are, in words. */
  progress: string;
  onTake: (changes: Change[]) => void;
  onClose: () => void;
}

/** A sheet's own files put through the press and the cutter that ship: what comes off, the worst copy first. */
export function Rehearsal({ jobId, revision, sheet, name, progress, onTake, onClose }: Props) {
  const [turn, setTurn] = useState(1);
  const [panel, setPanel] = useState(0);
  const [large, setLarge] = useState("");
  const once = useQuery({
    queryKey: ["rehearsal", jobId, revision, sheet, turn, panel],
    queryFn: () => api.rehearse(jobId, sheet, turn, panel),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const often = useMutation({ mutationFn: () => api.rehearseOften(jobId, sheet, DRAWS, panel) });
  const wrong = useMutation({ mutationFn: () => api.feedWrong(jobId, sheet, panel) });
  const told = once.data;
  const panels = usePanels(told?.panels);
  const showPanel = (number: number) => {
    setPanel(number);
    often.reset();
    wrong.reset();
  };
  return (
    <Overlay
      label="Rehearsal"
      title={name ? `Rehearsal of ${name}` : "Rehearsal of the sheet"}
      again={CAME_OFF}
      onClose={onClose}
    >
      <chakra.div display="flex" flexWrap="wrap" gap="8px" marginBottom="10px">
        <Button
          type="button"
          aria-disabled={once.isFetching}
          onClick={() => once.isFetching || setTurn(turn + 1)}
        >
          Rehearse once more
        </Button>
        {often.isPending ? (
          <Button type="button" onClick={() => api.stopRehearsals(jobId)}>
            Stop, and tell what came of it
          </Button>
        ) : (
          <Button type="button" onClick={() => often.mutate()}>
            Rehearse {DRAWS} times
          </Button>
        )}
        <Button
          type="button"
          aria-disabled={wrong.isPending}
          onClick={() => wrong.isPending || wrong.mutate()}
        >
          Feed it the wrong way round
        </Button>
      </chakra.div>
      {panels > 1 && (
        <chakra.div
          role="group"
          aria-label="Panel"
          display="flex"
          flexWrap="wrap"
          gap="8px"
          marginBottom="10px"
        >
          {Array.from({ length: panels }, (_, number) => `panel ${number + 1}`).map((words, number) => (
            <Button
              key={words}
              type="button"
              aria-pressed={number === panel}
              onClick={() => showPanel(number)}
            >
              {words}
            </Button>
          ))}
        </chakra.div>
      )}
      {once.isFetching && <p role="status">Printing, looking for the marks, cutting…</p>}
      {once.error && <Refused error={once.error} />}
      {told && <Sentences said={told.said} />}
      {told && <Mends mends={told.mends} onTake={onTake} />}
      {often.isPending && <p role="status">{progress || "rehearsing"}…</p>}
      {often.error && <Refused error={often.error} />}
      {often.data && (
        <Told title="Rehearsed many times" mends={often.data.mends} onTake={onTake}>
          <Sentences said={often.data.said} />
        </Told>
      )}
      {wrong.isPending && <p role="status">Putting it in each wrong way…</p>}
      {wrong.error && <Refused error={wrong.error} />}
      {wrong.data && (
        <Told title="Fed the wrong way round" mends={wrong.data.mends} onTake={onTake}>
          <chakra.ul listStyleType="none" padding="0">
            {wrong.data.ways.map(({ way, said, safe }) => (
              <li key={way}>
                <chakra.b fontWeight={600}>{way}</chakra.b>:{" "}
                <chakra.span color={safe ? "ink" : "blocked"}>{said}</chakra.span>
              </li>
            ))}
          </chakra.ul>
        </Told>
      )}
      {told?.sheet && (
        <RehearsedSheet
          key={`${turn} ${panel}`}
          {...{ jobId, revision, sheet, turn, panel }}
          picture={told.sheet}
          copies={told.copies}
        />
      )}
      {told && told.copies.length > 0 && (
        <chakra.ul
          padding="0"
          marginTop="12px"
          listStyleType="none"
          display="grid"
          gap="10px"
          gridTemplateColumns="repeat(auto-fill, minmax(190px, 1fr))"
        >
          {told.copies.slice(0, LISTED).map((copy) => (
            <Off
              key={copy.number}
              copy={copy}
              large={large === String(copy.number)}
              onPress={() => setLarge(large === String(copy.number) ? "" : String(copy.number))}
            />
          ))}
        </chakra.ul>
      )}
    </Overlay>
  );
}

/** How many panels a sheet has, also while another one of them is being rehearsed. */
function usePanels(told: number | undefined): number {
  const last = useRef(1);
  if (told !== undefined) last.current = told;
  return last.current;
}

/** One copy as it came off; a press shows it from close by. */
function Off({ copy, large, onPress }: { copy: CutCopy; large: boolean; onPress: () => void }) {
  const { unit } = useUnit();
  const mm = (value: number) => inUnit(`${value.toFixed(2)} mm`, unit);
  return (
    <chakra.li gridColumn={large ? "1 / -1" : undefined}>
      <CardButton
        type="button"
        aria-pressed={large}
        disabled={!copy.picture}
        onClick={onPress}
        cursor={copy.picture ? "zoom-in" : "default"}
      >
        {copy.picture && (
          <chakra.span display="grid" placeItems="center" marginBottom="6px">
            <chakra.img
              src={copy.picture}
              alt=""
              maxWidth="100%"
              maxHeight={`${large ? LARGE : SMALL}px`}
              width={large ? "auto" : undefined}
              height={large ? `${LARGE}px` : undefined}
              borderRadius="slip"
            />
          </chakra.span>
        )}
        <chakra.b display="block" fontWeight={600} lineHeight="1.25">
          {copy.name}, copy {copy.number}
        </chakra.b>
        <chakra.span display="block" fontSize="13.5px" color="ink.soft" lineHeight="1.35">
          {mm(copy.worst)} off at the worst, {mm(copy.mean)} on average
          {copy.into > 0 && (
            <chakra.span display="block" color="blocked">
              cut {mm(copy.into)} into the print
            </chakra.span>
          )}
          {copy.strange > 0 && (
            <chakra.span display="block" color="blocked">
              {mm(copy.strange)} of a neighbour’s print
            </chakra.span>
          )}
          {copy.left !== null && (
            <chakra.span display="block" color={copy.white ? "blocked" : undefined}>
              {copy.white ? `white shows, ${mm(-copy.left)} wide` : `${mm(copy.left)} of print left`}
            </chakra.span>
          )}
        </chakra.span>
      </CardButton>
    </chakra.li>
  );
}

function Sentences({ said }: { said: readonly Said[] }) {
  const { unit } = useUnit();
  return (
    <chakra.ul listStyleType="none" padding="0" lineHeight="1.45" maxWidth="80ch" marginBottom="4px">
      {said.map(({ words, spoilt }) => (
        <chakra.li key={words} fontWeight={spoilt ? 600 : 400}>
          {inUnit(words, unit)}
        </chakra.li>
      ))}
    </chakra.ul>
  );
}

function Told(props: {
  title: string;
  mends: readonly Mend[];
  onTake: Props["onTake"];
  children: ReactNode;
}) {
  return (
    <chakra.section
      aria-label={props.title}
      marginTop="10px"
      padding="8px 14px 10px"
      background="paper"
      border="1px solid {colors.hair}"
      borderRadius="card"
    >
      <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="17px">
        {props.title}
      </chakra.h3>
      {props.children}
      <Mends mends={props.mends} onTake={props.onTake} />
    </chakra.section>
  );
}

function Mends({ mends, onTake }: { mends: readonly Mend[]; onTake: Props["onTake"] }) {
  const { unit } = useUnit();
  return (
    <chakra.div display="flex" flexWrap="wrap" gap="8px" marginTop="4px">
      {mends.map((mend) => (
        <Button key={mend.label} type="button" onClick={() => onTake([...mend.changes])}>
          {inUnit(mend.label, unit)}
        </Button>
      ))}
    </chakra.div>
  );
}

function Refused({ error }: { error: Error }) {
  return (
    <chakra.p role="alert" color="blocked">
      {error instanceof Refusal ? `${error.message} ${error.whatToDo}` : "Nothing came back. Try again."}
    </chakra.p>
  );
}
