/**
 * A server in the memory of a test, as far as the page's own state asks it: sites with revisions, elements that are
 * refused when they are stale or bad, steps, undo. It can be slow, and it can be gone.
 */
import { afterEach, beforeEach, vi } from "vitest";

type Json = Record<string, unknown>;
type Element = Json & { id: string };
const LISTS: Record<string, [string, string] | [string]> = {
  device: ["kit", "devices"],
  source: ["kit", "sources"],
  converter: ["kit", "converters"],
  arrangement: ["arrangements"],
  outage: ["outages"],
};
const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

interface Kept {
  plan: Json;
  revision: number;
  revisions: Record<string, Record<string, number>>;
  removed: boolean;
  undone: Json[];
}

/** A small site: a bank, a router and a lamp behind an inverter, one way and one outage. */
export function smallSite(name = "Weir cottage"): Json {
  const feed = (from: string, to: string) => ({ from: { item: from, port: "out" }, to });
  return {
    format: "ash-pond/plan",
    version: 1,
    site: { name },
    kit: {
      devices: [
        { id: "router", label: "Router", priority: 1, phases: [{ when: "running", watts: 8 }] },
        { id: "lamp", label: "Lamp", priority: 2, phases: [{ when: "running", watts: 6 }] },
      ],
      sources: [{ id: "bank", label: "Bank", ports: [{ id: "out" }] }],
      converters: [{ id: "inverter", label: "Inverter", outputs: [{ id: "out" }] }],
    },
    arrangements: [
      {
        id: "direct",
        label: "Direct",
        feeds: [feed("bank", "router"), feed("bank", "inverter"), feed("inverter", "lamp")],
        starts_on: [{ device: "lamp", arrangement: "spare" }],
      },
      { id: "spare", label: "Spare", feeds: [feed("bank", "lamp")] },
    ],
    outages: [
      {
        id: "storm",
        label: "Storm",
        hours: 72,
        rules: [{ kind: "shed", device: "lamp", source: "bank", below_soc: 0.4 }],
      },
    ],
  };
}

export class FakeServer {
  sites = new Map<string, Kept>();
  /** Every request that came, by method and path, with its body. */
  asked: { method: string; path: string; body: unknown; keepalive: boolean }[] = [];
  gone = false;
  /** Waited for before an answer goes out, by path; lets a test answer late. */
  held = new Map<string, Promise<void>>();
  /** Sentences by element id: what is refused when it is written. */
  refuses = new Map<string, string>();
  /** Answers of anything else, by method and the end of the path. */
  answers = new Map<string, (body: unknown) => unknown>();

  add(id: string, plan: Json) {
    const revisions: Kept["revisions"] = {};
    for (const kind of Object.keys(LISTS))
      revisions[kind] = Object.fromEntries(this.list(plan, kind).map((it) => [it.id, 1]));
    this.sites.set(id, { plan: copy(plan), revision: 1, revisions, removed: false, undone: [] });
    return this;
  }

  list(plan: Json, kind: string): Element[] {
    const [first, second] = LISTS[kind] ?? ["none"];
    const outer = plan[first] as Json | Element[];
    return (second ? (outer as Json)[second] : outer) as Element[];
  }

  element(site: string, kind: string, id: string): Element | undefined {
    const kept = this.sites.get(site);
    return kept && this.list(kept.plan, kind).find((it) => it.id === id);
  }

  /** What another window does. */
  write(site: string, kind: string, id: string, body: Json | null) {
    const kept = this.sites.get(site);
    if (!kept) throw new Error(`no site ${site}`);
    kept.undone.push(copy(kept.plan));
    const list = this.list(kept.plan, kind);
    const at = list.findIndex((it) => it.id === id);
    if (body === null) list.splice(at, 1);
    else if (at < 0) list.push(copy(body) as Element);
    else list[at] = copy(body) as Element;
    kept.revision += 1;
    const others = Object.entries(kept.revisions[kind] ?? {}).filter(([other]) => other !== id);
    const own: [string, number][] = body === null ? [] : [[id, kept.revision]];
    kept.revisions[kind] = Object.fromEntries([...others, ...own]);
  }

  private state(id: string) {
    const { plan, revision, revisions } = this.sites.get(id) as Kept;
    return copy({ plan, revision, revisions });
  }

  private problem(status: number, code: string, detail: string, path?: string) {
    return { status, data: { type: "about:blank", title: "Refused", status, code, detail, path } };
  }

