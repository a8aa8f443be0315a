/** Instruments that were described once. They belong to the machine, not to a site. */
import { ref, shallowRef, watch } from "vue";
import { useSite } from "../../composables/useSite";
import { api, Refused, taken, type Schemas } from "../../api/client";

export type Instrument = Schemas["Instrument"];

const instruments = shallowRef<Instrument[]>([]);
const trouble = ref("");
let asked = false;

async function attempt(work: () => Promise<Schemas["Instruments"]>): Promise<boolean> {
  try {
    instruments.value = (await work()).instruments;
    trouble.value = "";
    return true;
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
    return false;
  }
}
const { id: site, plan } = useSite();
/** Where it is undone: at the site that is looked at. */
const here = () => ({ site: site.value || undefined });
const describe = (name: string, body: Instrument) =>
  attempt(async () =>
    taken(
      await api.PUT("/bench/instruments/{name}", {
        params: { path: { name: name.trim() || " " }, query: here() },
        body,
      }),
    ),
  );
const forget = (name: string) =>
  attempt(async () =>
    taken(await api.DELETE("/bench/instruments/{name}", { params: { path: { name }, query: here() } })),
  );

export function useInstruments() {
  if (!asked) {
    asked = true;
    const read = () => attempt(async () => taken(await api.GET("/bench/instruments")));
    // A step that was undone may have been of them.
    watch(plan, read, { immediate: true });
  }
  return { instruments, trouble, describe, forget };
}
