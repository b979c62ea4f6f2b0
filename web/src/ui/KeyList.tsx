import { chakra } from "@chakra-ui/react";
import { Button } from "./Button";
import { Dialog } from "./Dialog";

export type Keys = readonly (readonly [key: string, does: string])[];

/** What ``?`` shows: every key of this screen. */
export function KeyList({ keys, onClose }: { keys: Keys; onClose: () => void }) {
  return (
    <Dialog label="Keys" onClose={onClose}>
      <chakra.h2 fontFamily="condensed" fontWeight={700} fontSize="24px" marginBottom="10px">
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
      <Button type="button" look="strong" marginTop="16px" onClick={onClose}>
        Close
      </Button>
    </Dialog>
  );
}
