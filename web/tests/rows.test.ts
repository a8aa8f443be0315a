import { describe, expect, it } from "vitest";
import { filled, left, readRow } from "../src/views/Bench/rows";

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

describe("what the meters show fills a row", () => {
  const column = (name: string, unit: string, digits = 2) => ({ name, unit, digits });
  const live = [
    { name: "volts in", side: "in", unit: "V", value: 12.614 },
    { name: "amperes in", side: "in", unit: "A", value: 0.4879 },
    { name: "volts out", side: "out", unit: "V", value: 229.8 },
    { name: "amperes out", side: "out", unit: "A", value: null },
    { name: "at its terminals", side: "store", unit: "V", value: 13.1 },
    { name: "charge", side: "store", unit: "%", value: 87.4 },
    { name: "its clock", side: "store", unit: "h", value: 9.25 },
    { name: "temperature", side: "store", unit: "°C", value: 12 },
  ];
  it("takes each column by its unit and its side, and stops at what no meter shows", () => {
    const columns = [column("volts in", "V"), column("amperes in", "A", 3), column("volts out", "V")];
    expect(filled("", columns, live, undefined)).toEqual({ text: "12.61  0.488  229.80 ", filled: 3 });
    const four = [...columns, column("amperes out", "A")];
    expect(filled("", four, live, undefined).filled).toBe(3);
    expect(filled("12.5 ", columns, live, undefined).text).toBe("12.5  0.488  229.80 ");
  });
  it("leaves the end of a run until it is over, and counts the hours from its start", () => {
    const run = [
      column("way, 1 or 2", "", 0),
      column("at the start", "%", 0),
      column("at the end", "%", 0),
      column("hours", "h"),
    ];
    expect(filled("1", run, live, undefined)).toEqual({ text: "1  87.4 ", filled: 1 });
    expect(filled("1 100", run, live, 1.2)).toEqual({ text: "1  100  87.4  8.05 ", filled: 2 });
    expect(filled("", run, live, undefined).filled).toBe(0);
  });
  it("takes no battery's temperature for that of a case", () => {
    expect(filled("", [column("case", "°C", 1)], live, undefined).filled).toBe(0);
    expect(filled("", [column("battery", "°C", 0)], live, undefined).text).toBe("12 ");
  });
});
