<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { useNarrow } from "../../composables/useNarrow";
import { short } from "./timeline";

/** The charge as it rises, with the levels that were asked for. */
const props = defineProps<{ told: Schemas["Recharged"] }>();
const narrow = useNarrow();
const WIDTH = computed(() => (narrow.value ? 350 : 560));
const HEIGHT = 120;
const LEFT = 44;
const RIGHT = 12;
const TOP = 8;
const BED = 96;
const end = computed(() => props.told.curve.at(-1)?.[0] || 1);
const x = (hours: number) => LEFT + (hours / end.value) * (WIDTH.value - LEFT - RIGHT);
const y = (soc: number) => BED - soc * (BED - TOP);
const line = computed(() =>
  props.told.curve.map(([hours = 0, soc = 0]) => `${x(hours)} ${y(soc)}`).join("L"),
);
const marks = computed(() =>
  props.told.levels.flatMap((it) =>
    it.after_h == null || it.after_h === 0
      ? []
      : [{ soc: it.soc, x: x(it.after_h), says: short(it.after_h) }],
  ),
);
/** Words that would stand on each other are left to the list below. */
const said = computed(() => {
  let last = -Infinity;
  return marks.value.filter((it) => {
    const fits = it.x - last > 60;
    if (fits) last = it.x;
    return fits;
  });
});
const says = computed(
  () => `From ${Math.round(props.told.from * 100)} % over ${short(end.value)}: ${props.told.sentence}`,
);
</script>

<template>
  <svg class="curve" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="img" :aria-label="says">
    <path v-for="it in [0.5, 1]" :key="it" :d="`M${LEFT} ${y(it)}H${WIDTH - RIGHT}`" class="rule" />
    <text v-for="it in [0, 0.5, 1]" :key="it" :x="LEFT - 6" :y="y(it) + 4" class="end">{{ it * 100 }} %</text>
    <path :d="`M${LEFT} ${BED}L${line}L${x(end)} ${BED}Z`" class="water" />
    <path :d="`M${line}`" class="surface" />
    <path :d="`M${LEFT} ${BED}H${WIDTH - RIGHT}`" class="bed" />
    <path v-for="it in marks" :key="it.soc" :d="`M${it.x} ${y(it.soc)}V${BED + 4}`" class="mark" />
    <text v-for="it in said" :key="it.soc" :x="it.x" :y="BED + 17" class="end">{{ it.says }}</text>
  </svg>
</template>

<style scoped>
.curve {
  width: 100%;
  max-width: 640px;
  display: block;
}
text {
  font: 500 var(--size-mark) var(--font-label);
  fill: var(--faint);
}
.end {
  text-anchor: end;
}
.rule {
  stroke: var(--line);
}
.water {
  fill: var(--water);
  opacity: 0.6;
}
.surface {
  stroke: var(--primary);
  stroke-width: 2;
  fill: none;
}
.bed {
  stroke: var(--ink);
}
.mark {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
</style>
