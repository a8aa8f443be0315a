/** What figures can be entered as, asked once: how far one is taken to be off where no ± is typed. */
import { ref } from "vue";
import { api, taken, type Schemas } from "../api/client";

const targets = ref<Schemas["EntryTarget"][]>([]);
let asked: Promise<void> | undefined;

async function ask() {
  try {
    targets.value = taken(await api.GET("/entry/targets")).targets;
  } catch {
    // The next field asks again.
    asked = undefined;
  }
}

/** Half-width over the value of a figure that has no ± of its own, by its basis; none where nothing hangs on it. */
export function useTargets() {
  asked ??= ask();
  return {
    deserves: (target: string, basis: string): number | undefined =>
      targets.value.find((it) => it.target === target)?.deserves[basis],
  };
}
