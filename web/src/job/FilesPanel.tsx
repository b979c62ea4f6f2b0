import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Change, type Task } from "../api/client";
import { Button } from "../ui/Button";
import { Download } from "../ui/Download";
import { tell } from "../ui/notices";
import { useUnit } from "../ui/unit";
import { Afterwards } from "./Afterwards";
import { FindSettings } from "./FindSettings";
import { LearnErrors } from "./LearnErrors";
import { PanelSection } from "./PanelSection";
import { RunPanel } from "./RunPanel";
import { TestTurn } from "./TestTurn";
import { burns, canBeRehearsed, carves, isTurned, type Sheet, type Ticket } from "./ticket";

const PURPOSES: Record<string, string> = {
  print: "artwork and marks, no cut lines",
  cut: "marks and cut lines",
  manifest: "what was made, with every file’s fingerprint",
};

interface SheetOfJob {
  readonly id: string;
  readonly name: string;
  readonly sheet: Sheet;
  readonly minutes: number | null;
}

/** Making the job files, watching and stopping that, and taking them away. */
export function FilesPanel({
  jobId,
  revision,
  blocked,
  doubts,
  ticket,
  sheets,
  onChanges,
  onRehearse,
}: {
  jobId: number;
  revision: number;
  blocked: boolean;
  doubts: readonly string[];
  ticket: Ticket;
  sheets: readonly SheetOfJob[];
  onChanges: (changes: Change[]) => void;
  /** Put a sheet's files through the press and the cutter that ship. */
  onRehearse: (sheet: string) => void;
}) {
  const client = useQueryClient();
  const key = ["files", jobId];
  const { data: task } = useQuery({ queryKey: key, queryFn: () => api.newestFiles(jobId) });
  const make = useMutation({
    mutationFn: () => api.makeFiles(jobId),
    onSuccess: (made) => client.setQueryData(key, made),
    onError: tell,
  });
  const stop = useMutation({
    mutationFn: api.stopTask,
    onSuccess: (made) => client.setQueryData(key, made),
    onError: tell,
  });
  const busy = task?.state === "waiting" || task?.state === "working";
  const stale = task?.state === "done" && task.revision !== revision;
  return (
    <chakra.section aria-label="Job files" borderTop="1px solid {colors.hair.soft}" padding="14px 20px">
      {busy && task ? (
        <Making task={task} onStop={() => stop.mutate(task.id)} />
      ) : (
        <Button
          type="button"
          look={task?.state === "done" && !stale ? "slip" : "strong"}
          disabled={blocked || make.isPending}
          onClick={() => make.mutate()}
        >
          {task?.state === "done" ? "Make the files again" : "Make the files"}
        </Button>
      )}
      <Said {...{ task, blocked, revision }} stale={stale} />
      {task?.state === "done" && <Made task={task} stale={stale} />}
      {!blocked && <Trials {...{ jobId, ticket, sheets, onRehearse }} />}
      {sheets.map(({ id, name, sheet, minutes }) => (
        <div key={id}>
          <RunPanel {...{ jobId, revision, sheet, name, minutes, blocked, doubts }} />
          {isTurned(ticket, sheet) && <TestTurn {...{ jobId, sheet, onChanges }} />}
          {burns(sheet.machine) && (
            <FindSettings jobId={jobId} ticket={ticket} sheet={sheet} onChanges={onChanges} />
          )}
        </div>
      ))}
      {sheets
        .filter(({ sheet }) => canBeRehearsed(ticket, sheet))
        .filter(
          ({ sheet }, k, all) => all.findIndex((one) => one.sheet.machine.key === sheet.machine.key) === k,
        )
        .map(({ id, sheet }) => (
          <LearnErrors key={id} {...{ jobId, sheet, onChanges }} />
        ))}
      <Papers jobId={jobId} />
      {!blocked && <Afterwards jobId={jobId} sheets={sheets.filter((one) => !one.sheet.behind)} />}
    </chakra.section>
  );
}

/** How far the making of files is. */
function Making({ task, onStop }: { task: Task; onStop: () => void }) {
  return (
    <chakra.div>
      <chakra.div
        role="progressbar"
        aria-label="Making the files"
        aria-valuenow={Math.round(100 * task.progress)}
        height="8px"
        background="hair.soft"
        borderRadius="4px"
        overflow="hidden"
      >
        <chakra.div
          height="100%"
          background="marigold"
          style={{ width: `${Math.max(4, 100 * task.progress)}%` }}
        />
      </chakra.div>
      <chakra.div display="flex" justifyContent="space-between" alignItems="center" marginTop="8px">
        <span>{task.doing ? `Making ${task.doing}` : "Waiting for its turn"}</span>
        <Button type="button" onClick={onStop}>
          Stop
        </Button>
      </chakra.div>
    </chakra.div>
  );
}

