import { chakra } from "@chakra-ui/react";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { useSeveral } from "./useIncoming";

/** Whether files that came together are the pieces of one job, or a job each. */
export function SeveralFiles(props: {
  onStart: (how: { files: readonly File[]; together: boolean }) => void;
}) {
  const { files, ask } = useSeveral();
  if (files.length === 0) return null;
  const start = (together: boolean) => {
    ask([]);
    props.onStart({ files, together });
  };
  return (
    <Dialog label="Several files" onClose={() => ask([])}>
      <chakra.p fontSize="17px" marginBottom="14px">
        {files.length} files came together. Are they one order?
      </chakra.p>
      <chakra.div display="flex" flexWrap="wrap" gap="8px">
        <Button type="button" autoFocus onClick={() => start(true)}>
          One job of {files.length} pieces
        </Button>
        <Button type="button" onClick={() => start(false)}>
          {files.length} jobs
        </Button>
        <Button type="button" look="quiet" onClick={() => ask([])}>
          Leave them
        </Button>
      </chakra.div>
    </Dialog>
  );
}
