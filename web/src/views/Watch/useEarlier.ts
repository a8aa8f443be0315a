/** What was read, done and noticed in a watch, as far back as somebody wants to see it. */
import { computed, ref, shallowRef, watch, type Ref } from "vue";
import { api, taken } from "../../api/client";
import { useSite } from "../../composables/useSite";
import type { Told } from "./useWatch";

/** So many are in sight at first, and as many more come with each step; the server tells a thousand at once at most. */
const FIRST = 8;
const STEP = 100;
const MOST = 1000;

export function useEarlier(told: Ref<Told>) {
  const { id: site } = useSite();
  const isOpen = ref(false);
  const older = shallowRef<Told["entries"]>([]);
  const trouble = ref("");
  /** The place of the first one that is shown, counted from the first one that there ever was. */
  let from = 0;
  let asked = 0;

  const shown = computed(() =>
    isOpen.value ? [...told.value.entries, ...older.value] : told.value.entries.slice(0, FIRST),
  );
  const left = computed(() => told.value.entry_count - shown.value.length);

  /** Reads from a place on up to those that come with the watch. */
  async function load(place: number) {
    const before = told.value.entry_count - told.value.entries.length;
    const number = (asked += 1);
    const limit = Math.min(MOST, before - place);
    if (limit <= 0) return;
    try {
      const page = taken(
        await api.GET("/sites/{site}/watches/{number}/entries", {
          params: { path: { site: site.value, number: told.value.number }, query: { before, limit } },
        }),
      );
      if (number !== asked) return;
      older.value = page.entries;
      from = before - page.entries.length;
      trouble.value = "";
    } catch {
      trouble.value = "The server does not answer; what is earlier stays unread.";
    }
  }

  /** Shows more of them. */
  async function more() {
    if (!isOpen.value) {
      isOpen.value = true;
      return;
    }
    const before = told.value.entry_count - told.value.entries.length;
    await load(Math.max(0, (older.value.length ? from : before) - STEP));
  }

  function fewer() {
    isOpen.value = false;
    older.value = [];
  }

  watch(() => told.value.number, fewer);
  // With each new one the oldest of those that come with the watch moves on to the others.
  watch(
    () => told.value.entry_count,
    () => {
      if (older.value.length) void load(from);
    },
  );
  return { shown, left, isOpen, trouble, more, fewer };
}
