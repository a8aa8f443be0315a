<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { short } from "./shelf";
import { stepsOf } from "./steps";
import { useNarrow } from "../../composables/useNarrow";

/** Money over the years: a step for each store that is bought anew, a slope for what is put back. */
const props = defineProps<{ candidates: Schemas["Candidate"][]; years: number; currency: string }>();
const HIGH = 190;
const narrow = useNarrow();
const wide = computed(() => (narrow.value ? 200 : 460));
const steps = computed(() => stepsOf(props.candidates, props.years, wide.value, HIGH));
const said = computed(() =>
  steps.value.lines.map((it) => `${it.name} ${short(it.total)} ${props.currency}`).join("; "),
);
</script>

<template>
  <svg
    class="graph steps"
    :viewBox="`-52 -16 ${wide + (narrow ? 160 : 260)} ${HIGH + 54}`"
    role="img"
    :aria-label="`money over ${years} years: ${said}`"
  >
    <g v-for="it in steps.moneyTicks" :key="`m${it.value}`">
      <line x1="0" :x2="wide" :y1="it.y" :y2="it.y" class="grid" />
      <text x="-6" :y="it.y + 4" class="end">{{ short(it.value) }}</text>
    </g>
    <text x="-48" y="-5">{{ currency || "money" }} spent</text>
    <text v-for="it in steps.yearTicks" :key="`y${it.value}`" :x="it.x" :y="HIGH + 16" class="middle">
      {{ it.value }}
    </text>
    <text :x="wide" :y="HIGH + 33" class="end">years</text>
    <path :d="`M0 0 V${HIGH} H${wide}`" class="axis" />
    <g v-for="(it, at) in steps.lines" :key="it.item" :class="`way w${at % 4}`">
      <path :d="it.path" />
      <path :d="`M${it.endX} ${it.endY} L${it.endX + 10} ${it.labelY}`" class="lead" />
      <text :x="it.endX + 14" :y="it.labelY + 4">
        {{ it.name.length > (narrow ? 16 : 28) ? `${it.name.slice(0, narrow ? 15 : 27)}…` : it.name }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
.steps {
  width: min(100%, 760px);
  height: auto;
}
.way path {
  fill: none;
  stroke: var(--primary);
  stroke-width: 2.2;
}
.w1 path {
  stroke: var(--loss);
  stroke-dasharray: 8 3;
}
.w2 path {
  stroke: var(--ink);
  stroke-dasharray: 3 3;
}
.w3 path {
  stroke: var(--faint);
  stroke-dasharray: 12 4 2 4;
}
.way .lead {
  stroke-width: 1;
  stroke-dasharray: none;
}
</style>
