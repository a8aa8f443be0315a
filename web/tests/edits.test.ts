import { describe, expect, it, vi } from "vitest";
import type { Conflict } from "../src/composables/useEdits";
import { FakeServer, type page, settled, smallSite, staged } from "./support/server";

type Device = { phases: [{ watts: unknown }]; note?: string; label: string };
const ROUTER = { kind: "device", id: "router" };
const WRITES = "/sites/cottage/elements/device/router";
const watts = (value: unknown) => (body: unknown) => {
  (body as Device).phases[0].watts = value;
};

let server: FakeServer;
let here: Awaited<ReturnType<typeof page>>;
const kept = () => server.element("cottage", "device", "router") as unknown as Device;
const theirs = (more: object) => server.write("cottage", "device", "router", { ...kept(), ...more });

staged(
  () => new FakeServer().add("cottage", smallSite()),
  (ofTest, itsPage) => {
    [server, here] = [ofTest, itsPage];
  },
);

describe("an edit", () => {
  it("is seen at once, and saved once when the keys rest", async () => {
    for (const value of [1, 12, 12.5]) {
      here.edits.edit(ROUTER, "watts", watts(value));
      await vi.advanceTimersByTimeAsync(200);
    }
    expect(here.edits.changes.value.map((it) => (it.body as Device).phases[0].watts)).toEqual([12.5]);
    expect(server.count("PUT", WRITES)).toBe(0);
    await vi.advanceTimersByTimeAsync(500);
    expect(server.count("PUT", WRITES)).toBe(1);
    expect(kept().phases[0].watts).toBe(12.5);
    expect(here.edits.changes.value).toEqual([]);
    expect(here.said.value).toBe("Saved.");
  });

  it("of something that is not there changes nothing", async () => {
    here.edits.edit({ kind: "device", id: "moon" }, "watts", watts(1));
    await vi.advanceTimersByTimeAsync(1000);
    expect(here.edits.changes.value).toEqual([]);
  });

  it("that is refused is told beside its field and falls back to what is kept", async () => {
    server.refuses.set("router", "must be above 0, in watts");
    here.edits.edit(ROUTER, "watts", watts(-3));
    await vi.advanceTimersByTimeAsync(600);
    expect(here.edits.refusedAt("watts")).toBe("must be above 0, in watts");
    expect(here.edits.refusedAt("label")).toBeUndefined();
    expect(here.edits.changes.value).toEqual([]);
    expect(kept().phases[0].watts).toBe(8);
    server.refuses.clear();
    here.edits.edit(ROUTER, "watts", watts(9));
    expect(here.edits.refusedAt("watts")).toBeUndefined();
  });

  it("is kept while the server is gone, and saved when it is back", async () => {
    server.gone = true;
    here.edits.edit(ROUTER, "watts", watts(11));
    await vi.advanceTimersByTimeAsync(600);
    expect(here.trouble.value).toContain("What you typed is kept");
    expect(here.edits.changes.value).toHaveLength(1);
    await vi.advanceTimersByTimeAsync(4000);
    expect(here.edits.changes.value).toHaveLength(1);
    server.gone = false;
    await vi.advanceTimersByTimeAsync(2100);
    expect(kept().phases[0].watts).toBe(11);
    expect([here.trouble.value, here.edits.changes.value.length]).toEqual(["", 0]);
  });

  it("goes on top of what another window changed elsewhere in the same thing", async () => {
    here.edits.edit(ROUTER, "watts", watts(10));
    theirs({ note: "on the shelf" });
    await vi.advanceTimersByTimeAsync(600);
    expect(kept()).toMatchObject({ note: "on the shelf", phases: [{ watts: 10 }] });
    expect(here.edits.conflicts.value).toEqual([]);
  });

  it("that is made while one is being saved is saved after it", async () => {
    let go = () => {};
    server.held.set(WRITES, new Promise((done) => (go = done)));
    here.edits.edit(ROUTER, "watts", watts(10));
    await vi.advanceTimersByTimeAsync(510);
    here.edits.edit(ROUTER, "label", (body) => {
      (body as Device).label = "Old router";
    });
    go();
    server.held.clear();
    await vi.advanceTimersByTimeAsync(600);
    expect(kept()).toMatchObject({ label: "Old router", phases: [{ watts: 10 }] });
    expect([here.edits.conflicts.value.length, here.edits.changes.value.length]).toEqual([0, 0]);
  });

  it("goes out with a page that is left, without waiting", async () => {
    here.edits.edit(ROUTER, "watts", watts(7));
    here.window.dispatchEvent(new Event("pagehide"));
    await settled();
    expect(server.asked.at(-1)).toMatchObject({ method: "PUT", path: WRITES, keepalive: true });
    expect(kept().phases[0].watts).toBe(7);
    // Once is enough: the pause that was begun finds nothing left to save.
    await vi.advanceTimersByTimeAsync(1000);
    expect(server.count("PUT", WRITES)).toBe(1);
  });
});

describe("two changes of the same figure", () => {
  const clash = async () => {
    here.edits.edit(ROUTER, "watts", watts(10));
    theirs({ phases: [{ when: "running", watts: 20 }], note: "theirs" });
    await vi.advanceTimersByTimeAsync(600);
    expect(kept().phases[0].watts).toBe(20);
    expect(here.edits.changes.value).toEqual([]);
    expect(here.edits.conflicts.value).toMatchObject([
      { label: "Router", gone: false, clashes: [{ mine: 10, theirs: 20 }] },
    ]);
    return here.edits.conflicts.value[0] as Conflict;
  };

  it("are a choice: mine, and what only they changed stays", async () => {
    await here.edits.choose(await clash(), true);
    expect(kept()).toMatchObject({ note: "theirs", phases: [{ watts: 10 }] });
    expect(here.edits.conflicts.value).toEqual([]);
  });

  it("or theirs, and nothing is written", async () => {
    const conflict = await clash();
    const before = server.count("PUT", WRITES);
    await here.edits.choose(conflict, false);
    expect(kept().phases[0].watts).toBe(20);
    expect(server.count("PUT", WRITES)).toBe(before);
    expect(here.edits.conflicts.value).toEqual([]);
  });
});

describe("what was removed elsewhere while it was edited", () => {
  const removed = async () => {
    here.edits.edit(ROUTER, "watts", watts(10));
    server.write("cottage", "device", "router", null);
    await here.load();
    await vi.advanceTimersByTimeAsync(600);
    expect(here.edits.conflicts.value).toMatchObject([{ gone: true, label: "Router" }]);
    return here.edits.conflicts.value[0] as Conflict;
  };

  it("comes back where mine is kept", async () => {
    await here.edits.choose(await removed(), true);
    expect(kept()).toMatchObject({ label: "Router", phases: [{ watts: 10 }] });
  });

  it("stays away where theirs is kept", async () => {
    await here.edits.choose(await removed(), false);
    expect(kept()).toBeUndefined();
    expect(here.edits.changes.value).toEqual([]);
  });
});