/** What keeps files from being made, what became of the last ones, and whether the ticket has changed since. */
function Said(props: { task: Task | null | undefined; blocked: boolean; stale: boolean; revision: number }) {
  const { task, blocked, stale, revision } = props;
  return (
    <>
      {blocked && (
        <chakra.p color="ink.soft" marginTop="8px">
          A blocked station keeps files from being made.
        </chakra.p>
      )}
      {task?.message && (
        <chakra.p role="status" marginTop="10px">
          <b>{task.message}</b> {task.what_to_do}
        </chakra.p>
      )}
      {stale && task && (
        <chakra.p
          role="status"
          marginTop="10px"
          padding="8px 10px"
          background="marigold.note"
          borderRadius="slip"
        >
          <b>The ticket has changed since these were made</b> (change {task.revision}, now {revision}).
        </chakra.p>
      )}
    </>
  );
}

/** The files, each to be taken away, or all in a zip. */
function Made({ task, stale }: { task: Task; stale: boolean }) {
  return (
    <>
      <chakra.p marginTop="10px">
        <chakra.a
          href={`/api/tasks/${task.id}/all.zip`}
          fontWeight={600}
          textDecoration="underline"
          textUnderlineOffset="3px"
        >
          All of them in one zip
        </chakra.a>
      </chakra.p>
      <chakra.ul marginTop="12px" listStyleType="none" padding="0" opacity={stale ? 0.86 : 1}>
        {task.files.map((file) => (
          <chakra.li key={file.name} paddingY="7px" borderTop="1px solid {colors.hair.soft}">
            <chakra.a
              href={`/api/tasks/${task.id}/files/${encodeURIComponent(file.name)}`}
              download={file.name}
              fontWeight={600}
              color="ink"
              textDecoration="underline"
              textUnderlineOffset="3px"
            >
              {file.name}
            </chakra.a>
            <chakra.div fontSize="13px" color="ink.soft">
              {PURPOSES[file.purpose]}, {sizeOf(file.bytes)}
            </chakra.div>
          </chakra.li>
        ))}
      </chakra.ul>
    </>
  );
}

/** Something to try the settings with before the run. */
function Trials(props: {
  jobId: number;
  ticket: Ticket;
  sheets: readonly SheetOfJob[];
  onRehearse: (sheet: string) => void;
}) {
  const { jobId, ticket, sheets, onRehearse } = props;
  return (
    <PanelSection title="A trial first">
      {sheets.map(({ id, name, sheet }) => (
        <chakra.p key={id} fontSize="14.5px">
          {name ? `${name}: ` : ""}
          {trialsOf(ticket, sheet).map(([kind, words], k) => (
            <span key={kind}>
              {k > 0 && ", "}
              <Download path={`/jobs/${jobId}/sheets/${id}/trial/${encodeURIComponent(kind)}`}>
                {words}
              </Download>
            </span>
          ))}
          {canBeRehearsed(ticket, sheet) && (
            <>
              {", "}
              <Button type="button" look="quiet" onClick={() => onRehearse(id)}>
                a rehearsal on the screen
              </Button>
            </>
          )}
        </chakra.p>
      ))}
    </PanelSection>
  );
}

function trialsOf(ticket: Ticket, sheet: Sheet): readonly (readonly [string, string])[] {
  if (carves(sheet.machine)) return [...TRIALS.slice(0, 1), ...BEAM_TRIALS.slice(0, 2)];
  if (isTurned(ticket, sheet)) return [...BEAM_TRIALS, GUIDES];
  return burns(sheet.machine) ? [...TRIALS, ...BEAM_TRIALS] : TRIALS;
}

const TRIALS = [
  ["one copy", "one copy"],
  ["a test cut", "a circle in a square"],
] as const;

/** For machines with a beam. */
const BEAM_TRIALS = [
  ["a framing pass", "a box round the work, nothing switched on"],
  ["a framing pass along the hull", "its hull"],
  ["a pen run", "all of it with a pen, raised and lowered by Z"],
] as const;

const GUIDES = ["guides", "guides for tape, with a pen"] as const;

/** Pages to print: for the machine and for the client; on Letter where the shop works in inches. */
function Papers({ jobId }: { jobId: number }) {
  const { unit } = useUnit();
  const size = unit === "in" ? "letter" : "a4";
  return (
    <PanelSection title="On paper">
      <chakra.p fontSize="13.5px" color="ink.soft">
        {size === "a4" ? "A4" : "Letter"}; or{" "}
        <chakra.span textDecoration="underline">
          <Link to={`/jobs/${jobId}/ticket`}>the ticket on a screen at the machine</Link>
        </chakra.span>
        .
      </chakra.p>
      <chakra.div display="flex" flexWrap="wrap" gap="4px 16px" marginTop="4px">
        {PAPERS.map(([kind, words]) => (
          <Download key={kind} path={`/jobs/${jobId}/papers/${kind}?size=${size}`}>
            {words}
          </Download>
        ))}
      </chakra.div>
    </PanelSection>
  );
}

const PAPERS = [
  ["ticket", "The ticket, for the machine"],
  ["proof", "A proof, for the client"],
  ["quote", "A quote, for the client"],
] as const;

function sizeOf(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}
