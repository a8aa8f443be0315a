import { describe, expect, it } from "vitest";
import type { Plan, Way } from "../src/api/client";
import { endsOf, statusAt, treesOf, worse, type Node } from "../src/views/Chains/tree";

const follows = { follows: true };
/** A bank with a step-up, a junction and three devices; a station with a socket that costs to be on. */
const plan = {
  site: { name: "S" },
  kit: {
    devices: [
      { id: "lamp", label: "Lamp", priority: 3 },
      { id: "router", label: "Router", priority: 1 },
      { id: "terminal", label: "Terminal", priority: 2 },
      { id: "heater", label: "Heater" },
    ],
    converters: [
      { id: "block", label: "Block", outputs: [{ id: "ways", voltage: follows }] },
      { id: "step-up", label: "Step-up", outputs: [{ id: "out", voltage: { regulated_v: 28 } }] },
    ],
    sources: [
      { id: "bank", label: "Bank", ports: [{ id: "studs", voltage: follows }] },
      {
        id: "station",
        label: "Station",
        ports: [{ id: "socket", label: "12 V socket", voltage: { regulated_v: 13 } }],
      },
      { id: "spare", label: "Spare", ports: [{ id: "studs", voltage: follows }] },
    ],
  },
  arrangements: [
    {
      id: "all",
      label: "All",
      feeds: [
        { from: { item: "bank", port: "studs" }, to: "block", cable: { length_m: 1, area_mm2: 6 } },
        { from: { item: "block", port: "ways" }, to: "lamp" },
        { from: { item: "block", port: "ways" }, to: "step-up" },
        { from: { item: "block", port: "ways" }, to: "router" },
        { from: { item: "step-up", port: "out" }, to: "terminal" },
        { from: { item: "station", port: "socket" }, to: "heater" },
      ],
    },
  ],
} as unknown as Plan;

const feed = (loss_w: number) => ({ loss_w, near_v: 13, far_v: 12.8, drop_v: 0.2, drop_share: 0.015 });
const way = {
  id: "all",
  label: "All",
  being_on: [{ place: "inverter", now: { how: "left_on", on_h: 24 } }],
  windows: [
    { where: "lamp", low: 10, high: 14, marks: [], name: "lamp", code: "device-voltage", status: "holds" },
  ],
  boards: [
    { code: "converter-output-limit", where: "step-up/out", status: "tight", marks: [], limit: 2, unit: "A" },
    { code: "fuse-size", where: "step-up", status: "trips", marks: [], limit: 5, unit: "A" },
    { code: "port-limit", where: "station/socket", status: "trips", marks: [], limit: 8, unit: "A" },
  ],
  lasting: { bank: { floor_soc: 0.1 } },
  flow: {
    soc: { bank: 0.6, station: 0.6 },
    sources: { bank: { watts: 45.5, terminal_v: 13.1 }, station: { watts: 26 } },
    ports: {
      "station/socket": { watts: 22, loss_idle_w: 1.3, loss_proportional_w: 2, loss_quadratic_w: 0.7 },
    },
    feeds: {
      block: feed(0.5),
      lamp: feed(0.1),
      "step-up": feed(0.2),
      router: feed(0),
      terminal: feed(0.3),
      heater: feed(1),
    },
    devices: {
      lamp: { watts: 5 },
      router: { watts: 8 },
      terminal: { watts: 27 },
      heater: { watts: 21 },
    },
    converters: {
      "step-up": {
        input_w: 31,
        output_w: 27.3,
        loss_idle_w: 0.9,
        loss_proportional_w: 2.5,
        loss_quadratic_w: 0.3,
      },
    },
    junctions: { block: { watts: 44.3 } },
    inputs: {},
    collapses: [{ at: "lamp" }],
  },
} as unknown as Way;

const trees = treesOf(plan, way);
const find = (id: string): Node | undefined => {
  const walk = (node: Node): Node[] => [node, ...node.children.flatMap(walk)];
  return trees.flatMap((it) => it.children.flatMap(walk)).find((it) => it.id === id);
};

describe("a way taken apart into trees", () => {
  it("has one for each source in use, in the order of the plan", () => {
    expect(trees.map((it) => it.source.id)).toEqual(["bank", "station"]);
    expect(trees[0]?.terminalV).toBe(13.1);
    expect(trees[0]?.source.floor).toBe(0.1);
  });

  it("orders the branches by the most important device behind them", () => {
    expect(find("block")?.children.map((it) => it.id)).toEqual(["router", "step-up", "lamp"]);
    expect(trees.flatMap((it) => it.children.flatMap(endsOf)).map((it) => it.id)).toEqual([
      "router",
      "terminal",
      "lamp",
      "heater",
    ]);
  });

  it("tells weirs, splits and ends apart", () => {
    expect(find("step-up")?.kind).toBe("weir");
    expect(find("block")?.kind).toBe("split");
    expect(find("lamp")?.kind).toBe("end");
  });

  it("makes a port that costs to be on a weir of its own, with its losses by kind", () => {
    const socket = find("station/socket");
    expect(socket?.kind).toBe("weir");
    expect(socket?.label).toBe("12 V socket");
    expect(socket?.inW).toBeCloseTo(26, 9);
    expect(socket?.losses.map((it) => [it.kind, it.watts])).toEqual([
      ["idle", 1.3],
      ["load", 2],
      ["squared", 0.7],
    ]);
    expect(find("bank/studs")).toBeUndefined();
  });

  it("loses in a lead what lies between its ends, and in a weir what lies between in and out", () => {
    const stepUp = find("step-up");
    expect(stepUp?.nearW).toBeCloseTo(31.2, 9);
    expect(stepUp?.inW).toBe(31);
    expect(stepUp?.losses.reduce((sum, it) => sum + it.watts, 0)).toBeCloseTo(31 - 27.3, 9);
    expect(find("lamp")?.collapsed).toBe(true);
    expect(find("router")?.collapsed).toBe(false);
  });

  it("stands boards where they belong, fuses apart", () => {
    expect(find("step-up")?.boards.map((it) => it.code)).toEqual(["converter-output-limit"]);
    expect(find("lamp")?.window?.low).toBe(10);
    expect(find("router")?.window).toBeUndefined();
    expect(statusAt(find("step-up")?.boards ?? [])).toBe("tight");
    expect(statusAt([])).toBe("holds");
    expect(worse("brief", "tight")).toBe("brief");
  });

  it("lets one store charge another: an end in its tree, and a tree of its own", () => {
    const chained = structuredClone({ plan, way });
    const own = chained.plan.arrangements.find((it) => it.id === way.id);
    own?.feeds.push({ from: { item: "bank", port: "studs" }, to: "station/panel" });
    chained.way.flow.feeds["station/panel"] = feed(0.4) as never;
    chained.way.flow.inputs = { "station/panel": { watts: 60 } } as never;
    const [bank, station] = treesOf(chained.plan, chained.way);
    const end = bank?.children.flatMap(endsOf).find((it) => it.id === "station/panel");
    expect(end?.kind).toBe("end");
    expect(end?.label).toBe("Station, panel");
    expect([end?.inW, end?.nearW]).toEqual([60, 60.4]);
    expect(station?.source.id).toBe("station");
  });

  it("is nothing for a way that the plan does not have", () => {
    expect(treesOf({ ...plan, arrangements: [] }, way)).toEqual([]);
  });
});
