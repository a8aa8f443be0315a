import { describe, expect, it, vi } from "vitest";
import type { Arrangement } from "../src/api/client";
import { FakeServer, type page, smallSite, staged } from "./support/server";

let server: FakeServer;
let here: Awaited<ReturnType<typeof page>>;
const steps = () => server.asked.filter((it) => it.path.endsWith("/changes")).map((it) => it.body);
const ids = (list: { id: string }[] | undefined) => (list ?? []).map((it) => it.id);

staged(
  () => new FakeServer().add("cottage", smallSite()),
  (ofTest, itsPage) => {
    [server, here] = [ofTest, itsPage];
  },
);

describe("a part of the kit", () => {
  it("is added under an id of its own, however often it is", async () => {
    const from = { id: "router", label: "Router" };
    expect(await here.kit.add("device", from)).toBe("router-2");
    expect(await here.kit.add("device", from, { label: "Router" })).toBe("router-3");
    // One namespace for the whole kit: feeds name parts by their id alone.
    expect(await here.kit.add("converter", { id: "x", label: "Bank" })).toBe("bank-2");
    expect(ids(here.plan.value?.kit.devices)).toEqual(["router", "lamp", "router-2", "router-3"]);
    expect(here.said.value).toBe("converter added: Bank");
  });

  it("goes with what hangs on it, with starts and with rules, as one step", async () => {
    await here.kit.remove("device", "lamp");
    expect(steps()).toHaveLength(1);
    const [direct, spare] = here.plan.value?.arrangements ?? [];
    expect(direct?.feeds.map((it) => it.to)).not.toContain("lamp");
    expect(direct?.starts_on).toEqual([]);
    expect(spare?.feeds).toEqual([]);
    expect(here.plan.value?.outages[0]?.rules).toEqual([]);
    expect(ids(here.plan.value?.kit.devices)).toEqual(["router"]);
  });

  it("that others run through takes their feeds along, and leaves the rest", async () => {
    await here.kit.remove("converter", "inverter");
    const [direct] = here.plan.value?.arrangements ?? [];
    expect(direct?.feeds.map((it) => it.to)).toEqual(["router"]);
  });

  it("that nobody knows is not removed", async () => {
    await here.kit.remove("source", "moon");
    expect(steps()).toEqual([]);
  });

  it("that is refused stays away, and says why", async () => {
    server.refuses.set("router-2", "label: is taken; choose another");
    expect(await here.kit.add("device", { id: "router", label: "Router" })).toBeUndefined();
    expect(here.trouble.value).toBe("label: is taken; choose another");
    expect(ids(here.plan.value?.kit.devices)).toEqual(["router", "lamp"]);
  });

  it("waits for what is typed: both are kept", async () => {
    here.edits.edit({ kind: "device", id: "lamp" }, "label", (body) => {
      (body as { label: string }).label = "Desk lamp";
    });
    await here.kit.add("device", { id: "router", label: "Router" });
    expect(here.plan.value?.kit.devices.map((it) => it.label)).toEqual(["Router", "Desk lamp", "Router"]);
    expect(server.asked.map((it) => it.method).slice(-2)).toEqual(["PUT", "POST"]);
  });

  it("goes without taking what is being typed elsewhere along", async () => {
    here.edits.edit({ kind: "arrangement", id: "direct" }, "length", (body) => {
      const [feed] = (body as Arrangement).feeds;
      if (feed) feed.cable = { length_m: 3 } as typeof feed.cable;
    });
    await here.kit.remove("device", "lamp");
    const [direct] = here.plan.value?.arrangements ?? [];
    expect(direct?.feeds.map((it) => it.to)).toEqual(["router", "inverter"]);
    expect(direct?.feeds[0]?.cable).toEqual({ length_m: 3 });
  });

  it("of a server that is gone is not added, and that is told", async () => {
    server.gone = true;
    expect(await here.kit.add("device", { id: "router", label: "Router" })).toBeUndefined();
    expect(here.trouble.value).toContain("Nothing was changed");
  });
});

