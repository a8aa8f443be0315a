/** Edits on the way from the key stroke to the store: looked at at once, saved a moment later. */
import { ref, shallowRef, triggerRef } from "vue";
import { Refused } from "../api/client";
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
}

const { plan, save, trouble } = useSite();
const unsaved = shallowRef(new Map<string, Unsaved>());
const refused = ref<{ field: string; sentence: string }>();
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

function stored({ kind, id }: Target): unknown {
  const found = plan.value;
  if (!found) return undefined;
  const lists: Record<string, { id: string }[]> = {
    device: found.kit.devices,
    source: found.kit.sources,
    converter: found.kit.converters,
    arrangement: found.arrangements,
    outage: found.outages,
  };
  return lists[kind]?.find((it) => it.id === id);
}

/** Changes an element as it would be saved, and has it saved when the keys rest. */
function edit(target: Target, name: string, change: (body: unknown) => void) {
  const key = `${target.kind}/${target.id}`;
  const base = unsaved.value.get(key)?.body ?? stored(target);
  if (!base) return;
  const body: unknown = JSON.parse(JSON.stringify(base));
  change(body);
  field = name;
  refused.value = undefined;
  unsaved.value.set(key, { ...target, body });
  triggerRef(unsaved);
  clearTimeout(timer);
  timer = setTimeout(() => void settle(), PAUSE_MS);
}

/** Saves what is not saved yet. What the server refuses is dropped from the picture and told beside its field. */
async function settle() {
  clearTimeout(timer);
  for (const [key, { kind, id, body }] of [...unsaved.value]) {
    try {
      await save(kind, id, body);
      trouble.value = "";
    } catch (error) {
      if (!(error instanceof Refused)) {
        trouble.value =
          "The server does not answer. What you typed is kept; it is saved when the server is back.";
        timer = setTimeout(() => void settle(), 2000);
        return;
      }
      refuse(error);
    }
    if (unsaved.value.get(key)?.body === body) unsaved.value.delete(key);
    triggerRef(unsaved);
  }
}

/** Tells a refusal beside the field that was edited last. */
function refuse(error: Refused) {
  const where =
    error.code === "stale" ? "It was changed in another window; that value is shown now." : error.message;
  refused.value = { field, sentence: where };
}

/** Edits that are looked at before they are saved. One set for the whole view. */
export function useEdits() {
  const refusedAt = (name: string) => (refused.value?.field === name ? refused.value.sentence : undefined);
  return { unsaved, edit, settle, refuse, refusedAt };
}
