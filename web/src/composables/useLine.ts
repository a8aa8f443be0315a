import { watch } from "vue";
import { api, taken } from "../api/client";
import { useSite } from "./useSite";

/** Keeps the one-line answer at the right of the strip true on a view that does not compute it itself. */
export function useLine() {
  const { id, site, plan, line, lineOf } = useSite();
  let latest = 0;
  watch(
    site,
    async () => {
      const chosen = plan.value?.arrangements.find((it) => it.id === lineOf.value?.arrangement);
      const way = chosen ?? plan.value?.arrangements[0];
      if (!way) {
        line.value = "";
        return;
      }
      const number = (latest += 1);
      try {
        const params = { path: { site: id.value } };
        const answer = taken(
          await api.POST("/sites/{site}/evaluate", {
            params,
            body: { arrangements: [way.id], soc: lineOf.value?.soc ?? {} },
          }),
        );
        if (number === latest) line.value = answer.ways[0]?.line ?? "";
      } catch {
        // The view itself tells what is wrong; an old answer is not left standing.
        if (number === latest) line.value = "";
      }
    },
    { immediate: true },
  );
}
