/** The arrangements of the site: which are looked at, and how they are made, changed and built. */
import { computed, ref } from "vue";
import type { Arrangement, Change, Feed } from "../../api/client";
import type { Part } from "../../composables/useAddress";
import { withUnsaved } from "../../composables/useAsked";
import { useEdits } from "../../composables/useEdits";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { still } from "../../composables/switching";
import { idsIn } from "../../format/address";
import { idFrom } from "../../format/figure";
import { singles } from "./chain";

/** As many as are read beside each other. */
const MOST = 4;

const { plan, id: site } = useSite();
const { edit } = useEdits();
const { step } = useKit();
const picked = ref<{ site: string; ids: string[] }>();

const ways = computed<Arrangement[]>(() => withUnsaved("arrangement", plan.value?.arrangements));

/** At first the ways of the device that has most of them, else the first arrangement. */
const first = computed<string[]>(() => {
  if (!plan.value) return [];
  const most = [...singles(plan.value)].sort((a, b) => b[1].length - a[1].length)[0];
  const start = most && most[1].length > 1 ? most[1] : ways.value.slice(0, 1).map((it) => it.id);
  return start.slice(0, MOST);
});
const chosen = computed<string[]>(() => {
  const known = new Set(ways.value.map((it) => it.id));
  const own = picked.value?.site === site.value ? picked.value.ids.filter((it) => known.has(it)) : [];
  return own.length > 0 ? own : first.value;
});

function choose(ids: string[]) {
  picked.value = { site: site.value, ids: ids.slice(-MOST) };
}
/** Puts one beside the others, or takes it away; the last one stays. */
function toggle(id: string) {
  const now = chosen.value;
  if (!now.includes(id)) choose([...now, id]);
  else if (now.length > 1) choose(now.filter((it) => it !== id));
}
const only = (id: string) => choose([id]);
/** Those that somebody chose, for the address. */
const inAddress: Part = {
  now: () => (picked.value?.site === site.value ? chosen.value.join() : undefined),
  take: (text) => choose(idsIn(text)),
};

const find = (id: string) => ways.value.find((it) => it.id === id);
const freeId = (label: string) =>
  idFrom(
    label,
    ways.value.map((it) => it.id),
  );

async function add(label: string, from?: Arrangement) {
  const body = { ...(from ? copyOf(from) : { feeds: [] }), id: freeId(label), label } as Arrangement;
  const words = from ? `arrangement copied: ${label}` : `arrangement added: ${label}`;
  if (await step(words, [{ kind: "arrangement", id: body.id, revision: 0, body }]))
    choose(from ? [from.id, body.id] : [body.id]);
}

/** Removes an arrangement; a device that starts on it starts where it runs from then on. */
async function remove(id: string) {
  const way = find(id);
  if (!way) return;
  const changes: Change[] = [{ kind: "arrangement", id, body: null }];
  for (const other of ways.value) {
    const starts = (other.starts_on ?? []).filter((it) => it.arrangement !== id);
    if (starts.length !== (other.starts_on ?? []).length)
      changes.push({ kind: "arrangement", id: other.id, body: { ...copyOf(other), starts_on: starts } });
  }
  await step(`arrangement removed: ${way.label}`, changes);
}

/** Writes other feeds into an arrangement as one step. */
async function setFeeds(id: string, feeds: Feed[], words: string) {
  const way = find(id);
  if (!way) return false;
  const fed = new Set(feeds.map((it) => it.to));
  const starts = (way.starts_on ?? []).filter((it) => fed.has(it.device));
  const switching = still(way.switching, feeds);
  const body = {
    ...copyOf(way),
    feeds,
    ...(way.starts_on ? { starts_on: starts } : {}),
    ...(way.switching ? { switching } : {}),
  };
  return step(words, [{ kind: "arrangement", id, body }]);
}

/** Changes a feed where it stands; looked at at once, saved when the keys rest. */
function changeFeed(id: string, to: string, name: string, how: (feed: Feed) => void) {
  edit({ kind: "arrangement", id }, `${id}.${to}.${name}`, (body) => {
    const feed = (body as Arrangement).feeds.find((it) => it.to === to);
    if (feed) how(feed);
  });
}
const rename = (id: string, label: string) =>
  edit({ kind: "arrangement", id }, `${id}.label`, (body) => {
    (body as Arrangement).label = label;
  });

/** The arrangements of the open site. One set for the whole view. */
export function useWays() {
  return { ways, chosen, inAddress, choose, toggle, only, find, add, remove, rename, setFeeds, changeFeed };
}
