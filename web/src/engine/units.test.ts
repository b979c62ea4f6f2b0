import { describe, expect, it } from "vitest";
import { formatLength, formatShare, formatSize, parseCount, parseLength, parseShare } from "./units";

describe("lengths", () => {
  it.each([
    ["2", 2],
    ["2mm", 2],
    ["2,5 mm", 2.5],
    ["0.08in", 2.032],
    ['1/16"', 1.5875],
    ["1 1/2 in", 38.1],
    ["-3", -3],
    ["72pt", 25.4],
  ])("reads %s", (text, mm) => {
    expect(parseLength(text, "mm")).toBeCloseTo(mm, 6);
  });

  it("takes a bare number in the shown unit", () => {
    expect(parseLength("2", "in")).toBeCloseTo(50.8, 9);
  });

  it.each(["", "two", "2 furlongs", "1/0", "2 3", "--2", "1e9mm", "NaN"])("refuses %s", (text) => {
    expect(parseLength(text, "mm")).toBeNull();
  });

  it("says what it reads", () => {
    for (const mm of [2, 0.25, 101.6, 3.175, -4.5]) {
      expect(parseLength(formatLength(mm, "mm"), "mm")).toBeCloseTo(mm, 3);
      expect(parseLength(formatLength(mm, "in"), "in")).toBeCloseTo(mm, 1);
    }
    expect(formatLength(2, "mm")).toBe("2.0 mm");
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
