<script setup lang="ts">
import { computed } from "vue";
import { useNarrow } from "../../composables/useNarrow";
import { watts } from "../../format/number";
import { bands, firstFlow, type WayIn } from "./filling";

/**
 * The way in as a fall turned round: what is taken climbs from the left, loses on the way, and a sluice lets
 * through what the input takes.
 */
const props = defineProps<{ ways: WayIn[] }>();
// On a phone it is drawn as narrow as it is seen, so that its words stay as large.
const narrow = useNarrow();
const WIDTH = computed(() => (narrow.value ? 350 : 560));
const FROM = 70;
const GATE = computed(() => WIDTH.value - 160);
const BASIN = computed(() => WIDTH.value - 130);
const MOST = 44;
const list = computed(() => bands(props.ways, MOST, 42));
const height = computed(() => {
  const last = list.value.at(-1);
  return last ? last.top + Math.max(last.taken, 12) + 40 : 0;
});
const says = computed(() =>
  props.ways
    .map((it) => `${it.label}: ${watts(firstFlow(it).watts)} W come in; what holds it is ${limit(it)}`)
    .join(". "),
);
/** What holds it down, and from which charge on where that is not the beginning. */
function limit(way: WayIn) {
  const { from, limitedBy } = firstFlow(way);
  return from === undefined ? limitedBy : `from ${Math.round(from * 100)} % on: ${limitedBy}`;
}
/** The surface falls by what is lost on the way; the bed stays. */
const shape = (it: ReturnType<typeof bands>[number]) => {
  const bed = it.top + 16 + Math.max(it.taken, 12);
  const [taken, arrives, bend] = [bed - it.taken, bed - it.arrives, GATE.value - 120];
  const fall = `C${bend} ${taken} ${bend} ${arrives} ${GATE.value} ${arrives}`;
  return `M${FROM} ${bed}V${taken}${fall}H${BASIN.value}V${bed}Z`;
};
const bed = (it: ReturnType<typeof bands>[number]) => it.top + 16 + Math.max(it.taken, 12);
</script>

<template>
  <svg
    class="way-in"
    :viewBox="`0 0 ${WIDTH} ${height}`"
    role="img"
    :aria-label="says"
    data-test="way-in"
    preserveAspectRatio="xMinYMin meet"
  >
    <g v-for="it in list" :key="it.way.input">
      <text :x="FROM" :y="it.top + 10" class="name">{{ it.way.label }}</text>
      <text :x="FROM - 6" :y="bed(it) - it.taken / 2 + 4" class="end">{{ watts(it.takenW) }} W</text>
      <path :d="shape(it)" class="water" />
      <path :d="`M${FROM - 4} ${bed(it)}H${WIDTH - 8}`" class="bed" />
      <path :d="`M${GATE} ${it.top + 12}V${bed(it) - it.arrives}`" class="gate" />
      <path :d="`M${BASIN} ${it.top + 12}V${bed(it)}`" class="basin" />
      <text :x="BASIN + 8" :y="bed(it) - Math.max(6, it.arrives / 2 - 4)" class="in">
        {{ watts(firstFlow(it.way).watts) }} W
      </text>
      <text :x="WIDTH - 8" :y="it.top + 10" class="end">{{ it.way.input.split("/")[1] }}</text>
      <text :x="FROM" :y="bed(it) + 14" class="limit">{{ limit(it.way) }}</text>
    </g>
  </svg>
</template>

<style scoped>
.way-in {
  width: 100%;
  max-width: 640px;
  display: block;
  margin: 8px 0;
}
text {
  font: 500 var(--size-small) var(--font-label);
  fill: var(--ink);
}
.end {
  text-anchor: end;
}
.in {
  font-weight: 600;
}
.limit {
  fill: var(--faint);
}
.water {
  fill: var(--water);
  stroke: none;
}
.bed {
  stroke: var(--ink);
  stroke-width: 1.5;
  fill: none;
}
.gate {
  stroke: var(--primary);
  stroke-width: 5;
}
.basin {
  stroke: var(--ink);
  stroke-width: 1;
  stroke-dasharray: 2 3;
}
</style>
