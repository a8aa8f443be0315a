import { afterEach, describe, expect, it } from "vitest";
import type { Plan } from "../src/api/client";
import { habits, readHabits } from "../src/format/habits";
import { inOrder, sheetOf } from "../src/views/Wiring/sheet";

afterEach(() => Object.assign(habits, readHabits(null)));

const plan = {
  site: { name: "S" },
  kit: {
    devices: [
      {
        id: "camera",
        label: "Camera",
        input: { current: "dc", connector: "barrel", polarity: "centre-positive" },
      },
      { id: "pump", label: "Pump", input: { current: "ac" } },
    ],
    converters: [
      {
        id: "inverter",
        label: "Inverter",
        input: { current: "dc" },
        outputs: [{ id: "out", label: "outlet" }],
      },
    ],
    sources: [
      { id: "bank", label: "Bank", ports: [{ id: "studs", connector: "M8 studs" }], inputs: [{ id: "sun" }] },
    ],
  },
} as unknown as Plan;
const way = {
  id: "a",
  label: "A",
  feeds: [
    { from: { item: "inverter", port: "out" }, to: "pump" },
    {
      from: { item: "bank", port: "studs" },
      to: "camera",
      cable: { length_m: 22, area_mm2: 1.5 },
      fuse: { rating_a: 3 },
    },
    {
      from: { item: "bank", port: "studs" },
      to: "inverter",
      cable: { length_m: 1, awg: 6, material: "copper" },
    },
  ],
} as never;

describe("a wiring sheet", () => {
  it("lays what feeds before what is fed, and leaves nothing out", () => {
    const { feeds } = way as { feeds: Parameters<typeof inOrder>[0] };
    expect(inOrder(feeds).map((it) => it.to)).toEqual(["camera", "inverter", "pump"]);
    expect(inOrder([])).toEqual([]);
  });

  it("tells each lead with its ends, its fuse, its plugs and its polarity, and what nobody told", () => {
    const [camera, inverter, pump] = sheetOf(plan, way);
    expect(camera).toEqual({
      from: "Bank, studs",
      to: "Camera",
      lead: "22 m of 1.5 mm², copper",
      fuse: "3 A",
      plugs: "M8 studs → barrel",
      polarity: "centre-positive",
    });
    expect(inverter?.lead).toBe("1 m of AWG 6, copper");
    expect(inverter?.polarity).toBe("not told: check it");
    expect(pump).toMatchObject({
      from: "Inverter, outlet",
      lead: "none",
      fuse: "none",
      plugs: "not told",
      polarity: "AC",
    });
  });

  it("tells how wires and fuses are built, a fuse at the battery, and pairs of a data cable", () => {
    const more = structuredClone(way) as { feeds: Record<string, unknown>[] };
    Object.assign(more.feeds[1] ?? {}, {
      cable: { length_m: 22, area_mm2: 1.5, strand: "class5" },
      fuse: { rating_a: 3, type: "class_t" },
      fuse_far: { rating_a: 5, type: "stud" },
    });
    Object.assign(more.feeds[2] ?? {}, { cable: { length_m: 40, pairs: 2 } });
    const rows = sheetOf(plan, more as never);
    const camera = rows.find((it) => it.to === "Camera");
    expect(camera?.lead).toBe("22 m of 1.5 mm², copper, flexible");
    expect(camera?.fuse).toBe("3 A, class T; at the battery 5 A, on the stud");
    expect(rows.some((it) => it.lead === "40 m of data cable, 2 pairs")).toBe(true);
  });

  it("is written in the units of habit", () => {
    Object.assign(habits, { length: "ft", area: "awg" });
    expect(sheetOf(plan, way)[0]?.lead).toBe("72.2 ft of AWG 15, copper");
  });
});
