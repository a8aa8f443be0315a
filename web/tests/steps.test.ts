import { describe, expect, it } from "vitest";
import type { Schemas } from "../src/api/client";
import { inYears } from "../src/format/years";
import { stepsOf } from "../src/views/Shelf/steps";

const candidate = (item: string, spent: [number, number][]) =>
  ({
    item,
    label: item,
    spent: spent.map(([year, money]) => ({ year, spent: money })),
  }) as Schemas["Candidate"];

describe("money over the years", () => {
  it("runs from now to the last year, the dearest at the top", () => {
    const steps = stepsOf(
      [
        candidate("box", [
          [0, 400],
          [10, 400],
        ]),
        candidate("bank", [
          [0, 200],
          [10, 300],
        ]),
      ],
      10,
      100,
      50,
    );
    expect(steps.lines.map((it) => it.item)).toEqual(["box", "bank"]);
    expect(steps.lines[0]?.endY).toBe(0);
    expect(steps.lines[1]?.endY).toBeCloseTo(12.5);
    expect(steps.lines.every((it) => it.endX === 100)).toBe(true);
  });
  it("sets names apart that would stand on each other, and keeps them above the ground", () => {
    const same = ["a", "b", "c"].map((item) =>
      candidate(item, [
        [0, 1],
        [10, 1 + 0.001 * item.charCodeAt(0)],
      ]),
    );
    const low = [
      ...same,
      candidate("dear", [
        [0, 5000],
        [10, 5000],
      ]),
    ];
    const found = stepsOf(low, 10, 100, 60).lines.map((it) => it.labelY);
    found.slice(1).forEach((y, at) => expect(y - (found[at] ?? 0)).toBeGreaterThanOrEqual(15.99));
    expect(Math.max(...found)).toBeLessThanOrEqual(60);
  });
  it("leaves out what nobody priced", () => {
    expect(stepsOf([candidate("secret", [])], 10, 100, 50).lines).toEqual([]);
  });
  it("tells years to the digits that they deserve", () => {
    expect([0.04, 0.5, 1, 3.84, 12.4].map(inYears)).toEqual([
      "1 month",
      "6 months",
      "1 year",
      "3.8 years",
      "12 years",
    ]);
  });
});
