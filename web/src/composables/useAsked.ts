/** What the server says of the plan with what is not saved yet; asked anew at each change, stale answers dropped. */
import { ref, shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from "vue";
import { Refused } from "../api/client";
import { spoken } from "../format/habits";
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";

type Unsaved = { kind: string; id: string; body: unknown };

/**
 * `ask` gets the site's id and the unsaved changes, and is asked again whenever `more` changes too. The returned
 * function is called where the answer is wanted.
 */
export function useAsked<T>(
  ask: (site: string, changes: Unsaved[], signal: AbortSignal) => Promise<T>,
  more: WatchSource = () => 0,
): {
  answer: ShallowRef<T | undefined>;
  /** Why there is no answer, in a sentence; none while it is looked for or is there. */
  trouble: Ref<string | undefined>;
  again: () => void;
  follow: () => void;
} {
  const { id, plan, trouble: outside } = useSite();
  const { unsaved, changes: unsavedChanges, refuse } = useEdits();
  const answer = shallowRef<T>();
  const trouble = ref<string>();
  let latest = 0;
  let running: AbortController | undefined;

  async function again() {
    if (!plan.value) return;
    const number = (latest += 1);
    // Who asks something else waits no more for this: what hands on the signal is not computed to its end for nobody.
    running?.abort();
    running = new AbortController();
    try {
      const reply = await ask(id.value, unsavedChanges.value, running.signal);
      if (number !== latest) return;
      answer.value = reply;
      trouble.value = undefined;
    } catch (error) {
      if (number !== latest) return;
      // What was said of another question is no answer to this one.
      answer.value = undefined;
      if (error instanceof Refused) {
        trouble.value = error.message;
        refuse(error);
      } else {
        trouble.value = "The server does not answer. What you typed is kept; try again.";
        outside.value = trouble.value;
      }
    }
  }

  return {
    answer,
    trouble,
    again: () => void again(),
    follow: () => watch([plan, unsaved, more, () => spoken()], again, { immediate: true }),
  };
}

/** A list of the plan with what is not saved yet. */
export function withUnsaved<T extends { id: string }>(kind: string, list: T[] | undefined): T[] {
  const { unsaved } = useEdits();
  return (list ?? []).map((it) => (unsaved.value.get(`${kind}/${it.id}`)?.body as T | undefined) ?? it);
}
