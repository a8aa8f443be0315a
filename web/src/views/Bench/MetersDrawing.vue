<script setup lang="ts">
import { computed } from "vue";
import type { Guide } from "./useTests";

/** Where the meters go, in the same hand as the falls: water from the left to the right, meters in it or across it. */
const props = defineProps<{ guide: Guide }>();
const WIDE = 520;
const near = computed(() => props.guide.meters.filter((it) => it.side === "in" || it.side === "near"));
const far = computed(() => props.guide.meters.filter((it) => it.side === "out" || it.side === "far"));
const isLead = computed(() => props.guide.meters.some((it) => it.side === "near"));
const placed = computed(() => {
  const side = (list: Guide["meters"], from: number, to: number) =>
    list.map((it, index) => ({ ...it, x: from + ((to - from) * (index + 1)) / (list.length + 1) }));
  return [...side(near.value, 70, 230), ...side(far.value, 300, 450)];
});
const middle = computed(() => (isLead.value ? "the lead" : "what is tested"));
const words = computed(() =>
  placed.value
    .map((it) => `${it.name} ${it.series ? "in the lead" : "across"} at the ${it.side} side`)
    .join(", "),
);
</script>

<template>
  <svg :viewBox="`0 0 ${WIDE} 104`" role="img" :aria-label="words" class="meters">
    <path d="M60 40 H230 C245 40 245 50 265 50 H460 V70 H60 Z" class="water" />
    <path d="M60 40 H230 C245 40 245 50 265 50 H460" class="surface" />
    <path d="M60 70 H460" class="bed" />
    <rect x="4" y="26" width="56" height="50" class="box" />
    <text x="32" y="55" class="middle">supply</text>
    <rect x="460" y="34" width="56" height="42" class="box" />
    <text x="488" y="59" class="middle">load</text>
    <rect v-if="!isLead" x="228" y="30" width="44" height="44" class="box" />
    <text x="250" y="96" class="middle">{{ middle }}</text>
    <g v-for="(it, index) in placed" :key="index">
      <path v-if="!it.series" :d="`M${it.x} 16 V${it.x > 250 ? 70 : 70}`" class="probe" />
      <rect :x="it.x - 12" :y="it.series ? 44 : 2" width="24" height="22" class="meter" />
      <text :x="it.x" :y="it.series ? 60 : 18" class="middle strong">{{ it.name }}</text>
    </g>
  </svg>
</template>

<style scoped>
.meters {
  width: 100%;
  max-width: 520px;
}
.water {
  fill: var(--water);
}
.surface {
  fill: none;
  stroke: var(--surface);
  stroke-width: 2;
}
.bed,
.box {
  stroke: var(--ink);
  fill: none;
}
.box {
  fill: var(--sheet);
}
.probe {
  stroke: var(--ink);
  stroke-dasharray: 3 2;
}
.meter {
  fill: var(--page);
  stroke: var(--primary);
  stroke-width: 2;
}
text {
  font: var(--size-small) var(--font-label);
  fill: var(--ink);
}
.strong {
  font-weight: 700;
}
.middle {
  text-anchor: middle;
}
</style>
