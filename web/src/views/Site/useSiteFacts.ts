/** The open site's own facts, and how they are changed. */
import { computed } from "vue";
import type { SiteFacts } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";

export function useSiteFacts() {
  const { plan } = useSite();
  const { unsaved, edit, refusedAt } = useEdits();
  const facts = computed(
    () => (unsaved.value.get("site/site")?.body as SiteFacts | undefined) ?? plan.value?.site,
  );
  const set = (name: string, how: (site: SiteFacts) => void) =>
    edit({ kind: "site", id: "site" }, `site.${name}`, (body) => how(body as SiteFacts));
  const refused = (name: string) => refusedAt(`site.${name}`);
  return { facts, set, refused };
}

/** Puts a value into a part that may not be there yet, and takes the part out when it holds nothing more. */
export function inside<T extends object, K extends keyof T>(
  site: T,
  part: K,
  change: (it: NonNullable<T[K]>) => void,
) {
  const made = { ...((site[part] as object | null | undefined) ?? {}) } as NonNullable<T[K]>;
  change(made);
  if (Object.keys(made).length === 0) Reflect.deleteProperty(site, part);
  else site[part] = made;
}
