/** Whether the window is a phone's: a table shows one of its columns then. */
import { onBeforeUnmount, ref } from "vue";

export function useNarrow() {
  const asked = matchMedia("(max-width: 600px)");
  const narrow = ref(asked.matches);
  const take = () => (narrow.value = asked.matches);
  asked.addEventListener("change", take);
  onBeforeUnmount(() => asked.removeEventListener("change", take));
  return narrow;
}
