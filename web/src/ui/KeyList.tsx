import { chakra } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import { Button } from "./Button";

export type Keys = readonly (readonly [key: string, does: string])[];

/** What ``?`` shows: every key of this screen. */
export function KeyList({ keys, onClose }: { keys: Keys; onClose: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    dialog.current?.showModal();
  }, []);
  return (
    <chakra.dialog
      ref={dialog}
      aria-labelledby="keys-title"
      onClose={onClose}
      margin="auto"
      padding="20px 26px"
      border="1px solid {colors.hair}"
      borderRadius="card"
      background="paper"
      color="ink"
      minWidth="420px"
      maxHeight="90vh"
      _backdrop={{ background: "rgba(30,42,46,.35)" }}
    >
      <chakra.h2 id="keys-title" fontFamily="condensed" fontWeight={700} fontSize="24px" marginBottom="10px">
        Keys
      </chakra.h2>
      <chakra.dl display="grid" gridTemplateColumns="auto 1fr" columnGap="18px" rowGap="5px">
        {keys.map(([key, does]) => (
          <chakra.div key={key} display="contents">
            <chakra.dt fontWeight={600} whiteSpace="nowrap">
              {key}
            </chakra.dt>
            <chakra.dd>{does}</chakra.dd>
          </chakra.div>
        ))}
      </chakra.dl>
      <Button type="button" look="strong" marginTop="16px" onClick={() => dialog.current?.close()}>
        Close
      </Button>
    </chakra.dialog>
  );
}
