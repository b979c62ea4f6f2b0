import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { Button } from "./Button";
import { Mark } from "./Mark";

const Input = chakra("input");
const Form = chakra("form");

/** Name and password; nothing else is shown to somebody who is not signed in. */
export function SignIn({ onSignIn }: { onSignIn: (name: string, password: string) => Promise<unknown> }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [busy, setBusy] = useState(false);
  const field = {
    display: "block",
    width: "100%",
    height: "36px",
    padding: "0 10px",
    marginTop: "4px",
    border: "1px solid {colors.hair.strong}",
    borderRadius: "slip",
    background: "paper.white",
  } as const;
  return (
    <chakra.main minHeight="100vh" display="grid" placeItems="center" background="mat">
      <Form
        width="340px"
        padding="28px 30px"
        background="paper"
        borderRadius="card"
        border="1px solid {colors.hair}"
        display="grid"
        gap="14px"
        onSubmit={(event) => {
          event.preventDefault();
          setBusy(true);
          void onSignIn(name, password).finally(() => setBusy(false));
        }}
      >
        <chakra.h1
          display="flex"
          gap="10px"
          alignItems="center"
          fontFamily="condensed"
          fontWeight={700}
          fontSize="26px"
        >
          <Mark /> Nibble
        </chakra.h1>
        <label>
          Name
          <Input
            {...field}
            autoComplete="username"
            required
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label>
          Password
          <Input
            {...field}
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
        </label>
        <Button look="strong" type="submit" disabled={busy}>
          Sign in
        </Button>
      </Form>
    </chakra.main>
  );
}
