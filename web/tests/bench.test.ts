import { beforeEach, describe, expect, it, vi } from "vitest";
import { ref } from "vue";
import type { Question } from "../src/api/client";
import { FakeServer, type page, settled, smallSite, staged } from "./support/server";

let server: FakeServer;
let here: Awaited<ReturnType<typeof page>>;

staged(
  () => new FakeServer().add("cottage", smallSite()).add("mill", smallSite("Mill")),
  (ofTest, itsPage) => {
    [server, here] = [ofTest, itsPage];
  },
);

describe("the tests of a site", () => {
  type Kept = { id: string; test: { protocol: string; rows: unknown[] }; used: boolean };
  let kept: Kept[];
  const test = { protocol: "idle", of: { kind: "converter", id: "inverter" }, rows: [], meters: [] };

  beforeEach(() => {
    kept = [];
    const on = (what: string, answer: (body: unknown) => unknown) => server.answers.set(what, answer);
    on("GET /bench", () => ({ guides: [{ protocol: "idle", title: "Idle draw" }] }));
    on("GET /sites/cottage/tests", () => ({ tests: kept }));
    on("GET /sites/mill/tests", () => ({ tests: [] }));
    on("POST /sites/cottage/tests", (body) => {
      kept = [{ id: "t1", test: body as Kept["test"], used: false }, ...kept];
      return kept[0];
    });
    on("PUT /sites/cottage/tests/t1", (body) => ({ id: "t1", test: body, used: false }));
    on("POST /sites/cottage/tests/t1/preview", () => ({ arrangements: [{ id: "direct" }] }));
    on("POST /sites/cottage/tests/t1/use", () => (kept = kept.map((it) => ({ ...it, used: true }))));
    on("POST /sites/cottage/tests/t1/take-back", () => (kept = kept.map((it) => ({ ...it, used: false }))));
  });
  const bench = async () => {
    const it = (await import("../src/views/Bench/useTests")).useTests();
    await settled();
    return it;
  };

  it("are begun, and the new one stands open", async () => {
    const it = await bench();
    expect([it.guides.value.length, it.tests.value, it.current.value]).toEqual([1, [], undefined]);
    await it.begin(test as never);
    expect([it.open.value, it.current.value?.id]).toEqual(["t1", "t1"]);
  });

  it("keep their rows as they are typed; what is not kept is told and stays where it was typed", async () => {
    const it = await bench();
    await it.begin(test as never);
    expect(await it.keep("t1", { ...test, rows: [{ values: [12.5, 0.49] }] } as never)).toBe(true);
    expect((it.current.value as unknown as Kept).test.rows).toHaveLength(1);
    server.gone = true;
    expect(await it.keep("t1", { ...test, rows: [] } as never)).toBe(false);
    expect(it.trouble.value).toContain("What you typed stands here");
    expect((it.current.value as unknown as Kept).test.rows).toHaveLength(1);
  });

  it("are looked at before their figure is used, and the look ends with the use", async () => {
    const it = await bench();
    await it.begin(test as never);
    await it.look("t1");
    expect(it.preview.value).toEqual({ id: "t1", ways: [{ id: "direct" }] });
    await it.change("t1", false);
    expect([it.preview.value, here.said.value]).toEqual([undefined, "The measured figures are in use."]);
    expect((it.current.value as unknown as Kept).used).toBe(true);
    await it.change("t1", true);
    expect(here.said.value).toBe("The earlier figures are back.");
    expect((it.current.value as unknown as Kept).used).toBe(false);
  });

  it("give their file as it is, with what its columns hold", async () => {
    const it = await bench();
    await it.begin(test as never);
    const path = "/sites/cottage/tests/t1/file";
    const told: string[] = [];
    server.answers.set(`PUT ${path}`, () => ({ id: "t1", test, used: false }));
    const file = new File(["1;2\n"], "evening log.csv");
    vi.spyOn(server, "readBody").mockImplementation(async (request) => {
      told.push(new URL(request.url).search, request.headers.get("content-type") ?? "", await request.text());
      return undefined;
    });
    expect(await it.give("t1", file, "time,watts")).toBe(true);
    expect(told).toEqual(["?name=evening%20log.csv&columns=time%2Cwatts", "text/csv", "1;2\n"]);
  });

  it("are those of the site that is open", async () => {
    const it = await bench();
    await it.begin(test as never);
    await here.load("mill");
    await settled();
    expect([it.tests.value, it.open.value]).toEqual([[], undefined]);
  });
});

