/** Adding, copying and removing parts of the kit, each as one step that can be undone. */
import { api, Refused, taken, type Change } from "../api/client";
import { idFrom } from "../format/figure";
import { still } from "./switching";
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";
import { feedsWithout, outageWithout } from "./without";

export type Part = "device" | "source" | "converter";

const { id: site, plan, site: revised, trouble, said } = useSite();
const { settle } = useEdits();

/** A copy that can be changed. */
export const copyOf = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

/** Makes several changes as one step; what the server refuses is told at the top. */
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

function takenIds(): string[] {
  const kit = plan.value?.kit;
  return kit ? [...kit.devices, ...kit.sources, ...kit.converters].map((it) => it.id) : [];
}

/** Adds a part, and tells the id that it got. */
async function add<T extends { id: string; label: string }>(kind: Part, from: T, more: Partial<T> = {}) {
  const body = { ...copyOf(from), ...more, id: idFrom(from.label, takenIds()) };
  const done = await step(`${kind} added: ${body.label}`, [{ kind, id: body.id, revision: 0, body }]);
  return done ? body.id : undefined;
}

/** Removes a part, with the feeds that it takes along and the rules about it. */
async function remove(kind: Part, id: string) {
  // What is still being typed is saved first: the step is made from what is kept, and would write over it.
  await settle();
  const found = plan.value;
  const lists = { device: found?.kit.devices, source: found?.kit.sources, converter: found?.kit.converters };
  const part = lists[kind]?.find((it) => it.id === id);
  if (!found || !part) return;
  const changes: Change[] = [{ kind, id, body: null }];
  for (const way of found.arrangements) {
    const feeds = feedsWithout(found, way.feeds, id);
    const fed = new Set(feeds.map((feed) => feed.to));
    const starts = (way.starts_on ?? []).filter((it) => fed.has(it.device));
    if (feeds.length !== way.feeds.length)
      changes.push({
        kind: "arrangement",
        id: way.id,
        body: { ...copyOf(way), feeds, starts_on: starts, switching: still(way.switching, feeds) },
      });
  }
  for (const outage of found.outages) {
    const left = outageWithout(outage, id);
    if (left !== outage) changes.push({ kind: "outage", id: outage.id, body: copyOf(left) });
  }
  await step(`${kind} removed: ${part.label}`, changes);
}

export function useKit() {
  return { step, add, remove };
}
