import { computed, readonly, ref, shallowRef } from "vue";
import { api, Refused, taken, type RevisedPlan } from "../api/client";

const id = ref("");
const site = shallowRef<RevisedPlan>();
const trouble = ref("");
/** What was last saved, undone or done again, in words. */
const said = ref("");
/** The one-line answer at the right of the strip. */
const line = ref("");
/** The arrangement that the line is about, and the charge that it starts from; the first one, full, where none was chosen. */
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

async function load() {
  await attempt(async () => {
    const { sites } = taken(await api.GET("/sites"));
    const first = sites[0];
    if (!first)
      throw new Refused("There is no site yet. Start the demo with `ash-pond demo`.", "missing", undefined);
    id.value = first.id;
    site.value = taken(await api.GET("/sites/{site}/plan", { params: { path: { site: first.id } } }));
  });
}

/**
 * Reads the plan anew. An answer that comes late, behind one of a later change, is dropped; after the server was
 * gone its plan is taken as it is.
 */
async function refresh(back = false) {
  if (!id.value) return load();
  await attempt(async () => {
    const now = taken(await api.GET("/sites/{site}/plan", { params: { path: { site: id.value } } }));
    const known = site.value?.revision ?? 0;
    if (now.revision > known || (back && now.revision !== known)) site.value = now;
  });
}

const LOST = "The server does not answer. What you type is kept, and saved when it is back.";

/** Stays in step with other windows, and tells when the server is gone and when it is back. */
function listen() {
  const events = new EventSource("/api/events");
  events.addEventListener("changed", (event) => {
    const told = JSON.parse((event as MessageEvent<string>).data) as { site: string; revision: number };
    if (told.site === id.value && told.revision > (site.value?.revision ?? 0)) void refresh();
  });
  events.addEventListener("behind", () => void refresh());
  events.addEventListener("open", () => {
    const back = trouble.value === LOST;
    if (back) trouble.value = "";
    void refresh(back);
  });
  events.addEventListener("error", () => {
    trouble.value = LOST;
  });
  return () => events.close();
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

/** The open site: its plan, and how it is changed, undone and done again. One for the whole page. */
export function useSite() {
  return {
    id: readonly(id),
    site,
    plan: computed(() => site.value?.plan),
    trouble,
    said,
    line,
    lineOf,
    load,
    listen,
    save,
    undo: () => walk(true),
    redo: () => walk(false),
  };
}