  private answer(
    method: string,
    path: string,
    match: string | null,
    body: unknown,
  ): { status: number; data?: unknown } {
    const more = this.answers.get(`${method} ${path}`);
    if (more) return { status: 200, data: more(body) };
    const [, site = "", kind = "", ...rest] = path.split("/").filter(Boolean);
    if (path === "/sites" && method === "GET") {
      const told = (removed: boolean) =>
        [...this.sites]
          .filter(([, it]) => it.removed === removed)
          .map(([id, it]) => ({ id, name: (it.plan.site as Json).name }));
      return { status: 200, data: { sites: told(false), removed: told(true) } };
    }
    if (path === "/sites") {
      const name = ((body as Json).site as Json).name as string;
      const id = name.toLowerCase().replace(/\W+/g, "-");
      this.add(id, {
        ...smallSite(name),
        ...(body as Json),
        kit: { devices: [], sources: [], converters: [] },
      });
      return { status: 201, data: { id } };
    }
    const kept = this.sites.get(site);
    if (!kept) return this.problem(404, "missing", `there is no site "${site}"`);
    if (method === "DELETE" && !kind) {
      kept.removed = true;
      return { status: 204 };
    }
    switch (kind) {
      case "plan":
        return { status: 200, data: this.state(site) };
      case "restore":
        kept.removed = false;
        return { status: 204 };
      case "copy": {
        const name = (body as { name: string }).name;
        const id = name.toLowerCase().replace(/\W+/g, "-");
        this.add(id, { ...kept.plan, site: { name } });
        return { status: 201, data: { id } };
      }
      case "undo":
      case "redo": {
        const before = kept.undone.pop();
        if (!before) return this.problem(409, "nothing", `there is nothing to ${kind}`);
        kept.plan = before;
        kept.revision += 1;
        return { status: 200, data: { site: this.state(site), words: "router changed" } };
      }
      case "changes": {
        const { changes } = body as {
          changes: { kind: string; id: string; revision?: number; body: Json | null }[];
        };
        const bad = changes.find((it) => this.refuses.has(it.id));
        if (bad) return this.problem(422, "refused", this.refuses.get(bad.id) as string, bad.id);
        const old = changes.find(
          (it) => it.revision !== undefined && it.revision !== (kept.revisions[it.kind]?.[it.id] ?? 0),
        );
        if (old) return this.problem(409, "stale", "somebody changed it meanwhile; read it again");
        for (const it of changes) this.write(site, it.kind, it.id, it.body);
        return { status: 200, data: this.state(site) };
      }
      case "elements": {
        const [of = "", id = ""] = rest;
        if (match !== `"${kept.revisions[of]?.[id] ?? 0}"`)
          return this.problem(409, "stale", "somebody changed it meanwhile; read it again");
        const refusal = this.refuses.get(id);
        if (refusal) return this.problem(422, "refused", refusal, "phases[0].watts");
        this.write(site, of, id, body as Json);
        return { status: 200, data: this.state(site) };
      }
    }
    return this.problem(404, "missing", `nothing is at ${path}`);
  }

  async readBody(request: Request): Promise<unknown> {
    const text = await request.text();
    return text ? JSON.parse(text) : undefined;
  }

  readonly fetch = async (input: Request | string, init?: RequestInit): Promise<Response> => {
    const request = input instanceof Request ? input : new Request(input, init);
    const path = decodeURIComponent(new URL(request.url).pathname).replace(/^\/api/, "");
    const body = await this.readBody(request);
    this.asked.push({ method: request.method, path, body, keepalive: init?.keepalive ?? false });
    if (this.gone) throw new TypeError("fetch failed");
    // What it says is what it knew when it was asked; a slow line does not change that.
    const { status, data } = this.answer(request.method, path, request.headers.get("If-Match"), body);
    await this.held.get(path);
    const headers = { "content-type": "application/json" };
    return new Response(data === undefined ? null : JSON.stringify(data), { status, headers });
  };

  count(method: string, path: string): number {
    return this.asked.filter((it) => it.method === method && it.path === path).length;
  }
}

/** What a page hears of the server, said by the test. */
export class FakeEvents extends EventTarget {
  static all: FakeEvents[] = [];
  closed = false;
  constructor(readonly url: string) {
    super();
    FakeEvents.all.push(this);
  }
  close() {
    this.closed = true;
  }
  say(name: string, data?: unknown) {
    this.dispatchEvent(Object.assign(new Event(name), { data: JSON.stringify(data) }));
  }
}

/** A fresh page in front of a server: every module anew, as after a reload. */
export async function page(server: FakeServer, remembered: Record<string, string> = {}) {
  vi.resetModules();
  vi.unstubAllGlobals();
  FakeEvents.all = [];
  const kept = new Map(Object.entries(remembered));
  const own = globalThis.Request;
  const here = (it: string | URL | Request) =>
    it instanceof own ? it : new URL(it, "http://127.0.0.1:8787");
  vi.stubGlobal(
    "Request",
    class extends own {
      constructor(input: string | URL | Request, init?: RequestInit) {
        super(here(input), init);
      }
    },
  );
  vi.stubGlobal("fetch", server.fetch);
  vi.stubGlobal("EventSource", FakeEvents);
  vi.stubGlobal("localStorage", {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => void kept.set(key, value),
  });
  const window = new EventTarget();
  vi.stubGlobal("addEventListener", window.addEventListener.bind(window));
  vi.stubGlobal("removeEventListener", window.removeEventListener.bind(window));
  const { useSite } = await import("../../src/composables/useSite");
  const { useEdits } = await import("../../src/composables/useEdits");
  const { useKit } = await import("../../src/composables/useKit");
  const { useSites } = await import("../../src/composables/useSites");
  return { window, kept, ...useSite(), edits: useEdits(), kit: useKit(), all: useSites() };
}

/** Lets everything go on that waits for nothing but its turn. */
export async function settled() {
  for (let turn = 0; turn < 40; turn += 1) await Promise.resolve();
  await vi.advanceTimersByTimeAsync(0);
}

/** A fresh page in front of a fresh server before each test, with its first site open; the clock is the test's. */
export function staged(
  make: () => FakeServer,
  take: (server: FakeServer, here: Awaited<ReturnType<typeof page>>) => void,
) {
  beforeEach(async () => {
    vi.useFakeTimers();
    const server = make();
    const here = await page(server);
    await here.load();
    take(server, here);
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });
}
