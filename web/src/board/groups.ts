import type { BoardOrder, Card } from "../api/client";

/** Ways to order the board, in words. */
export const ORDERS: readonly { key: BoardOrder; words: string }[] = [
  { key: "due", words: "by day" },
  { key: "client", words: "by client" },
  { key: "waiting", words: "by what they wait for" },
];

const DAY = 24 * 3600 * 1000;
const NEXT: Readonly<Record<string, string>> = {
  printed: "To print",
  cut: "To cut",
  weeded: "To weed",
  pressed: "To press",
  delivered: "To deliver",
};

/** Cards that follow each other under one heading. */
export interface Group {
  readonly title: string;
  readonly cards: readonly Card[];
}

/** Cards as the service orders them, under the headings of that order. today: as 2026-11-30. */
export function grouped(cards: readonly Card[], order: BoardOrder, today: string): Group[] {
  const found: { title: string; cards: Card[] }[] = [];
  for (const card of cards) {
    const title = titleOf(card, order, today);
    const last = found.at(-1);
    if (last?.title === title) last.cards.push(card);
    else found.push({ title, cards: [card] });
  }
  return found;
}

function titleOf(card: Card, order: BoardOrder, today: string): string {
  if (order === "client") return card.client || "No client yet";
  if (order === "waiting") return waitingWords(card.waits);
  if (!card.due) return "No date";
  const days = Math.round((Date.parse(card.due) - Date.parse(today)) / DAY);
  if (days < 0) return "Overdue";
  if (days === 0) return "Due today";
  if (days === 1) return "Due tomorrow";
  return days < 7 ? "Due this week" : "Later";
}

/** What a job waits for: “blocked lines”, “look artwork”, “step printed” behind its rank. */
function waitingWords(waits: string): string {
  const [, kind = "", what = ""] = waits.split(" ");
  const station = what.charAt(0).toUpperCase() + what.slice(1);
  if (kind === "blocked") return `Blocked at ${station}`;
  if (kind === "look") return `To be looked at: ${station}`;
  if (kind === "step") return NEXT[what] ?? station;
  return kind === "done" ? "Done" : "Being looked at";
}
