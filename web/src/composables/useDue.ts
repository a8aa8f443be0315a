/** What is due at the open site; the strip tells how much of it is overdue. */
import { shallowRef, watch } from "vue";
import { api, taken, type Schemas } from "../api/client";
import { useSite } from "./useSite";

const due = shallowRef<Schemas["DueTold"]>();
let of = "";

export function useDue() {
  const { id: site } = useSite();
  async function look() {
    const asked = site.value;
    if (!asked) return;
    try {
      const told = taken(await api.GET("/sites/{site}/due", { params: { path: { site: asked } } }));
      if (asked === site.value) due.value = told;
      of = asked;
    } catch {
      // Whoever looks at it is told there; the strip says nothing.
      due.value = undefined;
    }
  }
  /** Looks once for each site that is opened. */
  function lookOnce() {
    watch(
      site,
      (now) => {
        if (now && now !== of) void look();
      },
      { immediate: true },
    );
  }
  return { due, look, lookOnce };
}
