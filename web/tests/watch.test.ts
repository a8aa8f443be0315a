import { describe, expect, it } from "vitest";
import { READY, ringing } from "../src/views/Watch/alarm";
import { shape, storeOf } from "../src/views/Watch/picture";
import type { Told } from "../src/views/Watch/useWatch";

const until = (p50: number) => ({ until_h: { p5: p50 - 0.5, p50, p95: p50 + 0.5 }, chance_of_outage: 0 });
const course = (end: number) => ({
  middle: [
    [0, 0.9],
    [end, 0.1],
    [20, 0.1],
  ],
  band: [
    [2, 0.5, 0.6],
    [end, 0.1, 0.2],
  ],
  floor: 0.1,
});
function told(change: Partial<Told> = {}): Told {
  return {
    open: true,
    at_h: 2,
    mains_back: false,
    headline: { device: "router", store: "", text: "Router until 04:40", left: "", why: "" },
    devices: [{ id: "pump", label: "Pump", state: "dropped", until: "" }],
    stores: [
      { id: "cabin", label: "Cabin bank", trouble: null },
      { id: "house", label: "House bank", trouble: null },
    ],
    deadlines: [],
    entries: [],
    estimate: {
      devices: { router: until(9) },
      deadlines: [],
      courses: { cabin: course(12), house: course(8) },
    },
    ...change,
  } as unknown as Told;
}

describe("what rings", () => {
  it("rings for little time left, and no longer once the mains is back", () => {
    expect(ringing(told(), READY)).toEqual([]);
    const late = told({ at_h: 8.5 });
    expect(ringing(late, READY).map((it) => it.text)).toEqual(["Router until 04:40."]);
    expect(ringing(late, { ...READY, left: undefined })).toEqual([]);
    expect(ringing({ ...late, mains_back: true }, READY).map((it) => it.key)).toEqual(["back"]);
    expect(ringing({ ...late, open: false }, READY)).toEqual([]);
  });
  it("rings before a deadline, for a silent meter and for what was noticed", () => {
    const deadline = { device: "pump", since_h: 1.6, harm_h: 2.1, consequence: "", inspect: true };
    const it2 = told();
    it2.estimate.deadlines = [deadline];
    it2.deadlines = [{ device: "pump", share: 0.8, text: "the filter dies at 22:45" }];
    expect(ringing(it2, READY)[0]?.text).toBe("Pump: the filter dies at 22:45.");
    expect(ringing(it2, { ...READY, deadline: 2 })).toEqual([]);
    const silent = told();
    if (silent.stores[0]) silent.stores[0].trouble = "nothing listens";
    expect(ringing(silent, READY)[0]?.text).toContain("Cabin bank");
    expect(ringing(silent, { ...READY, silent: false })).toEqual([]);
  });
});

describe("the picture", () => {
  it("is about the store of the headline's device, else about the one that comes to its floor first", () => {
    const about = (store: string) => storeOf(told({ headline: { ...told().headline, store } }));
    expect(about("cabin")).toBe("cabin");
    expect(about("")).toBe("house");
    expect(storeOf({ ...told(), stores: [] })).toBeUndefined();
  });
  it("parts the line at now and keeps to its frame", () => {
    const frame = { left: 0, right: 100, from: 0, to: 10 };
    const drawn = shape(course(8), [[1, 80]], 2, frame, 0, 50);
    expect(drawn.past.startsWith("M0.0 5.0")).toBe(true);
    expect(drawn.past.endsWith("L20.0 15.0")).toBe(true);
    expect(drawn.ahead.startsWith("M20.0 15.0 L80.0 45.0")).toBe(true);
    expect(drawn.dots).toEqual([{ x: 10, y: 10 }]);
    expect(drawn.floor).toBe(45);
    expect(drawn.band.endsWith("Z")).toBe(true);
  });
});
