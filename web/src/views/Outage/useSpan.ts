/** The hours that are seen, and the one that is read. */
import { computed, ref, watch, type ComputedRef, type WatchSource } from "vue";

export function useSpan(longest: ComputedRef<number>, anew: WatchSource) {
  const view = ref({ from: 0, to: 24 });
  const cursor = ref(0);
  const whole = () => (view.value = { from: 0, to: longest.value });
  watch([longest, anew], whole, { immediate: true });

  /** Nearer by a factor, around a time. */
  function zoom(by: number, at = cursor.value) {
    const { from, to } = view.value;
    const wide = Math.min(longest.value, Math.max(0.25, (to - from) / by));
    const start = Math.min(Math.max(0, at - ((at - from) / (to - from)) * wide), longest.value - wide);
    view.value = { from: start, to: start + wide };
  }
  /** On by a share of what is seen. */
  function pan(share: number) {
    const wide = view.value.to - view.value.from;
    const from = Math.min(Math.max(0, view.value.from + share * wide), longest.value - wide);
    view.value = { from, to: from + wide };
  }
  /** Reads another time, and keeps it in sight. */
  function move(to: number) {
    cursor.value = Math.min(longest.value, Math.max(0, to));
    const { from, to: end } = view.value;
    // Half of what is seen at least, so that it does not creep along at the edge.
    if (cursor.value < from) pan(Math.min(-0.5, (cursor.value - from) / (end - from)));
    if (cursor.value > end) pan(Math.max(0.5, (cursor.value - end) / (end - from)));
  }
  const stepWide = computed(() => (view.value.to - view.value.from) / 96);
  return { view, cursor, whole, zoom, pan, move, stepWide };
}
