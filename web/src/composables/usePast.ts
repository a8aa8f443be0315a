/** Which figures have a past, and the one that is looked at: what was said of it, what stands, and why. */
import { computed, ref, shallowRef, toRaw, watch } from "vue";
import { api, taken, type Schemas } from "../api/client";
import { withUnsaved } from "./useAsked";
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";

export type Place = Schemas["FigurePlace"];
/** Where a figure stands on the page: the object that holds it, and its key there. */
export type At = [object | null | undefined, string];

const known = shallowRef(new Set<string>());
const shown = ref<Place>();
const name = (it: Place) => `${it.kind}/${it.id}/${it.path}`;
let following = false;

/** Every object of the plan, by whose it is and where it stands there. */
const places = computed(() => {
  const { plan } = useSite();
  const found = new WeakMap<object, Place>();
  function walk(value: unknown, at: Place) {
    if (typeof value !== "object" || value === null) return;
    found.set(toRaw(value), at);
    if (Array.isArray(value)) {
      value.forEach((it, index) => walk(it, { ...at, path: `${at.path}[${index}]` }));
      return;
    }
    for (const [key, inner] of Object.entries(value))
      walk(inner, { ...at, path: at.path ? `${at.path}.${key}` : key });
  }
  const now = plan.value;
  if (!now) return found;
  const lists: [string, { id: string }[]][] = [
    ["device", withUnsaved("device", now.kit.devices)],
    ["source", withUnsaved("source", now.kit.sources)],
    ["converter", withUnsaved("converter", now.kit.converters)],
    ["arrangement", withUnsaved("arrangement", now.arrangements)],
    ["outage", withUnsaved("outage", now.outages)],
  ];
  walk(useEdits().unsaved.value.get("site/site")?.body ?? now.site, { kind: "site", id: "site", path: "" });
  for (const [kind, list] of lists) list.forEach((it) => walk(it, { kind, id: it.id, path: "" }));
  return found;
});

async function ask(site: string) {
  try {
    const told = taken(await api.GET("/sites/{site}/past", { params: { path: { site } } }));
    known.value = new Set(told.figures.map(name));
  } catch {
    // Without it no figure offers its past; the next change asks again.
    known.value = new Set();
  }
}

function follow() {
  if (following) return;
  following = true;
  const { id, plan } = useSite();
  watch([id, plan], ([site, there]) => there && site && void ask(site), { immediate: true });
}

export function usePast() {
  follow();
  /** Where a figure stands in the plan, where it has a past. */
  function pastOf(at: At | undefined): Place | undefined {
    const holder = at?.[0] ? places.value.get(toRaw(at[0])) : undefined;
    if (!at || !holder) return undefined;
    const place = { ...holder, path: holder.path ? `${holder.path}.${at[1]}` : at[1] };
    return known.value.has(name(place)) ? place : undefined;
  }
  /** A place that the server told, where what stands there has a past. */
  const hasPast = (place: Place | null | undefined) => place != null && known.value.has(name(place));
  return { pastOf, hasPast, shown };
}
