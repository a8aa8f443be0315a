import { describe, expect, it } from "vitest";
import type { Arrangement, Way } from "../src/api/client";
import { placeOf, sleepable, sleeping, still, switched, type BeingOn } from "../src/composables/switching";
import { onOf } from "../src/views/Chains/sluice";

const outlet = { item: "box", port: "outlet", when: "with_load" as const };
const inverter = { item: "inverter", when: "hours" as const, from: "06:00", to: "22:00", standby_w: 0.4 };
const way: Arrangement = {
  id: "a",
  label: "A",
  feeds: [
    { from: { item: "box", port: "outlet" }, to: "drill" },
    { from: { item: "bank", port: "studs" }, to: "inverter" },
  ],
  switching: [outlet, inverter],
};
const on = (place: string) => ({ place, then: [outlet] }) as unknown as BeingOn;

describe("what is switched", () => {
  it("is named by its item, or by its outlet", () => {
    expect(placeOf(outlet)).toBe("box/outlet");
    expect(placeOf(inverter)).toBe("inverter");
  });

  it("goes with the feeds that it was of", () => {
    expect(still(way.switching, way.feeds)).toEqual([outlet, inverter]);
    expect(still(way.switching, way.feeds.slice(0, 1))).toEqual([outlet]);
    expect(still(way.switching, way.feeds.slice(1))).toEqual([inverter]);
    expect(still(undefined, way.feeds)).toEqual([]);
  });

  it("is changed at its place alone, and keeps what it draws standing by", () => {
    expect(switched(way, on("inverter"), "left_on")).toEqual([outlet]);
    expect(switched(way, on("box/outlet"), "with_load")).toEqual([outlet]);
    const [first, night] = switched(way, on("inverter"), "hours");
    expect(first).toEqual(outlet);
    expect(night).toMatchObject({ item: "inverter", when: "hours", standby_w: 0.4, by_hand: true });
    expect(night).not.toHaveProperty("port");
    expect(switched(way, on("box/outlet"), "hours")[1]).toMatchObject({ item: "box", port: "outlet" });
  });

  it("sleeps whole, but for what must not be cut; chosen hours stay, and left on again nothing sleeps", () => {
    const list = [
      { ...on("box/outlet"), by_clock: true },
      { ...on("inverter"), by_clock: true },
      { ...on("monitor"), by_clock: false },
    ];
    const can = sleepable(list);
    expect(can.map((it) => it.place)).toEqual(["box/outlet", "inverter"]);
    const night = sleeping(way, can, true);
    expect(night).toContainEqual(inverter);
    expect(night.filter((it) => placeOf(it) === "box/outlet")).toMatchObject([
      { when: "hours", by_hand: true },
    ]);
    expect(night).toHaveLength(2);
    expect(sleeping({ ...way, switching: night }, can, false)).toEqual([]);
    expect(sleeping({ ...way, switching: night }, can, true)).toEqual(night);
  });

  it("sleeps by as few switches as it takes: what is behind one needs none", () => {
    const chain: Arrangement = {
      ...way,
      feeds: [
        { from: { item: "bank", port: "studs" }, to: "inverter" },
        { from: { item: "inverter", port: "out" }, to: "adapter" },
        { from: { item: "adapter", port: "out" }, to: "camera" },
      ],
      switching: [],
    };
    const list = [on("inverter"), on("adapter")];
    expect(sleeping(chain, list, true).map(placeOf)).toEqual(["inverter"]);
    expect(sleeping(chain, list.slice(1), true).map(placeOf)).toEqual(["adapter"]);
  });

  it("stands in the picture with the hours that it is shut", () => {
    const told = {
      being_on: [
        { place: "box/outlet", now: { how: "with_load", on_h: 0.554 } },
        { place: "inverter", now: { how: "left_on", on_h: 24 } },
      ],
    } as unknown as Way;
    expect(onOf(told, "box/outlet")?.words).toBe("shut 23.4 h of 24");
    expect(onOf(told, "inverter")).toBeUndefined();
    expect(onOf(told, "lamp")).toBeUndefined();
  });
});
