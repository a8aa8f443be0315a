/** What is looked at stands in the address: a reload, or a link that is sent, shows the same. */
import { onScopeDispose, watch } from "vue";
import { addressWith } from "../format/address";
import { useSite } from "./useSite";

/** A part of what is looked at. */
export interface Part {
  /** What it is now; nothing where it is as at first. */
  now: () => string | undefined;
  /** Takes what an address says, which may name what is no longer there. */
  take: (text: string) => void;
}

/** So long nothing moves before it is written, ms: browsers bear a hundred a half-minute. */
const RESTS_MS = 400;

/** Writes parts into the address, without a step in the history of the window. */
export function writeAddress(parts: Record<string, string | undefined>) {
  const to = addressWith(location, parts);
  if (to === location.pathname + location.search + location.hash) return;
  // The router keeps its own note of where it stands, and goes back to that.
  history.replaceState({ ...history.state, current: to }, "", to);
}

/** Takes what the address says when the site is there, in this order, and keeps it true from then on. */
export function useAddress(parts: Record<string, Part>) {
  const { id } = useSite();
  let due: ReturnType<typeof setTimeout> | undefined;
  let begun = false;
  const put = () =>
    writeAddress(Object.fromEntries(Object.entries(parts).map(([name, it]) => [name, it.now()])));
  const later = () => {
    clearTimeout(due);
    if (begun) due = setTimeout(put, RESTS_MS);
  };
  watch(
    id,
    () => {
      if (begun || !id.value) return;
      const said = new URLSearchParams(location.search);
      for (const [name, it] of Object.entries(parts)) {
        const text = said.get(name);
        if (text) it.take(text);
      }
      begun = true;
      later();
    },
    { immediate: true },
  );
  watch(() => Object.values(parts).map((it) => it.now()), later);
  onScopeDispose(() => clearTimeout(due));
}
