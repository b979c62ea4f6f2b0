import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Found, type Run, type RunCommand } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { tell } from "../ui/notices";
import { endOfRun } from "./endOfRun";
import { MarksPanel } from "./MarksPanel";
import { PanelSection } from "./PanelSection";
import { burns, carves, type Sheet } from "./ticket";
import { goesOn, useConnected, useRun } from "./useRun";

/** How far the head is backed up at a press, mm. */
const BACK = 20;

/** Sending a sheet to its machine, holding it, and going on where it broke off. */
export function RunPanel({
  jobId,
  revision,
  sheet,
  name,
  minutes,
  blocked,
  doubts,
}: {
  jobId: number;
  revision: number;
  sheet: Sheet;
  name: string;
  /** Of one run; null while they are not known. */
  minutes: number | null;
  blocked: boolean;
  /** What still needs a look. */
  doubts: readonly string[];
}) {
  const client = useQueryClient();
  const [asking, setAsking] = useState<"" | "begin" | "go on">("");
  const [found, setFound] = useState<readonly Found[]>([]);
  const key = ["run", jobId, sheet.id];
  const connected = useConnected(sheet.machine.key);
  const run = useRun(jobId, sheet.id, connected);
  const took = {
    onSuccess: (made: unknown) => {
      client.setQueryData(key, made);
      void client.invalidateQueries({ queryKey: ["moving"] });
    },
    onError: tell,
  };
  const begin = useMutation({ mutationFn: () => api.beginRun(jobId, sheet.id, found), ...took });
  const act = useMutation({
    mutationFn: ([what, length]: Command) => api.commandRun(jobId, sheet.id, what, length),
    ...took,
  });
  const { data: library } = useQuery({ queryKey: ["library"], queryFn: api.library });
  const busy = goesOn(run?.state);
  const cuts = !burns(sheet.machine) && !carves(sheet.machine);
  if (cuts && !connected) return null; // its files are taken to it by hand, as in most shops
  return (
    <PanelSection title={`At the machine${name ? `: ${name}` : ""}`}>
      {minutes !== null && !busy && (
        <chakra.p fontSize="14px" marginTop="2px">
          {endOfRun(minutes, String(library?.rates.day_ends ?? ""), new Date())}
        </chakra.p>
      )}
      {!connected ? (
        <chakra.p fontSize="14px" color="ink.soft">
          The {sheet.machine.name} is not connected. Give its record in the library a port; a simulated one
          listens with ./nibble simulate {carves(sheet.machine) ? "router" : "laser"} --port.
        </chakra.p>
      ) : (
        <>
          {run && <RunState run={run} revision={revision} beam={burns(sheet.machine)} />}
          {!busy && burns(sheet.machine) && (
            <MarksPanel {...{ jobId, revision, sheet: sheet.id, found, onFound: setFound }} />
          )}
          <chakra.div display="flex" flexWrap="wrap" gap="6px" marginTop="6px">
            {busy && run ? (
              <WhileRunning held={run.state === "paused"} onCommand={act.mutate} />
            ) : (
              <>
                <Button
                  type="button"
                  look={run ? "slip" : "strong"}
                  disabled={blocked || begin.isPending}
                  onClick={() => setAsking("begin")}
                >
                  {run ? "Send it again" : "Send it to the machine"}
                </Button>
                {run?.state === "broken" && (
                  <Button type="button" look="strong" onClick={() => setAsking("go on")}>
                    Go on at the last finished path
                  </Button>
                )}
              </>
            )}
          </chakra.div>
        </>
      )}
      {asking && (
        <StartDialog
          sheet={sheet}
          begins={asking === "begin"}
          minutes={minutes}
          doubts={doubts}
          onClose={() => setAsking("")}
          onStart={() => (asking === "begin" ? begin.mutate() : act.mutate(["go on"]))}
        />
      )}
    </PanelSection>
  );
}

/** How far a run is, and what the machine says. beam: whether it has one, that is off while it is held. */
function RunState({ run, revision, beam }: { run: Run; revision: number; beam: boolean }) {
  const share = run.lines ? run.done / run.lines : 0;
  return (
    <>
      <chakra.div
        role="progressbar"
        aria-label="Run at the machine"
        aria-valuenow={Math.round(100 * share)}
        height="8px"
        marginTop="6px"
        background="hair.soft"
        borderRadius="4px"
        overflow="hidden"
      >
        <chakra.div height="100%" background="marigold" style={{ width: `${100 * share}%` }} />
      </chakra.div>
      <chakra.p role="status" fontSize="14px" marginTop="4px">
        {run.state === "paused" && !beam ? "Held." : SAID[run.state]} {run.message}{" "}
        <chakra.span color="ink.soft">
          line {run.done} of {run.lines}
          {run.revision !== revision && `, change ${run.revision}`}
        </chakra.span>
      </chakra.p>
    </>
  );
}

type Command = [RunCommand, number?];

function WhileRunning({ held, onCommand }: { held: boolean; onCommand: (command: Command) => void }) {
  return (
    <>
      <Button type="button" onClick={() => onCommand([held ? "resume" : "pause"])}>
        {held ? "Go on" : "Pause"}
      </Button>
      <Button type="button" disabled={!held} onClick={() => onCommand(["back", BACK])}>
        Back {BACK} mm
      </Button>
      <Button type="button" onClick={() => onCommand(["stop"])}>
        Stop
      </Button>
    </>
  );
}

/** Asked before a machine moves: what still needs a look is said once more. begins: from its first line. */
function StartDialog(props: {
  sheet: Sheet;
  begins: boolean;
  minutes: number | null;
  doubts: readonly string[];
  onClose: () => void;
  onStart: () => void;
}) {
  const { sheet, begins, minutes, doubts, onClose, onStart } = props;
  return (
    <Dialog label="Start the machine" onClose={onClose}>
      <chakra.p fontSize="17px">
        {begins ? "Start" : "Go on with"} the <b>{sheet.machine.name}</b> on <b>{sheet.stock.name}</b>
        {minutes !== null && begins && (
          <>
            {" "}
            for <b>{minutes < 0.1 ? "less than 0.1" : minutes.toFixed(1)} minutes</b>
          </>
        )}
        {doubts.length > 0
          ? `, although ${doubts.length === 1 ? "this still needs" : "these still need"} a look?`
          : "?"}
      </chakra.p>
      {doubts.length > 0 && (
        <chakra.ul paddingLeft="18px" marginTop="8px" fontSize="15px">
          {doubts.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </chakra.ul>
      )}
      {/* the first button has the focus: a second press of Enter must not start anything */}
      <chakra.div display="flex" gap="8px" marginTop="16px">
        <Button type="button" onClick={onClose}>
          Not now
        </Button>
        <Button
          type="button"
          look="strong"
          onClick={() => {
            onStart();
            onClose();
          }}
        >
          Start it
        </Button>
      </chakra.div>
    </Dialog>
  );
}

const SAID: Record<string, string> = {
  running: "Running.",
  paused: "Held, the beam off.",
  done: "Done.",
  broken: "Broken off.",
};
