<script setup lang="ts">
import { computed } from "vue";
import SavePicture from "../../components/SavePicture.vue";
import { called } from "../../format/save";
import { spoken } from "../../format/habits";
import { useSite } from "../../composables/useSite";
import type { Panel } from "./timeline";
import { useDropped, type Of } from "./useOutage";

/** What can be opened below the picture, and what can be taken along. */
const props = defineProps<{
  of: Of;
  panel: Panel | undefined;
  everything: boolean | undefined;
  frame: HTMLElement | undefined;
  says: string;
  /** What the outage and the arrangement are called now. */
  names: string[];
}>();
const emit = defineEmits<{ open: [panel: Panel] }>();
const { id: site } = useSite();
const { dropped, below } = useDropped();
const DOORS: [Panel, string][] = [
  ["switch", "the switch"],
  ["return", "the return"],
  ["back", "coming back"],
  ["edit", "this outage"],
  ["table", "as a table"],
];
/** What is looked at, whole: with what is dropped, and as far as it is used. All that is taken along is of this. */
const scenario = computed(() => ({
  drop: dropped.value.join(),
  ...(below.value === undefined ? {} : { below_soc: String(below.value) }),
  ...(props.everything === undefined ? {} : { use_everything: String(props.everything) }),
}));
function file(name: string) {
  const asked = new URLSearchParams({ ...props.of, ...scenario.value, habits: spoken() });
  return `/api/sites/${encodeURIComponent(site.value)}/outage/${name}?${asked}`;
}
</script>

<template>
  <footer class="label">
    <button
      v-for="[name, words] in DOORS"
      :key="name"
      type="button"
      class="door"
      :aria-expanded="panel === name"
      :data-test="`open-${name}`"
      @click="emit('open', name)"
    >
      {{ words }}
    </button>
    <RouterLink
      class="door"
      :to="{ name: 'paper', params: { way: of.arrangement, outage: of.outage }, query: scenario }"
      data-test="paper-door"
      >paper plan</RouterLink
    >
    <span>
      take along <a class="door" :href="file('calendar.ics')" download data-test="calendar">calendar</a>
      <a class="door" :href="file('series.csv')" download>series CSV</a>
      <a class="door" :href="file('events.csv')" download>events CSV</a>
    </span>
    <SavePicture :of="frame" :name="called('outage', ...names)" :says="says" />
    <span class="faint"
      >← → time · ↑ ↓ row · d drop · s spare · + − home zoom · [ ] pan · r return · c beside</span
    >
  </footer>
</template>

<style scoped>
footer {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 18px;
  border-top: 1px solid var(--line);
  padding: 6px 0;
  margin-top: 8px;
}
footer span .door {
  margin-left: 8px;
}
[aria-expanded="true"] {
  font-weight: 600;
}
</style>
