/** The watch that is open, or that is looked at: what the server knows of it, and what is read and done in it. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";

export type Told = Schemas["WatchTold"];
export type Entry = Schemas["EntryAsked"];
export type Asked = Schemas["WatchAsked"];
export type Listed = Schemas["WatchListed"];

const WHO = "ash-pond.who";
/** Who acts here; remembered on this machine. */
export const who = ref(localStorage.getItem(WHO) ?? "");
watch(who, (now) => localStorage.setItem(WHO, now));

/** An outage is looked at so often, a drill more often, ms. */
const EVERY = 10_000;
const DRILL_EVERY = 1000;

export function useWatch() {
  const { id: site, news } = useSite();
  const list = shallowRef<Listed[]>();
  const told = shallowRef<Told>();
  const chosen = ref<number>();
  /** Why it could not be looked at; the next look that succeeds ends it. */
  const trouble = ref("");
  /** Why what a person did was refused; it stays until they do the next thing. */
  const refused = ref("");
  const question = ref<{ text: string; again: Entry }>();
  /** What was entered last and taken. */
  const took = shallowRef<Entry>();
  const busy = ref(false);
  let latest = 0;

  const path = (number: number) => ({ params: { path: { site: site.value, number } } });

  async function attempt<T>(work: () => Promise<T>, says = refused): Promise<T | undefined> {
    busy.value = true;
    try {
      const done = await work();
      says.value = "";
      return done;
    } catch (error) {
      says.value =
        error instanceof Refused
          ? error.message
          : "The server does not answer. It goes on watching; try again.";
      return undefined;
    } finally {
      busy.value = false;
    }
  }

  /** What is shown from now on; an answer to an older question is none. */
  function show(now: Told, number: number) {
    if (number === latest) told.value = now;
  }

  async function look() {
    if (!site.value) return;
    const number = (latest += 1);
    await attempt(async () => {
      const found = taken(await api.GET("/sites/{site}/watches", { params: { path: { site: site.value } } }));
      list.value = found.watches;
      const open = found.watches.find((it) => it.open)?.number ?? chosen.value;
      if (open === undefined) {
        if (number === latest) told.value = undefined;
        return;
      }
      // What has ended changes no more.
      if (told.value?.number === open && !told.value.open) return;
      chosen.value = open;
      show(taken(await api.GET("/sites/{site}/watches/{number}", path(open))), number);
    }, trouble);
  }

  async function begin(body: Asked) {
    const done = await attempt(async () =>
      taken(await api.POST("/sites/{site}/watches", { params: { path: { site: site.value } }, body })),
    );
    if (!done) return;
    latest += 1;
    chosen.value = done.number;
    told.value = done;
    await look();
  }

  async function bringIn(body: Schemas["PastAsked"]) {
    const done = await attempt(async () =>
      taken(await api.POST("/sites/{site}/watches/past", { params: { path: { site: site.value } }, body })),
    );
    if (done) choose(done.number);
    return done !== undefined;
  }

  /** Looks at a watch of the past. */
  function choose(number: number | undefined) {
    chosen.value = number;
    told.value = undefined;
    void look();
  }

  async function send(work: (number: number) => Promise<Told>) {
    const open = told.value?.number;
    if (open === undefined) return undefined;
    const number = (latest += 1);
    const done = await attempt(() => work(open));
    if (done) show(done, number);
    return done;
  }

  async function enter(entry: Entry) {
    const body = who.value ? { ...entry, by: who.value } : entry;
    const done = await send(async (number) =>
      taken(await api.POST("/sites/{site}/watches/{number}/entries", { ...path(number), body })),
    );
    question.value = done?.question ? { text: done.question, again: { ...entry, sure: true } } : undefined;
    if (done && !done.question) took.value = entry;
    return done !== undefined && !done.question;
  }

  const takeBack = (entry: number, undone: boolean) =>
    send(async (number) =>
      taken(
        await api.POST("/sites/{site}/watches/{number}/entries/{entry}", {
          params: { path: { site: site.value, number, entry } },
          body: { undone },
        }),
      ),
    );
  const setClock = (body: Schemas["DrillClock"]) =>
    send(async (number) =>
      taken(await api.POST("/sites/{site}/watches/{number}/clock", { ...path(number), body })),
    );
  const end = async () => {
    await send(async (number) => taken(await api.POST("/sites/{site}/watches/{number}/end", path(number))));
    await look();
  };

  let timer: ReturnType<typeof setTimeout> | undefined;
  let gone = false;
  async function follow() {
    await look();
    if (gone) return;
    const runs = told.value?.open && told.value.drill && !told.value.drill.paused;
    timer = setTimeout(() => void follow(), runs ? DRILL_EVERY : EVERY);
  }
  watch(
    site,
    () => {
      chosen.value = undefined;
      told.value = undefined;
      list.value = undefined;
      clearTimeout(timer);
      void follow();
    },
    { immediate: true },
  );
  watch(news, (now) => {
    if (now?.site === site.value && !busy.value) void look();
  });
  onBeforeUnmount(() => {
    gone = true;
    clearTimeout(timer);
  });

  const isOpen = computed(() => told.value?.open === true);
  return {
    list,
    told,
    trouble,
    refused,
    question,
    took,
    busy,
    isOpen,
    chosen,
    look,
    begin,
    bringIn,
    choose,
    enter,
    takeBack,
    setClock,
    end,
  };
}
