import { describe, expect, it } from "vitest";
import type { Board } from "../src/api/client";
import type { Chain, Reach, Weir } from "../src/views/Chains/chain";
import { joinMarks } from "../src/components/gauge";
import { barWatts, commonScale, heightOf, layFall } from "../src/views/Chains/layout";

const board = { limit: 1, marks: [], overload: [], status: "holds" } as unknown as Board;

function reach(nearW: number, lossW: number, dropShare: number): Reach {
  const feed = { from: { item: "bank", port: "studs" }, to: "x" };
  const volts = { nearV: 13, farV: 13 * (1 - dropShare), dropV: 13 * dropShare, dropShare };
  const key = { kind: "reach" as const, to: `to-${nearW}-${lossW}`, feed: feed as Reach["feed"] };
  return { ...key, ...volts, nearW, lossW, farW: nearW - lossW, collapsed: false, board: undefined };
}

function weir(inW: number, idleW: number, loadW: number): Weir {
  return {
    kind: "weir",
    id: `w${inW}`,
    label: "box",
    inW,
    outW: inW - idleW - loadW,
    losses: [
      { kind: "idle" as const, watts: idleW, key: "idle" },
      { kind: "load" as const, watts: loadW, key: "load" },
    ].filter((it) => it.watts > 0),
    board,
    on: undefined,
  };
}

function chain(stages: (Reach | Weir)[], drawnW: number): Chain {
  const source = { id: "bank", label: "Bank", note: "", soc: 0.6, floor: 0.1 };
  return { way: {} as Chain["way"], source, device: { id: "cam", label: "Camera" }, stages, drawnW };
}

const direct = chain([reach(6.3, 0.1, 0.02)], 6.3);
const long = chain(
  [
    reach(16, 0.1, 0.001),
    weir(15.9, 7.9, 0.5),
    reach(7.5, 0.1, 0.001),
    weir(7.4, 0.4, 0.8),
    reach(6.2, 0, 0.004),
  ],
  16,
);

describe("a fall", () => {
  it("fits the width that it is given, stages end to end", () => {
    for (const width of [300, 358, 972, 1500]) {
      const fall = layFall(long, width, 8);
      const places = [...fall.reaches, ...fall.weirs].sort((a, b) => a.from.x - b.from.x);
      expect(places[0]?.from.x).toBe(fall.basin.width);
      places.slice(1).forEach((place, index) => expect(place.from).toEqual(places[index]?.to));
    }
    expect(layFall(long, 972, 8).end.x).toBeCloseTo(972);
  });

  it("draws watts as height, on the scale given", () => {
    const fall = layFall(long, 972, 8);
    expect(fall.reaches[0]?.heights[0]).toBeCloseTo(16 * 8);
    expect(fall.endHeight).toBeCloseTo(6.2 * 8);
    const idle = fall.slots.find((it) => it.kind === "idle");
    expect(idle?.width).toBeCloseTo(7.9 * 8);
  });

  it("never lets the water rise, and keeps slots inside the ground", () => {
    const fall = layFall(long, 972, 8);
    for (const place of [...fall.reaches, ...fall.weirs])
      expect(place.to.y).toBeGreaterThanOrEqual(place.from.y);
    for (const slot of fall.slots) {
      expect(slot.height).toBeGreaterThan(0);
      expect(slot.label.y + 16).toBeLessThanOrEqual(fall.height);
    }
  });

  it("stays where it is when a figure changes a little", () => {
    const before = layFall(long, 972, 8);
    const other = chain([...long.stages], 16.2);
    const after = layFall(other, 972, 8);
    expect(after.weirs.map((it) => it.from.x)).toEqual(before.weirs.map((it) => it.from.x));
  });
});

describe("the common scale", () => {
  it("is the largest of its steps that fits", () => {
    const scale = commonScale([direct, long], 586);
    const total = heightOf(direct, scale) + heightOf(long, scale);
    expect(total).toBeLessThanOrEqual(586);
    expect(heightOf(direct, scale * 1.7) + heightOf(long, scale * 1.7)).toBeGreaterThan(586);
  });

  it("still answers for loads that are enormous or nothing", () => {
    expect(commonScale([chain([reach(1e6, 0, 0)], 1e6)], 500)).toBeGreaterThan(0);
    expect(Number.isFinite(commonScale([chain([], 0)], 500))).toBe(true);
  });

  it("has a bar of a round number of watts", () => {
    expect(barWatts(8)).toBe(5);
    expect(barWatts(0.1)).toBe(500);
  });
});

describe("marks that are near", () => {
  it("are joined, and others are not", () => {
    const marks = [{ y: 10 }, { y: 40 }, { y: 14 }, { y: 44 }];
    expect(joinMarks(marks, 11).map((it) => it.marks.length)).toEqual([2, 2]);
    expect(joinMarks(marks, 2)).toHaveLength(4);
  });
});
