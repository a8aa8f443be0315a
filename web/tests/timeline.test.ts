import { describe, expect, it } from "vitest";
import {
  clockAt,
  flags,
  hoursAt,
  indexAt,
  momentScale,
  path,
  seen,
  onTheClock,
  short,
  x,
  type Frame,
} from "../src/views/Outage/timeline";
import type { Told } from "../src/views/Outage/useOutage";

const frame: Frame = { left: 100, right: 500, from: 0, to: 40 };
const told = (more: object) =>
  ({
    start: "2026-03-28T22:00",
    ticks: [],
    simulation: { devices: {}, events: [] },
    ...more,
  }) as unknown as Told;

describe("the timeline", () => {
  it("turns hours to pixels and back", () => {
    expect(x(frame, 10)).toBe(200);
    expect(hoursAt(frame, 200)).toBe(10);
    expect(hoursAt(frame, 20)).toBe(0);
    expect(seen(frame, -5, 10)).toEqual({ x: 100, width: 100 });
    expect(seen(frame, 41, 50)).toBeUndefined();
  });
  it("finds the moment before a time", () => {
    expect(indexAt([0, 1, 2, 3], 1.7)).toBe(1);
    expect(indexAt([0, 1, 2, 3], 9)).toBe(3);
    expect(indexAt([], 9)).toBe(0);
  });
  it("says hours in few words", () => {
    expect([short(0.5), short(2), short(10.84), short(41.3)]).toEqual(["30 min", "2 h", "10 h 50", "41 h"]);
    expect([0, 70, 140, 119.6, 420].map(onTheClock)).toEqual([
      "0 s",
      "70 s",
      "2:20 min",
      "2:00 min",
      "7:00 min",
    ]);
    // What has begun is not counted yet.
    expect([short(0.999), short(1.995), short(23.99)]).toEqual(["59 min", "1 h 59", "23 h"]);
  });
  it("reads the clock as the server has put it on", () => {
    expect(clockAt(told({}), 8)).toBe("Sun 06:00");
    // In that night the clock goes forward: the even hours of the server say so.
    expect(clockAt(told({ ticks: [{ at_h: 7, of_day_h: 6, label: "06:00" }] }), 8)).toBe("Sun 07:00");
  });
  it("keeps the words of events apart, and leaves out what has no room", () => {
    const event = (at_h: number, item: string) => ({ at_h, what: "floor", item });
    const found = flags(
      told({
        simulation: {
          devices: {},
          events: [event(1, "a"), event(1.1, "b"), event(1.2, "c"), event(39.9, "d")],
        },
      }),
      frame,
      (id) => `Store ${id}`,
      2,
    );
    expect(found.map((it) => [it.words, it.row, it.anchor])).toEqual([
      ["Store a at its floor", 0, "start"],
      ["Store b at its floor", 1, "start"],
      ["Store d at its floor", 0, "end"],
    ]);
  });
  it("draws only what is seen", () => {
    expect(path({ ...frame, from: 10, to: 20 }, [0, 5, 12, 30, 40], [0, 1, 2, 3, 4], (it) => it)).toBe(
      "M-100.0 1.0L180.0 2.0L900.0 3.0",
    );
  });
  it("has milliseconds and minutes on one axis", () => {
    const scale = momentScale(1000);
    expect(scale(0)).toBe(0);
    expect(scale(50)).toBeCloseTo(225);
    expect(scale(100)).toBeCloseTo(450);
    expect(scale(600_000)).toBeCloseTo(1000);
    expect(scale(1000)).toBeGreaterThan(scale(100));
  });
});
