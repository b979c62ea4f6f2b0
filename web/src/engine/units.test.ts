import { describe, expect, it } from "vitest";
import table from "../../../core/tests/geometry/lengths.json";
import {
  formatLength,
  formatShare,
  formatSize,
  parseCount,
  parseLength,
  parseShare,
  type Unit,
} from "./units";

describe("lengths", () => {
  it.each(table.read as [string, Unit, number | null][])(
    "reads %s in %s as the core does",
    (text, unit, mm) => {
      const read = parseLength(text, unit);
      if (mm === null) expect(read).toBeNull();
      else expect(read).toBeCloseTo(mm, 9);
    },
  );

  it.each(table.said as [number, string][])("says %d as the core does", (mm, said) => {
    expect(formatLength(mm, "mm")).toBe(said);
  });

  it("says what it reads", () => {
    for (const mm of [2, 0.25, 101.6, 3.175, -4.5]) {
      expect(parseLength(formatLength(mm, "mm"), "mm")).toBeCloseTo(mm, 3);
      expect(parseLength(formatLength(mm, "in"), "in")).toBeCloseTo(mm, 1);
    }
    expect(formatSize(72.4871, "mm")).toBe("72.5 mm");
  });
});

describe("shares and counts", () => {
  it("reads per cent and fractions", () => {
    expect(parseShare("48 %")).toBeCloseTo(0.48);
    expect(parseShare("48")).toBeCloseTo(0.48);
    expect(parseShare("0.48")).toBeCloseTo(0.48);
    expect(parseShare("half")).toBeNull();
    expect(formatShare(0.125)).toBe("12.5 %");
  });

  it("reads whole numbers with any thousands mark", () => {
    expect(parseCount("1 200")).toBe(1200);
    expect(parseCount("1.200")).toBe(1200);
    expect(parseCount("-3")).toBeNull();
    expect(parseCount("many")).toBeNull();
  });
});
