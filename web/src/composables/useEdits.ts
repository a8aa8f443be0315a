/** Edits on the way from the key stroke to the store: looked at at once, saved a moment later. */
import { computed, ref, shallowRef, triggerRef } from "vue";
import { Refused } from "../api/client";
import { merge, withTheirs, type Clash } from "../format/merge";
import { useSite } from "./useSite";

/** How long after the last key stroke an edit is saved, ms. */
const PAUSE_MS = 500;

interface Target {
  kind: string;
  id: string;
}

interface Unsaved {
  kind: string;
  id: string;
  body: unknown;
  /** What it was made from. */
  base: unknown;
}

/** An edit that was made from something that is no longer there. */
export interface Conflict extends Target {
  label: string;
  clashes: Clash[];
  /** Mine on top of theirs. */
  merged: unknown;
  /** Whether it was removed elsewhere. */
  gone: boolean;
}

const { stored, save, saveLeaving, trouble } = useSite();
const unsaved = shallowRef(new Map<string, Unsaved>());
const refused = ref<{ field: string; sentence: string }>();
const conflicts = shallowRef<Conflict[]>([]);
let field = "";
let timer: ReturnType<typeof setTimeout> | undefined;

/** The raw value of a figure, 0 where there is none. */
export function figureValue(figure: unknown): number {
  if (typeof figure === "number") return figure;
  return (figure as { value?: number } | null | undefined)?.value ?? 0;
}

/** A figure with another value: typed by hand it is assumed, and what was said of the old value goes. */
export function withFigure(figure: unknown, value: number): number {
  return figureValue(figure) === value && typeof figure === "number" ? figure : value;
}

/** What is not there any more has no copy. */
const copy = <T>(value: T): T => (value === undefined ? value : (JSON.parse(JSON.stringify(value)) as T));
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** Changes an element as it would be saved, and has it saved when the keys rest. */
function edit(target: Target, name: string, change: (body: unknown) => void) {
  const key = `${target.kind}/${target.id}`;
  const known = unsaved.value.get(key);
  const base = known?.base ?? stored(target.kind, target.id);
  const from = known?.body ?? base;
  if (!from) return;
  const body: unknown = copy(from);
  change(body);
  field = name;
  refused.value = undefined;
  unsaved.value.set(key, { ...target, body, base: copy(base) });
  triggerRef(unsaved);
  clearTimeout(timer);
  timer = setTimeout(() => void settle(), PAUSE_MS);
}

/** An edit on top of what is there now; none where a person must choose, which is asked then. */
function fresh({ kind, id, body, base }: Unsaved): { body: unknown } | undefined {
  const now = stored(kind, id);
  if (same(now, base)) return { body };
  const label = (body as { label?: string; name?: string }).label ?? (body as { name?: string }).name ?? id;
  if (now === undefined) {
    const clashes = [{ path: [], name: label, mine: "kept", theirs: "removed" }];
    ask({ kind, id, label, clashes, merged: body, gone: true });
    return undefined;
  }
  const { merged, clashes } = merge(base, body, now);
  if (clashes.length === 0) return { body: merged };
  ask({ kind, id, label, clashes, merged, gone: false });
  return undefined;
}

function ask(conflict: Conflict) {
  const others = conflicts.value.filter((it) => it.kind !== conflict.kind || it.id !== conflict.id);
  conflicts.value = [...others, conflict];
}

/**
 * Saves what is not saved yet. What the server refuses is dropped from the picture and told beside its field; what
 * was changed elsewhere meanwhile is put together with that, and where both changed the same, a person is asked.
 */
async function settle() {
  clearTimeout(timer);
  for (const [key, entry] of [...unsaved.value]) {
    const { kind, id, body } = entry;
    try {
      const made = fresh(entry);
      if (made) {
        await save(kind, id, made.body);
        // What was typed meanwhile was made from what is saved now.
        const later = unsaved.value.get(key);
        if (later && later.body !== body) later.base = copy(made.body);
      }
      trouble.value = "";
    } catch (error) {
      if (!(error instanceof Refused)) {
        trouble.value =
          "The server does not answer. What you typed is kept; it is saved when the server is back.";
        timer = setTimeout(() => void settle(), 2000);
        return;
      }
      // Someone was quicker by less than it takes to tell: try once more on what is there now.
      if (error.code === "stale") {
        timer = setTimeout(() => void settle(), 0);
        return;
      }
      refuse(error);
    }
    if (unsaved.value.get(key)?.body === body) unsaved.value.delete(key);
    triggerRef(unsaved);
  }
}

/** Ends a conflict: with my values or with theirs. What only one of us changed is kept either way. */
async function choose(conflict: Conflict, mine: boolean) {
  conflicts.value = conflicts.value.filter((it) => it !== conflict);
  const { kind, id, clashes, merged, gone } = conflict;
  if (gone && !mine) return;
  const body = mine ? merged : withTheirs(merged, clashes);
  if (same(body, stored(kind, id))) return;
  unsaved.value.set(`${kind}/${id}`, { kind, id, body, base: copy(stored(kind, id)) });
  triggerRef(unsaved);
  await settle();
}

/** Tells a refusal beside the field that was edited last. */
function refuse(error: Refused) {
  refused.value = { field, sentence: error.message };
}

/** What is not saved when the page is left goes out with it. */
function flush() {
  for (const entry of unsaved.value.values()) {
    const made = fresh(entry);
    if (made) saveLeaving(entry.kind, entry.id, made.body);
  }
  unsaved.value.clear();
}
if (typeof addEventListener === "function") addEventListener("pagehide", flush);

/** What is not saved yet, as the server takes it. */
const changes = computed(() => [...unsaved.value.values()].map(({ kind, id, body }) => ({ kind, id, body })));

/** Edits that are looked at before they are saved. One set for the whole view. */
export function useEdits() {
  const refusedAt = (name: string) => (refused.value?.field === name ? refused.value.sentence : undefined);
  return { unsaved, changes, conflicts, edit, settle, choose, refuse, refusedAt };
}
