/** Whether the window is a phone's: a table shows one of its columns then. */
import { onBeforeUnmount, ref } from "vue";
import { asNarrowAs } from "../styles/tokens";

export function useNarrow() {
  const asked = matchMedia(asNarrowAs("phone"));
  const narrow = ref(asked.matches);
  const take = () => (narrow.value = asked.matches);
  asked.addEventListener("change", take);
  onBeforeUnmount(() => asked.removeEventListener("change", take));
  return narrow;
}
