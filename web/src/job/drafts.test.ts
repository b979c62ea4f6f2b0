import { describe, expect, it } from "vitest";
import type { Work } from "../api/client";
import { drafted } from "./drafts";

const work = (more: object) => ({ layers: {}, sheets: {}, stations: [], ...more }) as unknown as Work;

describe("the work of a draft", () => {
  it("leaves what lies behind the station that is looked at as it is kept", () => {
    const kept = work({
      layers: { l1: "kept", l2: "kept" },
      sheets: { s1: "kept" },
      stations: [
        { key: "lines", state: "fine" },
        { key: "sheet", state: "fine" },
      ],
    });
    const made = drafted(
      work({ layers: { l1: "drafted" }, stations: [{ key: "lines", state: "blocked" }] }),
      kept,
    );
    expect(made).toMatchObject({ layers: { l1: "drafted", l2: "kept" }, sheets: { s1: "kept" } });
    expect(made.stations.map(({ key, state }) => [key, state])).toEqual([
      ["lines", "blocked"],
      ["sheet", "fine"],
    ]);
  });

  it("is all there is before anything is kept", () => {
    const draft = work({ stations: [{ key: "lines" }] });
    expect(drafted(draft, undefined)).toBe(draft);
  });
});
