import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Change, type Fields, Refusal } from "../api/client";
import { useNotices } from "../ui/notices";
import type { Sheet } from "./ticket";

/** Keeps what a trial taught of a sheet's machine: in the job, and in the machine's record where the shop has it. */
export function useLearning<Reading, Told extends { changes: Change[] }>(props: {
  sheet: Sheet;
  ask: (reading: Reading) => Promise<Told>;
  /** The record with what was learnt. */
  into: (record: Fields, learnt: Fields) => Fields;
  onChanges: (changes: Change[]) => void;
  said: (told: Told) => string;
}) {
  const client = useQueryClient();
  const say = useNotices((notices) => notices.say);
  const { key } = props.sheet.machine;
  const learn = useMutation({
    mutationFn: async (reading: Reading) => {
      const told = await props.ask(reading);
      const library = await api.library();
      const record = library.machines.find((one) => one.key === key);
      const learnt = Object.fromEntries(
        told.changes.map(({ path, value }) => [path.split("/").at(-1), value]),
      ) as Fields;
      if (record) await api.keepRecord("machine", key, props.into(record as Fields, learnt));
      return told;
    },
    onSuccess: (told) => {
      props.onChanges(told.changes);
      void client.invalidateQueries({ queryKey: ["library"] });
      say(props.said(told));
    },
  });
  const refused = learn.error
    ? learn.error instanceof Refusal
      ? `${learn.error.message} ${learn.error.whatToDo}`
      : "Nothing was kept. Try again."
    : "";
  return { learn: learn.mutate, pending: learn.isPending, refused };
}
