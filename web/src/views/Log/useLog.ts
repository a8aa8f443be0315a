/** The log of the open site: its entries as they are looked for, what is due, and how its batteries age. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";
import { useDue } from "../../composables/useDue";

export type Line = Schemas["LogLine"];
export type Check = Schemas["DueCheck"];
export type Battery = Schemas["BatteryHealth"];
export type Asking = Schemas["LogAskingGiven"];

/** Kinds in the order in which they can be chosen, each with its word. */
export const kinds: [string, string][] = [
  ["note", "notes"],
  ["repair", "repairs"],
  ["purchase", "purchases"],
  ["check", "checks"],
  ["test", "tests"],
  ["watch,drill", "outages and drills"],
  ["walk", "walks"],
  ["change", "changes of the plan"],
];

/** Typing is waited for so long, ms. */
const TYPING = 180;
const LOST = "The server does not answer. What you typed is kept; try again.";

export function useLog() {
  const { id: site, logNews, site: revised } = useSite();
  const revision = computed(() => revised.value?.revision);
  const { due, look: lookDue } = useDue();
  const words = ref("");
  const kind = ref("");
  const item = ref("");
  const entries = shallowRef<Line[]>();
  const next = ref<string | null>();
  const batteries = shallowRef<Battery[]>();
  const trouble = ref("");
  const busy = ref(false);
  let latest = 0;
  let wait: ReturnType<typeof setTimeout> | undefined;
  const path = () => ({ site: site.value });

  async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
    busy.value = true;
    try {
      const done = await work();
      trouble.value = "";
      return done;
    } catch (error) {
      trouble.value = error instanceof Refused ? `${named(error.path)}${error.message}` : LOST;
      return undefined;
    } finally {
      busy.value = false;
    }
  }

  const asked = () => ({
    words: words.value || undefined,
    kind: kind.value || undefined,
    item: item.value || undefined,
  });

  /** Reads the list as it is looked for now; an answer to an earlier question is none. */
  async function look() {
    if (!site.value) return;
    const number = (latest += 1);
    await attempt(async () => {
      const query = { ...asked(), limit: 60 };
      const found = taken(await api.GET("/sites/{site}/log", { params: { path: path(), query } }));
      if (number !== latest) return;
      entries.value = found.entries;
      next.value = found.next;
    });
  }

  async function more() {
    const behind = next.value;
    if (!behind) return;
    const number = latest;
    await attempt(async () => {
      const query = { ...asked(), limit: 60, behind };
      const found = taken(await api.GET("/sites/{site}/log", { params: { path: path(), query } }));
      if (number !== latest) return;
      entries.value = [...(entries.value ?? []), ...found.entries];
      next.value = found.next;
    });
  }

  async function age() {
    if (!site.value) return;
    const found = await attempt(async () =>
      taken(await api.GET("/sites/{site}/batteries", { params: { path: path() } })),
    );
    if (found) batteries.value = found.batteries;
  }

  /** Writes an entry, with files beside it; tells its number. */
  async function write(body: Asking, files: File[]): Promise<number | undefined> {
    const done = await attempt(async () => {
      const made = taken(await api.POST("/sites/{site}/log", { params: { path: path() }, body }));
      for (const file of files) await give(made.id, file);
      return made.id;
    });
    await look();
    if (body.replaced) void age();
    return done;
  }

  async function give(entry: number, file: File) {
    const where = `/api/sites/${site.value}/log/${entry}/files?name=${encodeURIComponent(file.name)}`;
    const headers = { "content-type": "application/octet-stream" };
    const answer = await fetch(where, { method: "POST", headers, body: file });
    if (answer.ok) return;
    const problem = (await answer.json().catch(() => undefined)) as Schemas["Problem"] | undefined;
    throw new Refused(
      `${file.name}: ${problem?.detail ?? "it was not taken"}`,
      problem?.code ?? "",
      undefined,
    );
  }

  async function addFiles(entry: number, files: File[]) {
    await attempt(async () => {
      for (const file of files) await give(entry, file);
    });
    await look();
  }

  async function strike(entry: number, why: string | null) {
    const at = { site: site.value, entry };
    await attempt(async () => {
      const answer = await api.POST("/sites/{site}/log/{entry}", { params: { path: at }, body: { why } });
      if (!answer.response.ok) taken(answer as never);
    });
    await look();
    void lookDue();
  }

  async function answer(body: Schemas["CheckAnswerGiven"]): Promise<boolean> {
    const told = await attempt(async () =>
      taken(await api.POST("/sites/{site}/due", { params: { path: path() }, body })),
    );
    if (told) due.value = told;
    await look();
    return told !== undefined;
  }

  async function own(body: Schemas["OwnCheckGiven"]): Promise<boolean> {
    const told = await attempt(async () =>
      taken(await api.POST("/sites/{site}/due/own", { params: { path: path() }, body })),
    );
    if (told) due.value = told;
    await look();
    return told !== undefined;
  }

  async function bring(text: string, keep: boolean) {
    const told = await attempt(async () =>
      taken(await api.POST("/sites/{site}/log/import", { params: { path: path() }, body: { text, keep } })),
    );
    if (told?.kept) await look();
    return told;
  }

  watch([words, kind, item], () => {
    clearTimeout(wait);
    wait = setTimeout(() => void look(), TYPING);
  });
  watch(
    site,
    () => {
      void look();
      void lookDue();
      void age();
    },
    { immediate: true },
  );
  // What another window wrote, and what a change of the plan makes due.
  watch([logNews, revision], () => {
    void look();
    void lookDue();
  });
  onBeforeUnmount(() => clearTimeout(wait));

  const isNarrowed = computed(() => words.value !== "" || kind.value !== "" || item.value !== "");
  return {
    site,
    words,
    kind,
    item,
    entries,
    next,
    due,
    batteries,
    trouble,
    busy,
    isNarrowed,
    look,
    more,
    write,
    addFiles,
    strike,
    answer,
    own,
    bring,
  };
}

/** The field that a refusal is about, as a person calls it. */
function named(path: string | undefined): string {
  const names: Record<string, string> = {
    words: "What happened ",
    at: "When it was ",
    until: "The day ",
    note: "The note ",
    title: "What is to be checked ",
    every_days: "How often ",
    first: "The first day ",
    text: "The file ",
    why: "The reason ",
    on: "The day ",
  };
  return path ? (names[path] ?? `${path} `) : "";
}
