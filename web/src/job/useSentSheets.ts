import { useEffect, useMemo, useState } from "react";
import type { Change, Work } from "../api/client";
import { type Copy, handled, keysOf } from "./copies";
import type { Placed, Sheet, Ticket } from "./ticket";

/**
 * The ticket with the sheets that were sent to be kept: an edit is seen and built upon before the service has answered.
 * ``keeping``: it has not answered all of them yet.
 */
export function useSentSheets(
  kept: Ticket | undefined,
  work: Work | undefined,
  keeping: boolean,
  onChanges: (changes: Change[]) => void,
) {
  const [sent, setSent] = useState<ReadonlyMap<string, Sheet>>(new Map());
  // biome-ignore lint/correctness/useExhaustiveDependencies: an answer brings a ticket, a refusal none
  useEffect(() => {
    if (!keeping) setSent(new Map());
  }, [keeping, kept]);
  const ticket = useMemo(
    () => kept && { ...kept, sheets: kept.sheets.map((sheet) => sent.get(sheet.id) ?? sheet) },
    [kept, sent],
  );

  /** Keep some copies as an edit leaves them; the others as they are. */
  const keep = (edit: (one: Placed, copy: Copy) => Placed | null, which: readonly Copy[]) => {
    if (!ticket || !work) return;
    const byKey = new Map(which.map((copy) => [copy.key, copy]));
    const next = new Map(sent);
    const changes = ticket.sheets.flatMap((sheet) => {
      const laid = work.sheets[sheet.id];
      if (!laid || !which.some((copy) => copy.sheet === sheet.id)) return [];
      return handled(sheet, laid, (placed) => {
        const keys = keysOf(sheet, placed);
        const edited = placed.flatMap((one, k) => {
          const copy = byKey.get(keys[k] ?? "");
          const made = copy ? edit(one, copy) : one;
          return made ? [made] : [];
        });
        next.set(sheet.id, { ...sheet, arrangement: "as placed", placed: edited });
        return edited;
      });
    });
    if (!changes.length) return;
    setSent(next);
    onChanges(changes);
  };
  return { ticket, keep };
}
