import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Change, type Fields, Refusal } from "../api/client";
import { useNotices } from "../ui/notices";
import type { Sheet } from "./ticket";

/** Keeps what a trial taught of a sheet's machine: in the job, and in the machine's record where the shop has it. */
export function useLearning<Reading, Told extends { changes: Change[] }>(props: {
  sheet: Sheet;
  ask: (reading: Reading) => Promise<Told>;
  onChanges: (changes: Change[]) => void;
  said: (told: Told) => string;
}) {
  const client = useQueryClient();
  const say = useNotices((notices) => notices.say);
  const { id, machine } = props.sheet;
  const learn = useMutation({
    mutationFn: async (reading: Reading) => {
      const told = await props.ask(reading);
      const library = await api.library();
      const record = library.machines.find((one) => one.key === machine.key);
      const here = `sheets/${id}/machine/`;
      const learnt = told.changes.filter(({ path }) => path.startsWith(here));
      const next = learnt.reduce(
        (value, { path, value: to }) => withValue(value, path.slice(here.length).split("/"), to),
        record as Fields,
      );
      if (record) await api.keepRecord("machine", machine.key, next);
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

/** A record with another value at a place in it. */
export function withValue(record: Fields, [name = "", ...below]: readonly string[], to: unknown): Fields {
  return { ...record, [name]: below.length > 0 ? withValue(record[name] as Fields, below, to) : to };
}
