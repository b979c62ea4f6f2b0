import { chakra } from "@chakra-ui/react";
import { Component, type ReactNode } from "react";
import { Button } from "./Button";

interface Props {
  children: ReactNode;
}

interface State {
  failed: boolean;
}

/** Catches what goes wrong while a screen is drawn: says so, and shows it anew. What was kept is kept. */
export class Mishap extends Component<Props, State> {
  override state: State = { failed: false };

  static getDerivedStateFromError(): State {
    return { failed: true };
  }

  override render(): ReactNode {
    if (!this.state.failed) return this.props.children;
    return (
      <chakra.main role="alert" padding="60px" maxWidth="560px">
        <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="28px">
          This screen could not be drawn.
        </chakra.h1>
        <p>Every change that was made is kept. Show it again; if that does not help, go back to the board.</p>
        <chakra.div display="flex" gap="10px" marginTop="16px">
          <Button type="button" look="strong" onClick={() => this.setState({ failed: false })}>
            Show it again
          </Button>
          <Button type="button" onClick={() => window.location.assign("/")}>
            To the board
          </Button>
        </chakra.div>
      </chakra.main>
    );
  }
}
