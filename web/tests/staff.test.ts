import { describe, expect, it } from "vitest";
import type { Board, Window, Working } from "../src/api/client";
import { lyingLimit, lyingWindow, strainOf, tideWords, windowWords } from "../src/components/staff";
import { workingText } from "../src/components/workingText";
import { csv } from "../src/format/save";
import { lossesOf } from "../src/views/Chains/losses";
import { isMeant } from "../src/views/Chains/useSpot";

const mark = (moment: string, value: number) => ({ moment, value, status: "holds" as const });
const board = (marks: [string, number][]): Board => ({
  code: "port-limit",
  where: "station/socket",
  name: "12 V socket",
  unit: "A",
  limit: 10,
  overload: [
    { up_to: 11, for_s: 3 },
    { up_to: 14, for_s: null },
  ],
  marks: marks.map(([moment, value]) => mark(moment, value)),
  status: "holds",
});
const window = (low: number | null, high: number | null, marks: [string, number][]): Window => ({
  code: "device-voltage",
  where: "camera",
  name: "Camera",
  low,
  high,
  marks: marks.map(([moment, value]) => mark(moment, value)),
  status: "holds",
});

describe("a staff that lies down", () => {
  it("shows 0 to 150 % of its limit, and keeps what lies beyond at its end", () => {
    const lying = lyingLimit(
      board([
        ["running", 5],
        ["busy", 10],
        ["starting camera", 99],
      ]),
      300,
    );
    expect([lying.from, lying.to]).toEqual([0, 200]);
    expect(lying.tides.map((it) => [it.word, it.x])).toEqual([
      ["run", 100],
      ["busy", 200],
      ["start", 300],
    ]);
    expect(lying.overloads.map((it) => it.words)).toEqual(["11 A for 3 s", "14 A for nobody knows how long"]);
    expect(strainOf(board([["running", 5]]))).toBe(0.5);
  });

  it("shows a window with a third of it on either side, and the lowest of each moment", () => {
    const lying = lyingWindow(
      window(10, 16, [
        ["running", 13],
        ["starting a", 12],
        ["starting b", 11],
      ]),
      300,
    );
    expect(lying.from).toBeCloseTo(60, 9);
    expect(lying.to).toBeCloseTo(240, 9);
    expect(tideWords(lying.tides, "V")).toBe("run 13, start 11 V");
  });

  it("names what is above a window rather than what is not", () => {
    const lying = lyingWindow(
      window(10, 14, [
        ["running", 19],
        ["busy", 13],
      ]),
      300,
    );
    expect(tideWords(lying.tides, "V")).toBe("run 19 V");
    expect(lying.tides[0]?.x).toBe(300);
  });

  it("leaves a side open that is not stated, and is dark without marks", () => {
    expect(lyingWindow(window(10, null, []), 300).to).toBe(300);
    expect(lyingWindow(window(null, 14, []), 300).from).toBe(0);
    expect(windowWords(window(10, null, []))).toBe("takes 10 V at least");
    expect(windowWords(window(10.8, 14.5, []))).toBe("takes 10.8 to 14.5 V");
    expect(tideWords([], "V")).toBe("dark");
  });
});

describe("what goes out", () => {
  it("quotes what CSV has to, and nothing else", () => {
    expect(
      csv([
        ["a", 1.5, null],
        ['say "no", please', "two\nlines", undefined],
      ]),
    ).toBe('a,1.5,\r\n"say ""no"", please","two\nlines",\r\n');
  });

  it("writes a working as lines", () => {
    const term = { basis: "label" as const, note: "from its plate", plus_minus: 0.2, see: null, unit: "W" };
    const working = {
      name: "lost",
      words: "drawn × hours",
      terms: [{ ...term, name: "drawn", value: 6.2 }],
      result: { ...term, name: "lost", value: 12.4, basis: null, plus_minus: null, note: null },
      surer: "measure it",
    } as unknown as Working;
    const text = workingText(working).split("\n");
    expect(text[0]).toBe("lost: 12.40 W");
    expect(text[2]).toBe("  drawn: 6.2 W ± 0.2 (label; from its plate)");
    expect(text[3]).toBe("To be surer: measure it");
  });

  it("tells losses by what they come with, and leaves out what nobody could read", () => {
    const found = lossesOf("converters.x", {
      loss_idle_w: 0.9,
      loss_proportional_w: 2.5,
      loss_quadratic_w: 0.001,
    });
    expect(found.map((it) => it.key)).toEqual([
      "converters.x.loss_idle_w",
      "converters.x.loss_proportional_w",
    ]);
  });

  it("finds an item by its port and a port by its item", () => {
    expect(isMeant("station", "station/socket")).toBe(true);
    expect(isMeant("station/socket", "station")).toBe(true);
    expect(isMeant("station", "station-2")).toBe(false);
  });
});
