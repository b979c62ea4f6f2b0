import { chakra } from "@chakra-ui/react";
import { Link } from "react-router";
import { Refusal } from "../api/client";

/** A job that is still on its way. */
export function Waiting() {
  return (
    <chakra.div
      flex="1"
      display="grid"
      placeItems="center"
      background="mat"
      color="ink.soft"
      minHeight="200px"
      role="status"
    >
      Getting the job out…
    </chakra.div>
  );
}

/** A job that is not there, or cannot be read. */
export function CannotOpen({ why }: { why: Error }) {
  return (
    <chakra.main padding="60px" maxWidth="560px">
      <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="28px">
        This job cannot be opened.
      </chakra.h1>
      <p>
        {why.message} {why instanceof Refusal && why.whatToDo}
      </p>
      <chakra.p marginTop="16px" textDecoration="underline">
        <Link to="/">Back to the board</Link>
      </chakra.p>
    </chakra.main>
  );
}
