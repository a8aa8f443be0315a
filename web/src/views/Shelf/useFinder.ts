/** The finder's question and its answer: it tells how far it is, can be stopped, and what was found by then stays. */
import { computed, reactive, ref, shallowRef, watch } from "vue";
import { asking } from "../../api/events";
import { Refused, type Schemas } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { usePrices } from "./usePrices";
import { useTicked } from "./useShelf";

export type Found = Schemas["FinderAnswer"];

/** Chosen where a day is asked for and no outage; no id has a colon. */
export const DAY = ":day";
/** The shortest day of this year. */
const shortest = () => `${new Date().getFullYear()}-12-21`;

/** A limit that was typed; none where nothing was. */
export function limit(text: string): number | undefined {
  const trimmed = text.trim().replace(",", ".");
  return trimmed === "" ? undefined : Number(trimmed);
}

/** The devices that are wanted: what is ticked; at first the two that matter most. */
export function useWanted() {
  const { plan } = useSite();
  const { ticked, tick } = useTicked();
  const kit = computed(() => plan.value?.kit.devices ?? []);
  const rank = (it: (typeof kit.value)[number]) => {
    const of = it.priority as number | { value: number } | null | undefined;
    return of == null ? Infinity : typeof of === "number" ? of : of.value;
  };
  const devices = computed(() => {
    if (ticked.value.length > 0) return ticked.value;
    const sorted = [...kit.value].sort((a, b) => rank(a) - rank(b));
    return sorted.slice(0, 2).map((it) => it.id);
  });
  const label = (id: string) => kit.value.find((it) => it.id === id)?.label ?? id;
  const names = computed(() => {
    const all = devices.value.map(label);
    return [all.slice(0, -1).join(", "), all[all.length - 1]].filter(Boolean).join(" and ");
  });
  const more = computed<[string, string][]>(() => [
    ["", "and …"],
    ...kit.value
      .filter((it) => !devices.value.includes(it.id))
      .map((it): [string, string] => [it.id, it.label]),
  ]);
  function set(ids: string[]) {
    tick(ticked.value, false);
    tick(ids, true);
  }
  return { devices, label, names, more, set };
}

export function useFinder() {
  const { id: site, plan } = useSite();
  const { changes } = useEdits();
  const { devices } = useWanted();
  const { prices, counts, leads } = usePrices();
  const asked = reactive({
    hours: 24,
    outage: "",
    day: shortest(),
    spend: "",
    weight: "",
    parts: "",
    shelf: "site",
    proven: "",
    hand: "0",
    leads: "",
    dry: [] as string[],
  });
  const answer = shallowRef<Found>();
  const trouble = ref<string>();
  const progress = ref<{ tried: number; branches: number }>();
  const stopped = ref(false);
  let running: AbortController | undefined;

  function forget() {
    running?.abort();
    running = undefined;
    progress.value = undefined;
  }

  /** Stops it; what it found until then stays, and says so. */
  function stop() {
    stopped.value = answer.value !== undefined;
    forget();
  }

  async function ask() {
    if (devices.value.length === 0) return;
    forget();
    const mine = new AbortController();
    running = mine;
    answer.value = trouble.value = undefined;
    stopped.value = false;
    progress.value = { tried: 0, branches: 0 };
    const [spend, weight, parts] = [limit(asked.spend), limit(asked.weight), limit(asked.parts)];
    const body = {
      devices: devices.value,
      hours: asked.hours,
      front: true,
      shelf: asked.shelf,
      proven_only: asked.proven !== "",
      by_hand: Number(asked.hand),
      no_mains: asked.dry.filter((it) => devices.value.includes(it)),
      changes: changes.value,
      ...(asked.shelf === "kinds" ? { prices: prices.value, counts: counts.value } : {}),
      ...(asked.leads ? { leads: leads.value } : {}),
      ...(asked.outage === DAY ? { day: asked.day } : asked.outage ? { outage: asked.outage } : {}),
      ...(spend === undefined ? {} : { spend }),
      ...(weight === undefined ? {} : { weight_kg: weight }),
      ...(parts === undefined ? {} : { parts }),
    };
    try {
      for await (const event of asking(`${site.value}/find/progress`, body, mine.signal)) {
        if (mine.signal.aborted) return;
        if (event.name === "progress") {
          const far = JSON.parse(event.data) as Schemas["FinderSoFar"];
          progress.value = far;
          if (far.found) answer.value = far.found;
        }
        if (event.name === "done") answer.value = JSON.parse(event.data) as Found;
      }
    } catch (error) {
      if (!mine.signal.aborted)
        trouble.value = error instanceof Refused ? error.message : "The server does not answer.";
    } finally {
      if (running === mine) forget();
    }
  }
  // What was asked of something else is no answer any more, and is not worth waiting for.
  watch([devices, () => ({ ...asked, dry: [...asked.dry] }), plan, prices, counts, leads], () => {
    forget();
    answer.value = trouble.value = undefined;
  });
  return { asked, answer, trouble, progress, stopped, ask, stop };
}
