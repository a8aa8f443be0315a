import { describe, expect, it, vi } from "vitest";
import { computed, effectScope, nextTick, ref } from "vue";
import { FakeServer, type page, settled, smallSite, staged } from "./support/server";

let server: FakeServer;
let here: Awaited<ReturnType<typeof page>>;

staged(
  () => new FakeServer().add("cottage", smallSite()),
  (ofTest, itsPage) => {
    [server, here] = [ofTest, itsPage];
  },
);

const label = (to: string) => (body: unknown) => {
  (body as { label: string }).label = to;
};

describe("what the server is asked of the plan", () => {
  it("is asked with what is not saved yet, and anew with every change", async () => {
    const { useAsked } = await import("../src/composables/useAsked");
    const seen: unknown[] = [];
    const more = ref(0);
    const scope = effectScope();
    const { answer } = scope.run(() => {
      const asked = useAsked(
        (site, changes) => Promise.resolve(seen.push([site, changes.map((it) => it.id)])),
        more,
      );
      asked.follow();
      return asked;
    }) as { answer: { value: number | undefined } };
    await settled();
    here.edits.edit({ kind: "device", id: "lamp" }, "label", label("Desk lamp"));
    await settled();
    more.value += 1;
    await settled();
    expect(seen).toEqual([
      ["cottage", []],
      ["cottage", ["lamp"]],
      ["cottage", ["lamp"]],
    ]);
    expect(answer.value).toBe(3);
    scope.stop();
    more.value += 1;
    await settled();
    expect(seen).toHaveLength(3);
  });

  it("is what was asked last, in whatever order the answers come", async () => {
    const { useAsked } = await import("../src/composables/useAsked");
    const waiting: ((it: string) => void)[] = [];
    const more = ref(0);
    const scope = effectScope();
    const asked = scope.run(() => {
      const it = useAsked(() => new Promise<string>((done) => waiting.push(done)), more);
      it.follow();
      return it;
    });
    more.value = 1;
    await nextTick();
    expect(waiting).toHaveLength(2);
    waiting[1]?.("new");
    await settled();
    waiting[0]?.("old");
    await settled();
    expect(asked?.answer.value).toBe("new");
    scope.stop();
  });

  it("is told beside the field where it is refused, and at the top where nobody answers", async () => {
    const { useAsked } = await import("../src/composables/useAsked");
    const { Refused } = await import("../src/api/client");
    let wrong: Error = new Refused("watts: must be above 0", "refused", "watts");
    const more = ref(0);
    const scope = effectScope();
    scope.run(() => useAsked(() => Promise.reject(wrong), more).follow());
    here.edits.edit({ kind: "device", id: "lamp" }, "lamp.watts", label("Desk lamp"));
    await settled();
    expect(here.edits.refusedAt("lamp.watts")).toBe("watts: must be above 0");
    expect(here.trouble.value).toBe("");
    wrong = new TypeError("fetch failed");
    more.value = 1;
    await settled();
    expect(here.trouble.value).toContain("What you typed is kept");
    scope.stop();
  });

  it("sees lists of the plan as they are typed", async () => {
    const { withUnsaved } = await import("../src/composables/useAsked");
    const devices = here.plan.value?.kit.devices;
    here.edits.edit({ kind: "device", id: "lamp" }, "label", label("Desk lamp"));
    expect(withUnsaved("device", devices).map((it) => it.label)).toEqual(["Router", "Desk lamp"]);
    // The same id of another kind is another thing.
    expect(withUnsaved("source", devices).map((it) => it.label)).toEqual(["Router", "Lamp"]);
    expect(withUnsaved("device", undefined)).toEqual([]);
  });
});

