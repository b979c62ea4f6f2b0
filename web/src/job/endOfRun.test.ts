import { expect, it } from "vitest";
import { endOfRun } from "./endOfRun";

it("says when a run is done and whether the day is long enough", () => {
  const now = new Date(2026, 10, 27, 16, 50);
  expect(endOfRun(25, "17:30", now)).toBe("Begun now, it is done at 17:15; the day ends at 17:30.");
  expect(endOfRun(61, "17:30", now)).toContain("done at 17:51, 21 minutes after the day ends at 17:30");
  expect(endOfRun(5, "", now)).toBe("Begun now, it is done at 16:55.");
});