describe("instruments", () => {
  it("are asked for once, described and forgotten; a name that is missing is refused by the server", async () => {
    let list = [{ name: "clamp", share: 0.02 }];
    server.answers.set("GET /bench/instruments", () => ({ instruments: list }));
    server.answers.set("PUT /bench/instruments/shunt", (body) => {
      list = [...list, { ...(body as { share: number }), name: "shunt" }];
      return { instruments: list };
    });
    server.answers.set("DELETE /bench/instruments/clamp", () => ({ instruments: (list = list.slice(1)) }));
    const { useInstruments } = await import("../src/views/Bench/useInstruments");
    const it = useInstruments();
    useInstruments();
    await settled();
    expect(server.count("GET", "/bench/instruments")).toBe(1);
    expect(await it.describe("  shunt ", { share: 0.005 } as never)).toBe(true);
    expect(await it.forget("clamp")).toBe(true);
    expect(it.instruments.value.map((one) => one.name)).toEqual(["shunt"]);
    expect(await it.describe("  ", {} as never)).toBe(false);
    expect(it.trouble.value).not.toBe("");
    expect(it.instruments.value.map((one) => one.name)).toEqual(["shunt"]);
  });
});

describe("the answer to what is on screen", () => {
  const PATH = "/sites/cottage/evaluate";
  const answered = async () => {
    const { useAnswer } = await import("../src/views/Chains/useAnswer");
    const question = ref<Question | undefined>();
    return { question, ...useAnswer(question) };
  };

  it("waits for a question, and holds what is not saved yet", async () => {
    server.answers.set(`POST ${PATH}`, (body) => ({ ways: [], headline: JSON.stringify(body) }));
    const { question, answer, asking } = await answered();
    await settled();
    expect([server.count("POST", PATH), answer.value]).toEqual([0, undefined]);
    question.value = { arrangements: ["direct"], soc: {} };
    await settled();
    here.edits.edit({ kind: "device", id: "lamp" }, "label", (body) => {
      (body as { label: string }).label = "Desk lamp";
    });
    await settled();
    const asked = JSON.parse((answer.value as unknown as { headline: string }).headline) as {
      arrangements: string[];
      changes: { id: string; body: { label: string } }[];
    };
    expect(asked.arrangements).toEqual(["direct"]);
    expect(asked.changes.map((it) => [it.id, it.body.label])).toEqual([["lamp", "Desk lamp"]]);
    expect(asking.value).toBe(false);
  });

  it("stays on screen while the server is gone", async () => {
    server.answers.set(`POST ${PATH}`, () => ({ ways: [], headline: "first" }));
    const { question, answer } = await answered();
    question.value = { arrangements: ["direct"], soc: {} };
    await settled();
    server.gone = true;
    question.value = { arrangements: ["spare"], soc: {} };
    await settled();
    expect((answer.value as unknown as { headline: string }).headline).toBe("first");
    expect(here.trouble.value).toContain("The server does not answer");
  });
});

describe("the line at the right of the strip", () => {
  it("is of the arrangement that is looked at, else of the first, and empty where nobody answers", async () => {
    const PATH = "/sites/cottage/evaluate";
    const line = (body: unknown) => (body as { arrangements: string[] }).arrangements.join();
    server.answers.set(`POST ${PATH}`, (body) => ({ ways: [{ line: line(body) }] }));
    const { useLine } = await import("../src/composables/useLine");
    useLine();
    await settled();
    expect(here.line.value).toBe("direct");
    here.lineOf.value = { arrangement: "spare", soc: { bank: 0.6 } };
    here.again();
    await settled();
    expect(here.line.value).toBe("spare");
    expect(server.asked.at(-1)?.body).toEqual({ arrangements: ["spare"], soc: { bank: 0.6 } });
    server.gone = true;
    here.again();
    await settled();
    // An old answer is not left standing.
    expect(here.line.value).toBe("");
  });
});

describe("a site's own facts", () => {
  it("get parts that were not there, and lose those that hold nothing more", async () => {
    const { inside } = await import("../src/views/Site/useSiteFacts");
    const site: { place?: { latitude_deg?: number; time_zone?: string } | null } = {};
    inside(site, "place", (it) => (it.latitude_deg = 52));
    inside(site, "place", (it) => (it.time_zone = "Europe/London"));
    expect(site).toEqual({ place: { latitude_deg: 52, time_zone: "Europe/London" } });
    inside(site, "place", (it) => delete it.latitude_deg);
    inside(site, "place", (it) => delete it.time_zone);
    expect("place" in site).toBe(false);
  });
});