describe("an outage", () => {
  const outage = () => import("../src/views/Outage/useOutage");
  const of = computed(() => ({ arrangement: "direct", outage: "storm" }));
  const asks = (path: string) =>
    server.asked.filter((it) => it.path === `/sites/cottage/${path}`).map((it) => it.body);

  it("is asked with what is dropped, at once or below a charge, and as far as it is used", async () => {
    server.answers.set("POST /sites/cottage/outage", () => ({ headline: "It lasts." }));
    const { useDropped, useTold } = await outage();
    const { dropped, below, toggle } = useDropped();
    const everything = ref<boolean>();
    const scope = effectScope();
    const told = scope.run(() => {
      const it = useTold(of, dropped, everything, below);
      it.follow();
      return it;
    });
    await settled();
    toggle("lamp");
    await settled();
    below.value = 0.4;
    await settled();
    everything.value = true;
    await settled();
    toggle("lamp");
    await settled();
    const way = { arrangement: "direct", outage: "storm", changes: [] };
    expect(asks("outage")).toEqual([
      { ...way, drop: [] },
      { ...way, drop: [{ device: "lamp" }] },
      { ...way, drop: [{ device: "lamp", below_soc: 0.4 }] },
      { ...way, drop: [{ device: "lamp", below_soc: 0.4 }], use_everything: true },
      { ...way, drop: [], use_everything: true },
    ]);
    expect(told?.told.value?.headline).toBe("It lasts.");
    scope.stop();
  });

  it("has its board asked for the same drops together, and forgets them with another outage", async () => {
    server.answers.set("POST /sites/cottage/outage/shed", () => ({ each: [] }));
    const { useBoard, useChosen, useDropped } = await outage();
    const { dropped, below, toggle } = useDropped();
    toggle("lamp");
    below.value = 0.2;
    const scope = effectScope();
    scope.run(() => useBoard(of, ref(undefined)).follow());
    await settled();
    expect(asks("outage/shed")).toMatchObject([{ together: ["lamp"], below_soc: 0.2, of: of.value }]);
    const { choose, way, outage: chosen } = useChosen();
    // At first the widest arrangement and the first outage.
    expect([way.value?.id, chosen.value?.id]).toEqual(["direct", "storm"]);
    choose({ way: "spare" });
    expect([way.value?.id, chosen.value?.id]).toEqual(["spare", "storm"]);
    expect([dropped.value, below.value]).toEqual([[], undefined]);
    scope.stop();
  });

  it("is added under a name of its own, and chosen", async () => {
    const { useAddOutage, useChosen } = await outage();
    const first = here.plan.value?.outages[0];
    if (!first) throw new Error("the site has an outage");
    await useAddOutage().add(first, "outage copied");
    expect(here.plan.value?.outages.map((it) => it.id)).toEqual(["storm", "storm-2"]);
    expect(useChosen().outage.value?.id).toBe("storm-2");
  });
});

