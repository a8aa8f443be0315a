/**
 * What a person would pay for the ready-made kinds and for a metre of lead, and how many of each kind: typed
 * once, kept in this browser for each site.
 */
import { computed, ref, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";

interface Typed {
  price: string;
  count: string;
}

const typed = ref<Record<string, Typed>>({});
const kinds = ref<{ id: string; label: string }[]>([]);
let of = "";

/** Any number of a kind, as the API counts. */
export const ANY = "1000";
/** Sizes of lead that may be priced, mm². */
export const SIZES = [0.75, 1.5, 2.5, 4, 6, 10, 16, 25];
/** What a size of lead is called among what is typed; no kind has a colon. */
export const sizeKey = (area: number) => `:lead-${area}`;

const key = (site: string) => `ash-pond-prices-${site}`;

function read(site: string): Record<string, Typed> {
  try {
    const kept = JSON.parse(localStorage.getItem(key(site)) ?? "{}") as Record<string, Partial<Typed>>;
    const whole = Object.entries(kept).map(([id, it]): [string, Typed] => [
      id,
      { price: String(it.price ?? ""), count: String(it.count ?? "") },
    ]);
    return Object.fromEntries(whole);
  } catch {
    return {};
  }
}

const number = (text: string) => {
  const value = Number(text.trim().replace(",", "."));
  return text.trim() === "" || !Number.isFinite(value) || value < 0 ? undefined : value;
};

export function usePrices() {
  const { id: site } = useSite();
  watch(
    site,
    (now) => {
      if (now && now !== of) [of, typed.value] = [now, read(now)];
    },
    { immediate: true },
  );
  async function load() {
    if (kinds.value.length > 0) return;
    const kit = taken(await api.GET("/kinds")) as Schemas["Kit"];
    kinds.value = [...kit.sources, ...kit.converters]
      .map((it) => ({ id: it.id, label: it.label }))
      .sort((a, b) => a.label.localeCompare(b.label));
  }
  function type(id: string, part: keyof Typed, text: string) {
    const before = typed.value[id] ?? { price: "", count: "" };
    typed.value = { ...typed.value, [id]: { ...before, [part]: text } };
    try {
      localStorage.setItem(key(site.value), JSON.stringify(typed.value));
    } catch {
      // A browser that keeps nothing still computes with it.
    }
  }
  const pick = (part: keyof Typed, good: (it: number) => boolean) =>
    computed(() => {
      const known = new Set(kinds.value.map((it) => it.id));
      const pairs = Object.entries(typed.value).flatMap(([id, it]): [string, number][] => {
        const value = number(it[part]);
        return value !== undefined && good(value) && known.has(id) ? [[id, value]] : [];
      });
      return Object.fromEntries(pairs);
    });
  return {
    kinds,
    typed,
    load,
    type,
    prices: pick("price", () => true),
    counts: pick("count", (it) => Number.isInteger(it) && it >= 2 && it <= Number(ANY)),
    leads: computed(() =>
      SIZES.flatMap((area_mm2) => {
        const price_m = number(typed.value[sizeKey(area_mm2)]?.price ?? "");
        return price_m === undefined ? [] : [{ area_mm2, price_m }];
      }),
    ),
  };
}
