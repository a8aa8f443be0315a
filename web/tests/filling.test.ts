import { describe, expect, it } from "vitest";
import type { Arrangement, Feed, Plan } from "../src/api/client";
import { bands, settings, wiredWith, type WayIn } from "../src/views/Outage/filling";

const way = (over: Partial<WayIn>): WayIn => ({
  input: "station/wall",
  label: "Mains",
  chain: ["mains"],
  watts: 100,
  amps: 1,
  volts: 230,
  band: null,
  mode: null,
  limited_by: "its wall input: 100 W",
  limits: [],
  input_wh: 100,
  taken_wh: 110,
  ...over,
});

describe("ways in", () => {
  it("stand on one scale, with what is lost on the way", () => {
    const [one, two] = bands(
      [way({}), way({ input: "station/dc", watts: 50, input_wh: 50, taken_wh: 50 })],
      44,
      20,
    );
    expect(one?.takenW).toBeCloseTo(110);
    expect([one?.taken, one?.arrives]).toEqual([44, 40]);
    expect(two?.arrives).toBeCloseTo((50 / 110) * 44);
    expect(two?.top).toBe(64);
  });

  it("that bring nothing have no height, and those that bring little can be seen", () => {
    const [none, little] = bands(
      [way({ watts: 0, input_wh: 0, taken_wh: 0 }), way({ watts: 0.5, taken_wh: 100 })],
      44,
      20,
    );
    expect([none?.taken, little?.arrives]).toEqual([0, 22]);
    expect(bands([way({}), way({ watts: 0.5, taken_wh: 100 })], 44, 20)[1]?.arrives).toBe(2);
  });

  it("offer the modes of inputs, and of vehicles that can go faster", () => {
    const source = (id: string, more: object) => ({ id, label: id, kind: "vehicle", ports: [], ...more });
    const inputs = [{ id: "wall", kind: "mains", modes: [{ id: "quiet", label: "Quiet", max_w: 60 }] }];
    const plan = {
      kit: {
        devices: [],
        converters: [],
        sources: [
          source("station", { inputs }),
          source("van", { alternator: { idle_a: 70, full_a: 140 } }),
          source("car", { alternator: { idle_a: 70, full_a: 140 } }),
        ],
      },
    } as unknown as Plan;
    const ways = [way({ mode: "quiet" }), way({ input: "station/dc", chain: ["van", "step-up"] })];
    const found = settings(plan, "station", ways);
    expect(found.map((it) => [it.place, it.now])).toEqual([
      ["station/wall", "quiet"],
      ["van", "idle"],
    ]);
    expect(found[0]?.choices.map((it) => it[1])).toEqual(["as it is", "Quiet"]);
  });

  it("are put in behind what is there", () => {
    const feed = (to: string): Feed => ({ from: { item: "van", port: "socket" }, to });
    const before = { id: "a", label: "A", feeds: [feed("lamp")] } as Arrangement;
    const after = wiredWith(before, [feed("step-up"), feed("station/dc")]);
    expect(after.feeds.map((it) => it.to)).toEqual(["lamp", "step-up", "station/dc"]);
    expect(before.feeds).toHaveLength(1);
  });
});
