/** Everything of the plan that an entry can be about. */
import { computed } from "vue";
import { useSite } from "../../composables/useSite";

export function useThings() {
  const { plan } = useSite();
  return computed(() => {
    const found = plan.value;
    if (!found) return [];
    const { devices, sources, converters } = found.kit;
    return [...devices, ...sources, ...converters, ...found.arrangements].map((it) => ({
      id: it.id,
      label: it.label,
    }));
  });
}
