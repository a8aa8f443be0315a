/** Steps undone and done again: after what is typed has gone out, one after the other, however fast the presses. */
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";

const { settle } = useEdits();
const site = useSite();
let walking: Promise<unknown> = Promise.resolve();

function after(walk: () => Promise<unknown>) {
  walking = walking.then(settle, settle).then(walk);
  return walking;
}

export function useSteps() {
  return { undo: () => after(site.undo), redo: () => after(site.redo) };
}