describe("devices", () => {
  const needs = async () => (await import("../src/views/Needs/useDevices")).useDevices();
  const order = async () => (await needs()).devices.value.map((it) => it.label);

  it("stand in the order of what matters, those without a place last", async () => {
    server.write("cottage", "device", "fan", { id: "fan", label: "Fan", phases: [] });
    server.write("cottage", "device", "pump", {
      id: "pump",
      label: "Pump",
      priority: { value: 1.5 },
      phases: [],
    });
    await here.load();
    expect(await order()).toEqual(["Router", "Pump", "Lamp", "Fan"]);
    const it = await needs();
    expect(await it.add({ id: "x", label: "Hooter", phases: [] } as never)).toBe("hooter");
    expect(await order()).toEqual(["Router", "Pump", "Lamp", "Hooter", "Fan"]);
  });

  it("are moved as one step, and only those are written whose place changes", async () => {
    server.write("cottage", "device", "pump", { id: "pump", label: "Pump", priority: 3, phases: [] });
    await here.load();
    const it = await needs();
    await it.move("pump", 1);
    expect(await order()).toEqual(["Router", "Pump", "Lamp"]);
    expect(steps()).toMatchObject([
      { words: "Pump moved to place 2", changes: [{ id: "pump" }, { id: "lamp" }] },
    ]);
    await it.move("pump", 1);
    await it.move("moon", 0);
    expect(steps()).toHaveLength(1);
    // Beyond the ends there is the end.
    await it.move("router", 99);
    expect(await order()).toEqual(["Pump", "Lamp", "Router"]);
  });

  it("that are moved while they are typed keep what was typed", async () => {
    const it = await needs();
    it.change("lamp", "label", (device) => {
      device.label = "Desk lamp";
    });
    await it.move("lamp", 0);
    expect(here.trouble.value).toBe("");
    expect(await order()).toEqual(["Desk lamp", "Router"]);
  });
});

describe("arrangements", () => {
  const ways = async () => (await import("../src/views/Chains/useWays")).useWays();

  it("are looked at beside one another, four at most, and never none", async () => {
    const it = await ways();
    // Nothing chosen yet: the ways of the device that has most of them, else the first.
    const first = [...it.chosen.value];
    expect(first.length).toBeGreaterThan(0);
    it.only("direct");
    it.toggle("direct");
    expect(it.chosen.value).toEqual(["direct"]);
    it.toggle("spare");
    expect(it.chosen.value).toEqual(["direct", "spare"]);
    it.choose(["a", "b", "direct", "spare", "direct"]);
    // Those that are no more are left out.
    expect(it.chosen.value.every((id) => ["direct", "spare"].includes(id))).toBe(true);
    it.choose(["gone"]);
    expect(it.chosen.value).toEqual(first);
  });

  it("are copied under a name of their own and stand beside the first", async () => {
    const it = await ways();
    await it.add("Direct", it.find("direct"));
    expect(it.ways.value.map((way) => way.id)).toEqual(["direct", "spare", "direct-2"]);
    expect(it.chosen.value).toEqual(["direct", "direct-2"]);
    expect(it.find("direct-2")?.feeds).toEqual(it.find("direct")?.feeds);
    await it.add("Empty one");
    expect([it.chosen.value, it.find("empty-one")?.feeds]).toEqual([["empty-one"], []]);
  });

  it("that are removed are no start of a device any more", async () => {
    const it = await ways();
    expect(it.find("direct")?.starts_on).toHaveLength(1);
    await it.remove("spare");
    expect([it.find("spare"), it.find("direct")?.starts_on]).toEqual([undefined, []]);
    expect(steps()).toHaveLength(1);
  });

  it("lose the starts of devices that they do not feed any more", async () => {
    const it = await ways();
    const way = it.find("direct") as Arrangement;
    expect(await it.setFeeds("direct", way.feeds.slice(0, 1), "lamp and inverter unplugged")).toBe(true);
    expect(it.find("direct")).toMatchObject({ starts_on: [], feeds: [{ to: "router" }] });
    expect(await it.setFeeds("moon", [], "nothing")).toBe(false);
  });

  it("show a lead that is typed at once, and its new name", async () => {
    const it = await ways();
    it.changeFeed("direct", "router", "length", (feed) => {
      feed.cable = { length_m: 3 } as typeof feed.cable;
    });
    it.rename("direct", "Straight off");
    expect(it.find("direct")).toMatchObject({
      label: "Straight off",
      feeds: [{ cable: { length_m: 3 } }, {}, {}],
    });
    expect(server.element("cottage", "arrangement", "direct")?.label).toBe("Direct");
    await vi.advanceTimersByTimeAsync(600);
    expect(server.element("cottage", "arrangement", "direct")?.label).toBe("Straight off");
  });
});
