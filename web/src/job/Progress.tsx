import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { Refusal } from "../api/client";
import { Button } from "../ui/Button";
import type { JobDesk } from "./useJobDesk";

const LONG = 1200;

/** What the table says while the final work is under way for longer than a blink, and when it was stopped. */
export function Progress({ desk }: { desk: JobDesk }) {
  const { working, stopped } = desk;
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    setSeconds(0);
    if (!working) return;
    const started = Date.now();
    const timer = window.setInterval(() => setSeconds((Date.now() - started) / 1000), 400);
    return () => window.clearInterval(timer);
  }, [working]);
  if (stopped)
    return (
      <Chip>
        {stopped.message} {stopped instanceof Refusal && stopped.whatToDo}
        <Button type="button" minHeight="26px" onClick={desk.goOn}>
          Go on
        </Button>
      </Chip>
    );
  if (!working || seconds * 1000 < LONG) return null;
  return (
    <Chip>
      {desk.doing ? `${desk.doing.charAt(0).toUpperCase()}${desk.doing.slice(1)}` : "Working it out"},{" "}
      {seconds.toFixed(0)} s
      <Button type="button" minHeight="26px" onClick={desk.stopWork}>
        Stop
      </Button>
    </Chip>
  );
}

function Chip({ children }: { children: React.ReactNode }) {
  return (
    <chakra.div
      role="status"
      position="absolute"
      right="14px"
      top="30px"
      zIndex={2}
      maxWidth="420px"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="10px"
      padding="4px 6px 4px 12px"
      background="paper"
      borderRadius="slip"
      fontSize="14.5px"
      boxShadow="0 1px 3px #0003"
    >
      {children}
    </chakra.div>
  );
}
