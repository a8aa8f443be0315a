/** What must stay on, and what can be done with devices, each as one step that can be undone. */
import { computed } from "vue";
import { api, taken, type Device, type Needs } from "../../api/client";
import { useAsked, withUnsaved } from "../../composables/useAsked";
import { useEdits } from "../../composables/useEdits";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { raw } from "../../format/figure";

const { plan, site: revised } = useSite();
const { edit, settle } = useEdits();
const kit = useKit();
const { answer: needs, follow } = useAsked<Needs>(async (site, changes) =>
  taken(await api.POST("/sites/{site}/needs", { params: { path: { site } }, body: { changes } })),
);

/** The devices with what is not saved yet, in the order of what matters. */
const devices = computed<Device[]>(() => {
  const rank = (it: Device) => raw(it.priority) ?? Infinity;
  return withUnsaved("device", plan.value?.kit.devices).sort((a, b) => rank(a) - rank(b) || 0);
});

/** Adds a device as the last one, and tells its id. */
const add = (from: Device) => kit.add("device", from, { priority: devices.value.length + 1 });

/** Puts a device at a place in the order; only those whose place changes are written. */
async function move(id: string, to: number) {
  // What is still being typed is saved first: the step is made from what is kept.
  await settle();
  const order = devices.value.map((it) => it.id);
  const from = order.indexOf(id);
  const place = Math.min(Math.max(to, 0), order.length - 1);
  if (from < 0 || from === place) return;
  order.splice(place, 0, ...order.splice(from, 1));
  const changes = order.flatMap((it, index) => {
    const device = plan.value?.kit.devices.find((known) => known.id === it);
    if (!device || raw(device.priority) === index + 1) return [];
    const revision = revised.value?.revisions["device"]?.[it] ?? 0;
    return [{ kind: "device", id: it, revision, body: { ...copyOf(device), priority: index + 1 } }];
  });
  const moved = devices.value.find((it) => it.id === id);
  if (changes.length > 0) await kit.step(`${moved?.label ?? id} moved to place ${place + 1}`, changes);
}

/** The devices of the open site. One set for the whole view. */
export function useDevices() {
  const change = (id: string, name: string, how: (device: Device) => void) =>
    edit({ kind: "device", id }, name, (body) => how(body as Device));
  const remove = (id: string) => kit.remove("device", id);
  return { needs, devices, add, move, remove, change, follow };
}
