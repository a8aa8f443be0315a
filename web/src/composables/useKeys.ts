import { onBeforeUnmount, onMounted } from "vue";

/** Whether the keys go to a field in which a person types. */
function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/**
 * Calls `handlers` by key while the component lives. Plain keys are left alone while a person types;
 * names such as `ctrl+z` are taken everywhere.
 */
export function useKeys(handlers: Record<string, (event: KeyboardEvent) => void>) {
  function onKey(event: KeyboardEvent) {
    const held = event.ctrlKey || event.metaKey;
    if (event.altKey || (!held && typing(event.target))) return;
    const name = `${held ? "ctrl+" : ""}${held && event.shiftKey ? "shift+" : ""}${event.key.toLowerCase()}`;
    const handler = handlers[name];
    if (!handler) return;
    event.preventDefault();
    handler(event);
  }
  onMounted(() => addEventListener("keydown", onKey));
  onBeforeUnmount(() => removeEventListener("keydown", onKey));
}
