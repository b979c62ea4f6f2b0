import { chakra } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Extent } from "../api/client";
import { parseLength } from "../engine/units";
import { Button } from "../ui/Button";
import { tell } from "../ui/notices";
import { useUnit } from "../ui/unit";
import type { JobDesk } from "./useJobDesk";

const Select = chakra("select");
const Input = chakra("input");
const LOOK = {
  minHeight: "28px",
  background: "paper.white",
  border: "1px solid {colors.hair}",
  borderRadius: "3px",
};

/** Under the size of an artwork: it can be told by its subject, or by the finished piece with its lines. */
export function SizeBy({ desk, artwork }: { desk: JobDesk; artwork: string }) {
  const { unit } = useUnit();
  const [open, setOpen] = useState(false);
  const [what, setWhat] = useState<Extent["what"]>("piece");
  const [side, setSide] = useState<Extent["side"]>("wide");
  const [typed, setTyped] = useState("");
  const wanted = parseLength(typed, unit);
  const size = useMutation({
    mutationFn: () => api.sized(desk.job?.id ?? 0, artwork, { what, side, wanted: wanted ?? 0 }),
    onSuccess: ({ changes }) => {
      desk.change(...changes);
      setOpen(false);
    },
    onError: tell,
  });
  if (!open)
    return (
      <Button type="button" look="quiet" onClick={() => setOpen(true)}>
        Size it by its subject or the finished piece
      </Button>
    );
  return (
    <chakra.form
      aria-label="Size by the subject or the finished piece"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="6px"
      marginTop="6px"
      fontSize="15px"
      onSubmit={(event) => {
        event.preventDefault();
        if (wanted !== null && wanted > 0) size.mutate();
      }}
    >
      Make
      <Select
        {...LOOK}
        aria-label="What is measured"
        value={what}
        onChange={(e) => setWhat(e.target.value as Extent["what"])}
      >
        <option value="piece">the finished piece</option>
        <option value="subject">the subject</option>
      </Select>
      <Input
        {...LOOK}
        aria-label={`Its size in ${unit}`}
        autoFocus
        width="76px"
        paddingX="6px"
        value={typed}
        placeholder={unit}
        onChange={(e) => setTyped(e.target.value)}
      />
      <Select
        {...LOOK}
        aria-label="Which side"
        value={side}
        onChange={(e) => setSide(e.target.value as Extent["side"])}
      >
        <option value="wide">wide</option>
        <option value="high">high</option>
      </Select>
      <Button type="submit" disabled={wanted === null || wanted <= 0 || size.isPending}>
        {size.isPending ? "Measuring…" : "Size it"}
      </Button>
      <Button type="button" look="quiet" onClick={() => setOpen(false)}>
        Leave it
      </Button>
    </chakra.form>
  );
}
