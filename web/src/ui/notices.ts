import { create } from "zustand";
import { Refusal } from "../api/client";

export interface Notice {
  readonly id: number;
  readonly message: string;
  readonly whatToDo: string;
}

interface Notices {
  notices: readonly Notice[];
  say: (message: string, whatToDo?: string) => void;
  dismiss: (id: number) => void;
}

let last = 0;
const SHOWN_AT_ONCE = 2;

/** Sentences for the operator that belong to no place on the ticket. */
export const useNotices = create<Notices>((set) => ({
  notices: [],
  say: (message, whatToDo = "") =>
    set(({ notices }) => {
      last += 1;
      const others = notices.filter((notice) => notice.message !== message);
      return { notices: [...others, { id: last, message, whatToDo }].slice(-SHOWN_AT_ONCE) };
    }),
  dismiss: (id) => set(({ notices }) => ({ notices: notices.filter((notice) => notice.id !== id) })),
}));

/** Tell what went wrong with a call, in the service's own words. */
export function tell(error: unknown): void {
  if (error instanceof Refusal) useNotices.getState().say(error.message, error.whatToDo);
  else throw error;
}

/** The same for one of several files. */
export function tellOf(file: string, error: unknown): void {
  if (error instanceof Refusal) useNotices.getState().say(`“${file}”: ${error.message}`, error.whatToDo);
  else throw error;
}
