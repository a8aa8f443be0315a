import { listenToChanges } from "./changes";
import { computed, readonly, ref, shallowRef } from "vue";
import { api, Refused, taken, type RevisedPlan } from "../api/client";

const KEY = "ash-pond.site";
const id = ref("");
const site = shallowRef<RevisedPlan>();
/** Every site, and those that were removed and can be brought back. */
const sites = shallowRef<{ id: string; name: string }[]>([]);
const removed = shallowRef<{ id: string; name: string }[]>([]);
/** Whether it was asked and there is no site at all. */
const none = ref(false);
const trouble = ref("");
/** What was last saved, undone or done again, in words. */
const said = ref("");
/** The one-line answer at the right of the strip. */
const line = ref("");
/** The watch that there is something new of. */
const news = shallowRef<{ site: string; number: number }>();
/** Counts up when there is something new in the log of the open site. */
const logNews = ref(0);
/** The arrangement that the line is about, and the charge that it starts from; where none is chosen the first, full. */
const lineOf = shallowRef<{ arrangement: string; soc: Record<string, number> }>();

async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
  try {
    const done = await work();
    trouble.value = "";
    return done;
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. What you typed is kept; try again.";
    return undefined;
  }
}

async function list() {
  const found = taken(await api.GET("/sites"));
  sites.value = found.sites;
  removed.value = found.removed;
  none.value = found.sites.length === 0;
}

/** Opens a site and remembers it; the one that was open last, else the first. */
async function load(wanted?: string) {
  await attempt(async () => {
    await list();
    const known = (id: string | null | undefined) => sites.value.find((it) => it.id === id);
    const open = known(wanted) ?? known(localStorage.getItem(KEY)) ?? sites.value[0];
    if (!open) {
      id.value = "";
      site.value = undefined;
      return;
    }
    const found = taken(await api.GET("/sites/{site}/plan", { params: { path: { site: open.id } } }));
    if (open.id !== id.value) {
      lineOf.value = undefined;
      line.value = "";
    }
    id.value = open.id;
    site.value = found;
    localStorage.setItem(KEY, open.id);
  });
}

/**
 * Reads the plan anew. An answer that comes late, behind one of a later change, is dropped; after the server was
 * gone its plan is taken as it is.
 */
async function refresh(back = false) {
  if (!id.value) return load();
  const asked = id.value;
  await attempt(async () => {
    const now = taken(await api.GET("/sites/{site}/plan", { params: { path: { site: asked } } }));
    if (asked !== id.value) return;
    const known = site.value?.revision ?? 0;
    if (now.revision > known || (back && now.revision !== known)) site.value = now;
  });
}

/** Sites that this window itself is removing. */
const leaving = new Set<string>();

/** Another site is opened where the open one was removed elsewhere. */
async function removedElsewhere(gone: string) {
  if (leaving.has(gone)) return;
  if (gone !== id.value) return attempt(list);
  const name = site.value?.plan.site.name ?? gone;
  await load();
  said.value = `${name} was removed elsewhere.`;
}

const LOST = "The server does not answer. What you type is kept, and saved when it is back.";

/** Stays in step with other windows, and tells when the server is gone and when it is back. */
function listen() {
  return listenToChanges((told) => {
    if (told.kind === "lost") trouble.value = LOST;
    else if (told.kind === "behind") void refresh();
    else if (told.kind === "open") {
      const back = trouble.value === LOST;
      if (back) trouble.value = "";
      void refresh(back);
    } else if (told.changed.watch) news.value = { site: told.changed.site, number: told.changed.watch };
    else if (told.changed.log) {
      if (told.changed.site === id.value) logNews.value += 1;
    } else if (told.changed.removed) void removedElsewhere(told.changed.site);
    else if (told.changed.site === id.value && told.changed.revision > (site.value?.revision ?? 0))
      void refresh();
  });
}

/** The element of the plan as it is stored. */
function stored(kind: string, element: string): unknown {
  const found = site.value?.plan;
  if (!found) return undefined;
  if (kind === "site") return found.site;
  const lists: Record<string, { id: string }[]> = {
    device: found.kit.devices,
    source: found.kit.sources,
    converter: found.kit.converters,
    arrangement: found.arrangements,
    outage: found.outages,
  };
  return lists[kind]?.find((it) => it.id === element);
}

/** Saves one element on the revision that it was read at. Throws what the server refuses. */
async function save(kind: string, element: string, body: unknown) {
  const revision = site.value?.revisions[kind]?.[element] ?? 0;
  const path = { site: id.value, kind, id: element };
  const header = { "If-Match": `"${revision}"` };
  const answer = await api.PUT("/sites/{site}/elements/{kind}/{id}", {
    params: { path, header },
    body: body as never,
  });
  if (answer.response.status === 409) {
    site.value = taken(await api.GET("/sites/{site}/plan", { params: { path: { site: id.value } } }));
  }
  site.value = taken(answer);
  said.value = "Saved.";
}

/** Saves one element while the page is being left; the answer is not waited for. */
function saveLeaving(kind: string, element: string, body: unknown) {
  const revision = site.value?.revisions[kind]?.[element] ?? 0;
  const place = [id.value, "elements", kind, element].map(encodeURIComponent).join("/");
  const headers = { "If-Match": `"${revision}"`, "Content-Type": "application/json" };
  void fetch(`/api/sites/${place}`, { method: "PUT", body: JSON.stringify(body), headers, keepalive: true });
}

async function walk(back: boolean) {
  await attempt(async () => {
    const params = { params: { path: { site: id.value } } };
    const answer = back
      ? await api.POST("/sites/{site}/undo", params)
      : await api.POST("/sites/{site}/redo", params);
    const done = taken(answer);
    site.value = done.site;
    said.value = `${back ? "Undone" : "Done again"}: ${done.words}`;
  });
}

/** Has everything that the server says asked anew, in the units of habit. */
function again() {
  if (site.value) site.value = { ...site.value, plan: { ...site.value.plan } };
}

/** The open site: its plan, and how it is changed, undone and done again. One for the whole page. */
export function useSite() {
  return {
    id: readonly(id),
    site,
    plan: computed(() => site.value?.plan),
    sites,
    removed,
    none,
    trouble,
    said,
    line,
    lineOf,
    news,
    logNews,
    attempt,
    list,
    load,
    listen,
    again,
    stored,
    save,
    saveLeaving,
    leaving,
    undo: () => walk(true),
    redo: () => walk(false),
  };
}
