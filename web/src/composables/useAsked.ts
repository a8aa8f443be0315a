/** What the server says of the plan with what is not saved yet; asked anew at each change, stale answers dropped. */
import { onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from "vue";
import { Refused } from "../api/client";
import { spoken } from "../format/habits";
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";

type Unsaved = { kind: string; id: string; body: unknown };

/** How it is asked. */
interface Manner {
  /** What was answered stands on while something else is refused: no picture vanishes under a slip of the keys. */
  keeps?: boolean;
  /** How long after a change it is asked again, ms, where an answer takes long. */
  pause?: number;
  /** Asked when it is entered, and not with every change of the plan. */
  once?: boolean;
}

/**
 * `ask` gets the site's id and the unsaved changes, and is asked again whenever `more` changes too. The returned
 * function is called where the answer is wanted.
 */
export function useAsked<T>(
  ask: (site: string, changes: Unsaved[], signal: AbortSignal) => Promise<T>,
  more: WatchSource = () => 0,
  manner: Manner = {},
): {
  answer: ShallowRef<T | undefined>;
  /** Why there is no answer, in a sentence; none while it is looked for or is there. */
  trouble: Ref<string | undefined>;
  /** Whether an answer is awaited. */
  asking: Ref<boolean>;
  again: () => void;
  follow: () => void;
} {
  const { id, plan, trouble: outside } = useSite();
  const { unsaved, changes: unsavedChanges, refuse } = useEdits();
  const answer = shallowRef<T>();
  const trouble = ref<string>();
  const asking = ref(false);
  let latest = 0;
  let due: ReturnType<typeof setTimeout> | undefined;
  let running: AbortController | undefined;

  async function again() {
    if (!plan.value) return;
    const number = (latest += 1);
    // Who asks something else waits no more for this: what hands on the signal is not computed to its end for nobody.
    running?.abort();
    running = new AbortController();
    asking.value = true;
    try {
      const reply = await ask(id.value, unsavedChanges.value, running.signal);
      if (number !== latest) return;
      answer.value = reply;
      trouble.value = undefined;
    } catch (error) {
      if (number !== latest) return;
      // What was said of another question is no answer to this one.
      if (!manner.keeps) answer.value = undefined;
      if (error instanceof Refused) {
        trouble.value = error.message;
        refuse(error);
      } else {
        trouble.value = "The server does not answer. What you typed is kept; try again.";
        outside.value = trouble.value;
      }
    } finally {
      if (number === latest) asking.value = false;
    }
  }
  /** At once at first, and then when what changes has come to rest. */
  function later() {
    clearTimeout(due);
    if (latest === 0 || !manner.pause) void again();
    else due = setTimeout(() => void again(), manner.pause);
  }

  return {
    answer,
    trouble,
    asking,
    again: () => void again(),
    follow: () => {
      const plans = manner.once ? [id] : [plan, unsaved];
      watch([...plans, more, () => spoken()], later, { immediate: true });
      onScopeDispose(() => clearTimeout(due));
    },
  };
}

/** A list of the plan with what is not saved yet. */
export function withUnsaved<T extends { id: string }>(kind: string, list: T[] | undefined): T[] {
  const { unsaved } = useEdits();
  return (list ?? []).map((it) => (unsaved.value.get(`${kind}/${it.id}`)?.body as T | undefined) ?? it);
}
