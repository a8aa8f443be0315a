/** What the shelf asks: what runs what, those that are ticked together, and what fills what. */
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, taken, type Arrangement, type Schemas } from "../../api/client";
import type { Part } from "../../composables/useAddress";
import { useAsked } from "../../composables/useAsked";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { idsIn } from "../../format/address";
import { idFrom } from "../../format/figure";
import { useWays } from "../Chains/useWays";
import type { Fills, Runs } from "./shelf";

export type Table = "runs" | "fills" | "least" | "finder" | "wins" | "beside";
export const TABLES: [Table, string][] = [
  ["runs", "what runs what"],
  ["fills", "what fills what"],
  ["least", "the smallest that would do"],
  ["finder", "the finder"],
  ["wins", "what to buy first"],
  ["beside", "one box or parts"],
];

/** Devices that are ticked, by site. */
const ticks = ref<{ site: string; ids: string[] }>({ site: "", ids: [] });

export function useTicked() {
  const { id: site, plan } = useSite();
  const ticked = computed(() => {
    const known = new Set(plan.value?.kit.devices.map((it) => it.id));
    return ticks.value.site === site.value ? ticks.value.ids.filter((it) => known.has(it)) : [];
  });
  function tick(ids: string[], on?: boolean) {
    const now = new Set(ticked.value);
    for (const id of ids)
      if (on ?? !now.has(id)) now.add(id);
      else now.delete(id);
    ticks.value = { site: site.value, ids: [...now] };
  }
  /** Those, for the address. */
  const inAddress: Part = {
    now: () => ticked.value.join(),
    take: (text) => (ticks.value = { site: site.value, ids: idsIn(text) }),
  };
  return { ticked, tick, inAddress };
}

/** Which table is open; it stands in the address. */
export function useTable() {
  const route = useRoute();
  const router = useRouter();
  const table = computed<Table>(() => TABLES.find(([it]) => it === route.query.table)?.[0] ?? "runs");
  const open = (it: Table) =>
    void router.replace({ query: { ...route.query, table: it === "runs" ? undefined : it } });
  return { table, open };
}

export function useRuns(outage: () => string | undefined) {
  const { ticked } = useTicked();
  const all = useAsked<Runs>(async (site, changes) =>
    taken(
      await api.POST("/sites/{site}/runs", { params: { path: { site } }, body: { together: [], changes } }),
    ),
  );
  const feet = useAsked<Runs | undefined>(
    async (site, changes, signal) => {
      if (ticked.value.length === 0) return undefined;
      const named = outage();
      const body = {
        devices: ticked.value,
        together: ticked.value,
        changes,
        ...(named ? { outage: named } : {}),
      };
      return taken(await api.POST("/sites/{site}/runs", { params: { path: { site } }, body, signal }));
    },
    () => [ticked.value.join(), outage()].join("/"),
  );
  // A foot of other devices is no answer to these.
  watch(ticked, () => (feet.answer.value = undefined));
  return { all, feet };
}

export function useFills() {
  return useAsked<Fills>(async (site, changes) =>
    taken(await api.POST("/sites/{site}/fills", { params: { path: { site } }, body: { changes } })),
  );
}

/** Makes an arrangement of what was judged, and shows it among the chains. */
export function useTaking() {
  const { plan } = useSite();
  const { step } = useKit();
  const { only } = useWays();
  const router = useRouter();
  /** With what is not in the plan yet, as one step. */
  async function takeWith(way: Arrangement, added?: Schemas["Added"]) {
    const id = idFrom(
      way.label,
      (plan.value?.arrangements ?? []).map((it) => it.id),
    );
    const parts = [
      ...(added?.sources ?? []).map((body) => ({ kind: "source", id: body.id, revision: 0, body })),
      ...(added?.converters ?? []).map((body) => ({ kind: "converter", id: body.id, revision: 0, body })),
    ];
    const changes = [...parts, { kind: "arrangement", id, revision: 0, body: { ...way, id } }];
    if (!(await step(`arrangement added: ${way.label}`, changes))) return;
    only(id);
    await router.push({ name: "chains" });
  }
  return { take: (way: Arrangement) => takeWith(way), takeWith };
}
