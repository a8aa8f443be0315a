import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { FakeEvents, FakeServer, page, settled, smallSite } from "./support/server";

let server: FakeServer;
const opened = async (remembered: Record<string, string> = {}) => {
  const here = await page(server, remembered);
  await here.load();
  return here;
};
const PLAN = "/sites/cottage/plan";

beforeEach(() => {
  vi.useFakeTimers();
  server = new FakeServer().add("cottage", smallSite()).add("mill", smallSite("Mill"));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the site that is open", () => {
  it("is the one of last time, else the first", async () => {
    expect((await opened()).id.value).toBe("cottage");
    expect((await opened({ "ash-pond.site": "mill" })).plan.value?.site.name).toBe("Mill");
    const here = await opened({ "ash-pond.site": "sold" });
    expect([here.id.value, here.kept.get("ash-pond.site")]).toEqual(["cottage", "cottage"]);
  });

  it("is none where there is none, and that is told apart from not knowing yet", async () => {
    server.sites.clear();
    const here = await page(server);
    expect(here.none.value).toBe(false);
    await here.load();
    expect([here.none.value, here.id.value, here.plan.value]).toEqual([true, "", undefined]);
  });

  it("is not lost with a server that is gone", async () => {
    const here = await opened();
    server.gone = true;
    await here.load("mill");
    expect([here.id.value, here.trouble.value]).toEqual([
      "cottage",
      "The server does not answer. What you typed is kept; try again.",
    ]);
  });

  it("forgets the line of the one before", async () => {
    const here = await opened();
    here.line.value = "Direct · 40 h";
    here.lineOf.value = { arrangement: "direct", soc: {} };
    await here.all.open("cottage");
    expect(here.line.value).toBe("Direct · 40 h");
    await here.all.open("mill");
    expect([here.line.value, here.lineOf.value]).toEqual(["", undefined]);
  });

  it("is taken a step back and forth, in words", async () => {
    const here = await opened();
    server.write("cottage", "device", "router", null);
    await here.undo();
    expect(here.said.value).toBe("Undone: router changed");
    expect(here.plan.value?.kit.devices).toHaveLength(2);
    await here.redo();
    expect(here.trouble.value).toBe("there is nothing to redo");
    expect(here.said.value).toBe("Undone: router changed");
  });
});

describe("other windows", () => {
  const listening = async () => {
    const here = await opened();
    const stop = here.listen();
    const events = FakeEvents.all.at(-1) as FakeEvents;
    return { here, stop, events };
  };

  it("are followed: what they change is read once, and not what this one did itself", async () => {
    const { here, events } = await listening();
    server.write("cottage", "device", "router", null);
    const before = server.count("GET", PLAN);
    events.say("changed", { site: "cottage", revision: 2 });
    await settled();
    expect([here.plan.value?.kit.devices.length, server.count("GET", PLAN) - before]).toEqual([1, 1]);
    events.say("changed", { site: "cottage", revision: 2 });
    events.say("changed", { site: "mill", revision: 9 });
    await settled();
    expect(server.count("GET", PLAN) - before).toBe(1);
  });

  it("never put an old plan in the place of a newer one, however late it comes", async () => {
    const { here, events } = await listening();
    let go = () => {};
    server.held.set(PLAN, new Promise((done) => (go = done)));
    events.say("changed", { site: "cottage", revision: 2 });
    await settled();
    // While that answer is on its way, this window saves.
    await here.save("device", "lamp", { id: "lamp", label: "Desk lamp", phases: [] });
    go();
    await settled();
    expect(here.site.value?.revision).toBe(2);
    expect(here.plan.value?.kit.devices[1]?.label).toBe("Desk lamp");
  });

  it("that remove the open site leave this one with another", async () => {
    const { here, events } = await listening();
    (server.sites.get("cottage") as { removed: boolean }).removed = true;
    events.say("changed", { site: "cottage", revision: 2, removed: true });
    await settled();
    expect([here.id.value, here.said.value]).toEqual(["mill", "Weir cottage was removed elsewhere."]);
    events.say("changed", { site: "mill", revision: 1, removed: false });
    await settled();
    expect(here.id.value).toBe("mill");
  });

  it("hear when the server is gone, and that it is back", async () => {
    const { here, events } = await listening();
    events.say("error");
    expect(here.trouble.value).toContain("saved when it is back");
    // It came back with older data: a copy of yesterday is the truth then.
    server.sites.clear();
    server.add("cottage", { ...smallSite(), site: { name: "Of yesterday" } });
    server.write("cottage", "device", "lamp", null);
    events.say("open");
    await settled();
    expect([here.trouble.value, here.plan.value?.site.name]).toEqual(["", "Of yesterday"]);
  });

  it("and a page that is left lets go of its stream, and takes it up when it is come back to", async () => {
    const { here, stop, events } = await listening();
    here.window.dispatchEvent(new Event("pagehide"));
    expect(events.closed).toBe(true);
    here.window.dispatchEvent(Object.assign(new Event("pageshow"), { persisted: true }));
    expect(FakeEvents.all.filter((it) => !it.closed)).toHaveLength(1);
    stop();
    expect(FakeEvents.all.every((it) => it.closed)).toBe(true);
    here.window.dispatchEvent(Object.assign(new Event("pageshow"), { persisted: true }));
    expect(FakeEvents.all.every((it) => it.closed)).toBe(true);
  });
});

describe("several sites", () => {
  it("are made, copied, removed and brought back", async () => {
    const here = await opened();
    await here.all.create("New barn");
    expect([here.id.value, here.said.value]).toEqual(["new-barn", "Made: New barn"]);
    await here.all.copy("mill", "Mill in summer");
    expect([here.id.value, here.said.value]).toEqual(["mill-in-summer", "Copied: Mill in summer"]);
    await here.all.remove("mill-in-summer");
    expect(here.id.value).toBe("cottage");
    expect(here.said.value).toBe("Removed: Mill in summer. It can be brought back.");
    expect(here.removed.value).toEqual([{ id: "mill-in-summer", name: "Mill in summer" }]);
    await here.all.restore("mill-in-summer");
    expect([here.id.value, here.removed.value]).toEqual(["mill-in-summer", []]);
  });

  it("that this window removes itself are not told as removed elsewhere", async () => {
    const here = await opened();
    const stop = here.listen();
    await here.all.remove("mill");
    FakeEvents.all.at(-1)?.say("changed", { site: "mill", revision: 1, removed: true });
    await settled();
    expect([here.id.value, here.said.value]).toEqual(["cottage", "Removed: Mill. It can be brought back."]);
    stop();
  });

  it("wait for what is typed before another is opened", async () => {
    const here = await opened();
    here.edits.edit({ kind: "device", id: "lamp" }, "label", (body) => {
      (body as { label: string }).label = "Desk lamp";
    });
    await here.all.open("mill");
    expect(server.element("cottage", "device", "lamp")?.label).toBe("Desk lamp");
    expect(server.element("mill", "device", "lamp")?.label).toBe("Lamp");
  });

  it("that cannot be made say why, and the open one stays", async () => {
    const here = await opened();
    server.gone = true;
    await here.all.create("New barn");
    expect(here.trouble.value).toContain("The server does not answer");
    server.gone = false;
    await here.all.restore("sold");
    expect([here.trouble.value, here.id.value]).toEqual(['there is no site "sold"', "cottage"]);
  });
});