describe("many runs", () => {
  /** A stream in pieces, as a network cuts it. */
  function streamed() {
    let tell: ReadableStreamDefaultController<Uint8Array> | undefined;
    let signal: AbortSignal | null | undefined;
    const body = new ReadableStream<Uint8Array>({ start: (it) => void (tell = it) });
    vi.stubGlobal("fetch", (_: string, init: RequestInit) => {
      signal = init.signal;
      return Promise.resolve(new Response(body, { status: 200 }));
    });
    return {
      say: async (text: string) => {
        tell?.enqueue(new TextEncoder().encode(text));
        await settled();
      },
      end: async () => {
        tell?.close();
        await settled();
      },
      ended: () => signal?.aborted,
    };
  }
  const asked = ref({ arrangement: "direct", outage: "storm" });
  const chances = async () => {
    const { useChances } = await import("../src/views/Outage/useOutage");
    return useChances(computed(() => asked.value));
  };

  it("tell how far they are and then the answer, however the lines are cut", async () => {
    const stream = streamed();
    const it = await chances();
    void it.run(200);
    await settled();
    expect(it.progress.value).toEqual({ done: 0, of: 200 });
    await stream.say('event: progress\ndata: {"done":');
    expect(it.progress.value).toEqual({ done: 0, of: 200 });
    await stream.say('50,"of":200}\n\nevent: prog');
    expect(it.progress.value).toEqual({ done: 50, of: 200 });
    await stream.say('ress\ndata: {"done":150,"of":200}\n\nevent: done\ndata: {"headline":"41 h"}\n\n');
    await stream.end();
    expect(it.chances.value?.headline).toBe("41 h");
    expect(it.progress.value).toBeUndefined();
  });

  it("end when they are cancelled, and nothing late is taken for an answer", async () => {
    const stream = streamed();
    const it = await chances();
    void it.run(200);
    await settled();
    it.cancel();
    expect([stream.ended(), it.progress.value]).toEqual([true, undefined]);
    await stream.say('event: done\ndata: {"headline":"late"}\n\n');
    expect(it.chances.value).toBeUndefined();
    expect(here.trouble.value).toBe("");
  });

  it("of another question are no answer to this one", async () => {
    const stream = streamed();
    const it = await chances();
    void it.run(200);
    await settled();
    await stream.say('event: done\ndata: {"headline":"41 h"}\n\n');
    await stream.end();
    expect(it.chances.value?.headline).toBe("41 h");
    asked.value = { arrangement: "spare", outage: "storm" };
    await nextTick();
    expect(it.chances.value).toBeUndefined();
    asked.value = { arrangement: "direct", outage: "storm" };
    await nextTick();
    expect(it.chances.value?.headline).toBe("41 h");
  });

  it("that are refused or not answered say why", async () => {
    const it = await chances();
    const refusal = { detail: "runs: is 0; ask for 1 to 20000" };
    vi.stubGlobal("fetch", () => Promise.resolve(new Response(JSON.stringify(refusal), { status: 422 })));
    await it.run(0);
    expect(here.trouble.value).toBe("runs: is 0; ask for 1 to 20000");
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("fetch failed")));
    await it.run(200);
    expect(here.trouble.value).toContain("The runs were not made");
    expect(it.progress.value).toBeUndefined();
  });

  it("keeps its answer while something else is refused, where a picture hangs on it", async () => {
    const { useAsked } = await import("../src/composables/useAsked");
    const { Refused } = await import("../src/api/client");
    for (const [keeps, left] of [
      [true, "good"],
      [false, undefined],
    ] as const) {
      const more = ref("good");
      const scope = effectScope();
      const asked = scope.run(() => {
        const it = useAsked(
          () =>
            more.value === "good"
              ? Promise.resolve(more.value)
              : Promise.reject(new Refused("no watts", "", undefined)),
          more,
          { keeps },
        );
        it.follow();
        return it;
      });
      await settled();
      expect(asked?.answer.value).toBe("good");
      more.value = "bad";
      await settled();
      expect([asked?.answer.value, asked?.trouble.value, asked?.asking.value]).toEqual([
        left,
        "no watts",
        false,
      ]);
      scope.stop();
    }
  });

  it("waits until what changes has come to rest, and asks once where once is enough", async () => {
    const { useAsked } = await import("../src/composables/useAsked");
    const count = { paused: 0, once: 0 };
    const more = ref(0);
    const scope = effectScope();
    scope.run(() => {
      const paused = useAsked(() => Promise.resolve((count.paused += 1)), more, { pause: 40 });
      const once = useAsked(() => Promise.resolve((count.once += 1)), undefined, { once: true });
      paused.follow();
      once.follow();
    });
    await settled();
    expect(count).toEqual({ paused: 1, once: 1 });
    for (let it = 0; it < 5; it += 1) {
      more.value += 1;
      here.edits.edit({ kind: "device", id: "lamp" }, "label", label(`Lamp ${it}`));
      await nextTick();
    }
    await vi.waitFor(() => expect(count.paused).toBe(2));
    expect(count.once).toBe(1);
    scope.stop();
  });
});
