import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link } from "react-router";
import { api, type Moving, type RunCommand } from "../api/client";
import { Button } from "./Button";
import { tell } from "./notices";

const LOOKS = 2000;
const LOOKS_WHILE_MOVING = 500;
const HEIGHT = 46;
/** What a screen that fills the window takes off its height while the strip is there. */
export const STRIP = "--nb-moving";

/** Machines that move, or may: on every screen, at its upper edge, with Stop at the left; Ctrl . stops them all. */
export function MovingMachines() {
  const client = useQueryClient();
  const { data } = useQuery({
    queryKey: ["moving"],
    queryFn: api.moving,
    refetchInterval: ({ state }) => (state.data?.length ? LOOKS_WHILE_MOVING : LOOKS),
  });
  const { mutate } = useMutation({
    mutationFn: ([one, what]: [Moving, RunCommand]) => api.commandRun(one.job, one.sheet, what),
    onSettled: (_, __, [one]) => {
      void client.invalidateQueries({ queryKey: ["moving"] });
      void client.invalidateQueries({ queryKey: ["run", one.job, one.sheet] });
    },
    onError: tell,
  });
  const moving = data ?? [];
  useEffect(() => {
    document.documentElement.style.setProperty(STRIP, `${HEIGHT * moving.length}px`);
  }, [moving.length]);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "." || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      for (const one of data ?? []) mutate([one, "stop"]);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [data, mutate]);
  return (
    <>
      {moving.map((one, k) => (
        <chakra.section
          key={`${one.job} ${one.sheet}`}
          aria-label={`The ${one.machine} is at work`}
          position="sticky"
          top={`${HEIGHT * k}px`}
          zIndex={40}
          height={`${HEIGHT}px`}
          display="flex"
          alignItems="center"
          gap="12px"
          paddingX="12px"
          background="marigold"
          color="ink"
          fontSize="15px"
          whiteSpace="nowrap"
        >
          <Button type="button" look="strong" onClick={() => mutate([one, "stop"])} title="Stop (Ctrl .)">
            Stop
          </Button>
          {one.may_move && (
            <Button type="button" onClick={() => mutate([one, "it stands still"])}>
              It stands still
            </Button>
          )}
          <chakra.span overflow="hidden" textOverflow="ellipsis" role="status">
            <b>{one.machine}</b> {STATES[one.may_move ? "may move" : one.state]}{" "}
            <Link to={`/jobs/${one.job}?station=machine`} style={{ textDecoration: "underline" }}>
              {one.job_name}
            </Link>
            {one.may_move ? `. ${one.message}` : `, ${percent(one)} of its lines done`}
          </chakra.span>
        </chakra.section>
      ))}
    </>
  );
}

function percent({ done, lines }: Moving): string {
  return `${lines ? Math.floor((100 * done) / lines) : 0} %`;
}

const STATES: Record<string, string> = {
  running: "is running",
  paused: "is held, at",
  "may move": "may still be moving:",
};
