/** What can be done with devices: added, copied, moved, removed, each as one step that can be undone. */
import { computed, shallowRef, watch } from "vue";
import { api, Refused, taken, type Change, type Device, type Needs } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { idFrom, raw } from "../../format/figure";

const { id: site, plan, site: revised, trouble, said } = useSite();
const { unsaved, edit, settle, refuse } = useEdits();
const needs = shallowRef<Needs>();
let latest = 0;

async function ask() {
  if (!plan.value) return;
  const number = (latest += 1);
  try {
    const params = { path: { site: site.value } };
    const body = { changes: [...unsaved.value.values()] };
    const reply = taken(await api.POST("/sites/{site}/needs", { params, body }));
    if (number === latest) needs.value = reply;
  } catch (error) {
    if (number !== latest) return;
    if (error instanceof Refused) refuse(error);
    else trouble.value = "The server does not answer. What you typed is kept; try again.";
  }
}

/** The devices with what is not saved yet, in the order of what matters. */
const devices = computed<Device[]>(() => {
  const saved = plan.value?.kit.devices ?? [];
  const shown = saved.map((it) => (unsaved.value.get(`device/${it.id}`)?.body as Device | undefined) ?? it);
  const rank = (it: Device) => raw(it.priority) ?? Infinity;
  return shown.sort((a, b) => rank(a) - rank(b) || 0);
});

async function step(words: string, changes: Change[]): Promise<boolean> {
  await settle();
  try {
    const params = { path: { site: site.value } };
    revised.value = taken(await api.POST("/sites/{site}/changes", { params, body: { words, changes } }));
    said.value = words;
    trouble.value = "";
    return true;
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. Nothing was changed; try again.";
    return false;
  }
}

const copyOf = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

function takenIds(): string[] {
  const kit = plan.value?.kit;
  return kit ? [...kit.devices, ...kit.sources, ...kit.converters].map((it) => it.id) : [];
}

/** Adds a device as the last one, and tells its id. */
async function add(from: Device): Promise<string | undefined> {
  const body = copyOf(from);
  body.id = idFrom(from.label, takenIds());
  body.priority = devices.value.length + 1;
  const done = await step(`device added: ${body.label}`, [
    { kind: "device", id: body.id, revision: 0, body },
  ]);
  return done ? body.id : undefined;
}

/** Puts a device at a place in the order; only those whose place changes are written. */
async function move(id: string, to: number) {
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
  if (changes.length > 0) await step(`${moved?.label ?? id} moved to place ${place + 1}`, changes);
}

/** Removes a device, with the feeds into it and the rules about it. */
async function remove(id: string) {
  const found = plan.value;
  const device = found?.kit.devices.find((it) => it.id === id);
  if (!found || !device) return;
  const changes: Change[] = [{ kind: "device", id, body: null }];
  for (const way of found.arrangements) {
    const feeds = way.feeds.filter((feed) => feed.to !== id);
    const starts = (way.starts_on ?? []).filter((it) => it.device !== id);
    if (feeds.length !== way.feeds.length)
      changes.push({ kind: "arrangement", id: way.id, body: { ...copyOf(way), feeds, starts_on: starts } });
  }
  for (const outage of found.outages) {
    const about = (rule: Record<string, unknown>) => rule["device"] === id || rule["while_starting"] === id;
    const rules = (outage.rules ?? []).filter((rule) => !about(rule as Record<string, unknown>));
    if (rules.length !== (outage.rules ?? []).length)
      changes.push({ kind: "outage", id: outage.id, body: { ...copyOf(outage), rules } });
  }
  await step(`device removed: ${device.label}`, changes);
}

/** The devices of the open site. One set for the whole view. */
export function useDevices() {
  watch([plan, unsaved], ask, { immediate: true });
  const change = (id: string, name: string, how: (device: Device) => void) =>
    edit({ kind: "device", id }, name, (body) => how(body as Device));
  return { needs, devices, add, move, remove, change };
}
