import { describe, expect, it } from "vitest";
import { withValue } from "./useLearning";

describe("what a trial taught", () => {
  it("goes where it belongs in the machine's record, and nothing beside it changes", () => {
    const record = {
      key: "m",
      head: { kind: "a laser", turner: { kind: "rollers", correction: 1, widest: 120 } },
    };
    const next = withValue(record, ["head", "turner", "correction"], 1.02);
    expect(next).toEqual({
      key: "m",
      head: { kind: "a laser", turner: { kind: "rollers", correction: 1.02, widest: 120 } },
    });
    expect(record.head.turner.correction).toBe(1);
    expect(withValue(next, ["port"], 5000)).toMatchObject({ port: 5000, head: next.head });
  });
});
