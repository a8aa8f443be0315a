/** The place in the picture that something else points at: a finding, a board, the sentence at the top. */
import { nextTick, ref } from "vue";

const spot = ref<{ way: string; place: string }>();

/** Whether a place is meant: the place itself, or the item of a port. */
export function isMeant(place: string, wanted: string): boolean {
  return place === wanted || wanted.startsWith(`${place}/`) || place.startsWith(`${wanted}/`);
}

/** Points at a place of a way, and brings it into sight. */
async function show(way: string, place: string) {
  spot.value = { way, place };
  await nextTick();
  const calm = matchMedia("(prefers-reduced-motion: reduce)").matches;
  const flag = document.querySelector<HTMLElement>("[data-test=flag], .end.meant");
  flag?.scrollIntoView({ block: "center", behavior: calm ? "auto" : "smooth" });
}

/** One spot for the whole view. */
export function useSpot() {
  return {
    spot,
    show,
    forget: () => (spot.value = undefined),
    /** The place that is pointed at in a way. */
    placeIn: (way: string) => (spot.value?.way === way ? spot.value.place : undefined),
  };
}
