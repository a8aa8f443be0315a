/** Which outage of which arrangement is looked at, what is dropped, and what the server says of it. */
import { computed, ref, shallowRef, watch, type ComputedRef, type Ref } from "vue";
import { api, Refused, taken, type Arrangement, type Schemas } from "../../api/client";
import { asking } from "../../api/events";
import type { Part } from "../../composables/useAddress";
import { useAsked, withUnsaved } from "../../composables/useAsked";
import { useEdits } from "../../composables/useEdits";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { idFrom } from "../../format/figure";

export type Outage = Schemas["Outage"];
export type Told = Schemas["OutageTold"];
export type Of = { arrangement: string; outage: string };
type Question = Schemas["OutageQuestion"];

const picked = ref<{ site: string; way?: string; outage?: string }>({ site: "" });
/** Devices that are dropped, on top of what the rules do, */
const dropped = ref<string[]>([]);
/** and the charge of their store below which they are; at the start where there is none. */
const below = ref<number>();

/** The arrangement and the outage that are chosen; at first the widest arrangement and the first outage. */
export function useChosen() {
  const { plan, id: site } = useSite();
  const ways = computed<Arrangement[]>(() => withUnsaved("arrangement", plan.value?.arrangements));
  const outages = computed<Outage[]>(() => withUnsaved("outage", plan.value?.outages));
  const fed = (way: Arrangement) =>
    way.feeds.filter((feed) => plan.value?.kit.devices.some((it) => it.id === feed.to)).length;
  const widest = computed(() => [...ways.value].sort((a, b) => fed(b) - fed(a))[0]);
  const own = computed<typeof picked.value>(() =>
    picked.value.site === site.value ? picked.value : { site: site.value },
  );
  const way = computed(() => ways.value.find((it) => it.id === own.value.way) ?? widest.value);
  const outage = computed(() => outages.value.find((it) => it.id === own.value.outage) ?? outages.value[0]);
  function choose(change: { way?: string; outage?: string }) {
    picked.value = { ...own.value, site: site.value, ...change };
    dropped.value = [];
    below.value = undefined;
  }
  /** What somebody chose, for the address. */
  const chosen: Record<"way" | "outage", Part> = {
    way: { now: () => own.value.way && way.value?.id, take: (text) => choose({ way: text }) },
    outage: { now: () => own.value.outage && outage.value?.id, take: (text) => choose({ outage: text }) },
  };
  return { ways, outages, way, outage, choose, chosen };
}

/** Adds an outage like another one, under a name of its own, and chooses it. */
export function useAddOutage() {
  const { outages, choose } = useChosen();
  const { step } = useKit();
  async function add(from: Outage, words: string) {
    const ids = outages.value.map((it) => it.id);
    const body = { ...copyOf(from), id: idFrom(from.label, ids) };
    const done = await step(`${words}: ${body.label}`, [{ kind: "outage", id: body.id, revision: 0, body }]);
    if (done) choose({ outage: body.id });
  }
  return { add };
}

const saved = (site: string) => ({ params: { path: { site } } });

/** An outage of an arrangement, told; asked anew with every change, and with what is dropped. */
export function useTold(
  of: ComputedRef<Of | undefined>,
  drop: Ref<string[]> | ComputedRef<string[]>,
  everything: Ref<boolean | undefined>,
  soc?: Ref<number | undefined>,
) {
  const question = (changes: Question["changes"]): Question | undefined =>
    of.value && {
      ...of.value,
      drop: drop.value.map((device) =>
        soc?.value === undefined ? { device } : { device, below_soc: soc.value },
      ),
      ...(everything.value === undefined ? {} : { use_everything: everything.value }),
      ...(changes ? { changes } : {}),
    };
  const { answer, trouble, again, follow } = useAsked(
    async (site, changes) => {
      const body = question(changes);
      if (!body) return undefined;
      const told = taken(await api.POST("/sites/{site}/outage", { ...saved(site), body }));
      return { of: body, told };
    },
    () => [of.value?.arrangement, of.value?.outage, drop.value.join(), soc?.value, everything.value],
  );
  return {
    told: computed(() => answer.value?.told),
    asked: computed(() => answer.value?.of),
    trouble,
    again,
    follow,
  };
}

/** What dropping each device buys. */
export function useBoard(of: ComputedRef<Of | undefined>, everything: Ref<boolean | undefined>) {
  return useAsked(
    async (site, changes) => {
      if (!of.value) return undefined;
      const use = everything.value === undefined ? {} : { use_everything: everything.value };
      const at = below.value === undefined ? {} : { below_soc: below.value };
      const body = { of: { ...of.value, ...use, changes }, together: [...dropped.value], ...at };
      return taken(await api.POST("/sites/{site}/outage/shed", { ...saved(site), body }));
    },
    () => [of.value?.arrangement, of.value?.outage, dropped.value.join(), below.value, everything.value],
  );
}

export type ChancesTold = Schemas["ChancesTold"];

/** Many runs, with their progress; the reader can leave, and then they end. */
export function useChances(asked: ComputedRef<Question | undefined>) {
  const { id: site, trouble } = useSite();
  const { changes } = useEdits();
  const chances = shallowRef<{ key: string; told: ChancesTold }>();
  const progress = ref<{ done: number; of: number }>();
  let running: AbortController | undefined;
  const key = computed(() => JSON.stringify([site.value, asked.value]));
  const current = computed(() => (chances.value?.key === key.value ? chances.value.told : undefined));

  function cancel() {
    running?.abort();
    running = undefined;
    progress.value = undefined;
  }

  async function run(runs: number) {
    cancel();
    if (!asked.value) return;
    const mine = new AbortController();
    running = mine;
    const of = { ...asked.value, changes: changes.value };
    const wanted = key.value;
    progress.value = { done: 0, of: runs };
    try {
      const body = { of, runs, seed: 1 };
      for await (const event of asking(`${site.value}/outage/chances`, body, mine.signal)) {
        if (mine.signal.aborted) return;
        if (event.name === "progress")
          progress.value = JSON.parse(event.data) as { done: number; of: number };
        if (event.name === "done")
          chances.value = { key: wanted, told: JSON.parse(event.data) as ChancesTold };
      }
    } catch (error) {
      if (mine.signal.aborted) return;
      trouble.value =
        error instanceof Refused
          ? error.message
          : "The server does not answer. The runs were not made; try again.";
    } finally {
      if (running === mine) cancel();
    }
  }
  // What was asked of something else is no answer any more, and is not worth waiting for.
  watch(key, cancel);
  return { chances: current, progress, run, cancel };
}

/** Drops a device, or takes it up again. */
function toggle(device: string) {
  dropped.value = dropped.value.includes(device)
    ? dropped.value.filter((it) => it !== device)
    : [...dropped.value, device];
}

export function useDropped() {
  return { dropped, below, toggle };
}
