import { describe, expect, it } from "vitest";
import table from "../../../core/tests/geometry/lengths.json";
import {
  figureInUnit,
  formatLength,
  formatShare,
  formatSize,
  inUnit,
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

describe("words told in mm", () => {
  it.each([
    [
      "A gap of the kiss cut is 0.30 mm wide: its waste tears.",
      "A gap of the kiss cut is 0.0118 in wide: its waste tears.",
    ],
    ["5 gaps are 0.12 to 0.40 mm wide", "5 gaps are 0.0047 to 0.0157 in wide"],
    ["230.0 × 90.0 mm, on birch plywood 3 mm", "9.06 × 3.54 in, on birch plywood 0.118 in"],
    ["shifted by 1.08 and -0.44 mm", "shifted by 0.043 and -0.0173 in"],
    ["120 up, 506 mm", "120 up, 19.92 in"],
    ["This takes 1.52 m; 23 m are left", "This takes 59.84 in; 905.51 in are left"],
    ["36 mm² are filled", "0.056 in² are filled"],
    ["1 min to burn, 12 mmHg, 5 men", "1 min to burn, 12 mmHg, 5 men"],
  ])("%s", (told, said) => {
    expect(inUnit(told, "in")).toBe(said);
    expect(inUnit(told, "mm")).toBe(told);
  });

  it("takes the unit of a figure from its label", () => {
    expect(figureInUnit("488.5 × 367.2", "mm, the piece", "in")).toEqual({
      value: "19.23 × 14.46",
      label: "in, the piece",
    });
    expect(figureInUnit("56", "nodes", "in")).toEqual({ value: "56", label: "nodes" });
    expect(figureInUnit("0.023 mm", "worst deviation", "in").value).toBe("0.0009 in");
    expect(figureInUnit("38.1, 12.7", "balance point, mm", "in")).toEqual({
      value: "1.5, 0.5",
      label: "balance point, in",
    });
  });
});
