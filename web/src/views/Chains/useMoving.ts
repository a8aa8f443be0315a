/**
 * Whether the water moves: for a moment after something else flows, and then it rests, as a page that never rests
 * draws from the battery that it plans. Style sheets keep it still in the blackout and where less motion is wanted.
 */
import { onBeforeUnmount, ref, watch, type WatchSource } from "vue";

/** How long it moves, ms. */
const LONG = 2400;

export function useMoving(what: WatchSource) {
  const moving = ref(false);
  let rest: ReturnType<typeof setTimeout> | undefined;
  watch(what, () => {
    moving.value = true;
    clearTimeout(rest);
    rest = setTimeout(() => (moving.value = false), LONG);
  });
  onBeforeUnmount(() => clearTimeout(rest));
  return moving;
}
