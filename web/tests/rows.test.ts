import { describe, expect, it } from "vitest";
import { left, readRow } from "../src/views/Bench/rows";

const columns = [{ name: "volts in" }, { name: "amperes in" }];

describe("a row of readings", () => {
  it("is read with blanks, semicolons or tabs between, and either decimal mark", () => {
    for (const text of ["12.5 0.49", "12,5 0,49", " 12.5;0.49 ", "12.5\t 0.49", "12.5 ; 0.49"])
      expect(readRow(text, columns)).toEqual([12.5, 0.49]);
    expect(readRow("-12.5 0", columns)).toEqual([-12.5, 0]);
  });

  it("says how many numbers it needs, and which one is none", () => {
    expect(readRow("12.5", columns)).toBe("1 numbers; a row has 2: volts in, amperes in.");
    expect(readRow("12.5 lots", columns)).toBe("“lots” is no number for amperes in.");
    expect(readRow("", columns)).toContain("0 numbers");
  });
});

describe("a wait", () => {
  it("runs from when it began, whatever happened between, and never below nothing", () => {
    expect(left(undefined, 120, 5_000_000)).toBe(120);
    expect(left(5_000_000, 120, 5_030_400)).toBe(90);
    expect(left(5_000_000, 120, 9_000_000)).toBe(0);
  });
});
