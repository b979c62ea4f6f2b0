import { describe, expect, it } from "vitest";
import type { Card } from "../api/client";
import { grouped } from "./groups";

const card = (more: Partial<Card>) => ({ client: "", due: null, waits: "", ...more }) as Card;
const titles = (cards: Card[], order: "due" | "client" | "waiting") =>
  grouped(cards, order, "2026-11-30").map(({ title, cards }) => [title, cards.length]);

describe("the board", () => {
  it("names days from today, and says what is overdue", () => {
    const dues = ["2026-11-29", "2026-11-30", "2026-12-01", "2026-12-02", "2026-12-06", "2026-12-07", null];
    expect(
      titles(
        dues.map((due) => card({ due })),
        "due",
      ),
    ).toEqual([
      ["Overdue", 1],
      ["Due today", 1],
      ["Due tomorrow", 1],
      ["Due this week", 2],
      ["Later", 1],
      ["No date", 1],
    ]);
  });

  it("keeps the jobs of a client together, and those that wait for the same", () => {
    expect(titles([card({}), card({ client: "Hive" }), card({ client: "Hive" })], "client")).toEqual([
      ["No client yet", 1],
      ["Hive", 2],
    ]);
    const waits = ["1 blocked lines", "2 look artwork", "3 step printed", "9 done", ""];
    expect(
      titles(
        waits.map((one) => card({ waits: one })),
        "waiting",
      ).map(([title]) => title),
    ).toEqual(["Blocked at Lines", "To be looked at: Artwork", "To print", "Done", "Being looked at"]);
  });
});
