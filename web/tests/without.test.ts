import { describe, expect, it } from "vitest";
import type { Arrangement, Plan, Schemas } from "../src/api/client";
import { feedsWithout, outageWithout } from "../src/composables/without";

type Feeds = Arrangement["feeds"];

const planOf = (converters: string[]) =>
  ({ kit: { converters: converters.map((id) => ({ id })) } }) as unknown as Plan;
const feed = (from: string, to: string) => ({ from: { item: from, port: "out" }, to }) as Feeds[number];
const ways = (feeds: Feeds) => feeds.map((it) => `${it.from.item} > ${it.to}`);

describe("feeds without an item", () => {
  const plan = planOf(["inverter", "adapter", "block"]);
  const feeds = [
    feed("bank", "inverter"),
    feed("inverter", "adapter"),
    feed("adapter", "router"),
    feed("bank", "block"),
    feed("block", "lamp"),
    feed("block", "station/dc"),
    feed("station", "pump"),
  ];
  it("lose what hangs on it, and only that", () => {
    expect(ways(feedsWithout(plan, feeds, "inverter"))).toEqual([
      "bank > block",
      "block > lamp",
      "block > station/dc",
      "station > pump",
    ]);
    expect(ways(feedsWithout(plan, feeds, "router"))).toHaveLength(6);
    // A store that is no longer charged still gives what is in it.
    expect(ways(feedsWithout(plan, feeds, "block"))).toContain("station > pump");
    // A store that is gone leaves neither what charges it nor what it feeds.
    expect(ways(feedsWithout(plan, feeds, "station")).join()).not.toContain("station");
    expect(feedsWithout(plan, feeds, "nobody")).toEqual(feeds);
  });
  it("never name it, and never leave a converter that feeds and is not fed", () => {
    const names = ["bank", ...Array.from({ length: 9 }, (_, it) => `c${it}`)];
    const forest = planOf(names.slice(1));
    let state = 5;
    const thrown = (below: number) => {
      state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
      return Math.floor((state / 2_147_483_648) * below);
    };
    for (let turn = 0; turn < 200; turn += 1) {
      // Each converter hangs on one that stands before it, each device on any.
      const tree = names.slice(1).map((id, at) => feed(names[thrown(at + 1)] ?? "bank", id));
      for (let it = 0; it < 5; it += 1) tree.push(feed(names[thrown(names.length)] ?? "bank", `d${it}`));
      const gone = names[thrown(names.length)] ?? "bank";
      const left = feedsWithout(forest, tree, gone);
      const fed = new Set(left.map((it) => it.to));
      expect(left.every((it) => it.from.item !== gone && it.to !== gone)).toBe(true);
      expect(left.every((it) => it.from.item === "bank" || fed.has(it.from.item))).toBe(true);
      expect(feedsWithout(forest, left, gone)).toEqual(left);
      // What was not below it is all there.
      const below = new Set([gone]);
      for (const it of tree) if (below.has(it.from.item)) below.add(it.to);
      expect(ways(left)).toEqual(ways(tree.filter((it) => !below.has(it.to) && !below.has(it.from.item))));
    }
  });
});

describe("an outage without an item", () => {
  const outage = {
    id: "storm",
    label: "Storm",
    start: "2026-01-14T17:30",
    hours: 72,
    initial_soc: { bank: 0.9, van: 0.8 },
    charging: [{ source: "bank", from_h: 1, to_h: 2, watts: 80 }],
    runs: [{ source: "set", from_h: 2, to_h: 5 }],
    rules: [
      { kind: "shed", device: "lamp", source: "bank", below_soc: 0.4 },
      { kind: "hold", device: "pump", while_starting: "heater" },
      { kind: "stagger", seconds: 30, devices: ["lamp", "pump", "heater"] },
    ],
  } as unknown as Schemas["Outage"];
  const kinds = (it: Schemas["Outage"]) => (it.rules ?? []).map((rule) => rule.kind);

  it("is the same where it never named it", () => {
    expect(outageWithout(outage, "camera")).toBe(outage);
  });
  it("keeps the turn of those that are left, and forgets a turn of one", () => {
    const without = outageWithout(outage, "lamp");
    expect(kinds(without)).toEqual(["hold", "stagger"]);
    expect(without.rules?.[1]).toMatchObject({ seconds: 30, devices: ["pump", "heater"] });
    expect(kinds(outageWithout(without, "heater"))).toEqual([]);
  });
  it("leaves everybody's turn alone", () => {
    const all = { ...outage, rules: [{ kind: "stagger", seconds: 5 }] } as unknown as Schemas["Outage"];
    expect(outageWithout(all, "lamp")).toBe(all);
  });
  it("forgets the charge, the charging and the running hours of a source", () => {
    const without = outageWithout(outage, "bank");
    expect(without.initial_soc).toEqual({ van: 0.8 });
    expect([without.charging, kinds(without)]).toEqual([[], ["hold", "stagger"]]);
    expect(outageWithout(outage, "set").runs).toEqual([]);
    // What it was is left as it was.
    expect(outage.rules).toHaveLength(3);
  });
});
