<script setup lang="ts">
import { computed } from "vue";
import { useSite } from "../../composables/useSite";
import { fixed } from "../../format/number";
import { aging, type Course } from "./aging";

/** A course over the years: what was measured, and how it goes on; what falls is drawn as water. */
const props = defineProps<{ course: Course; unit: string; said: string; falls?: boolean }>();
const { plan } = useSite();
const outage = (id: string) => plan.value?.outages.find((it) => it.id === id)?.label ?? id;
const picture = computed(() => aging(props.course));
</script>

<template>
  <svg class="graph" :viewBox="`0 0 ${picture.width} ${picture.height}`" role="img" :aria-label="said">
    <g v-for="it in picture.years" :key="it.year">
      <line class="grid" :x1="it.x" :x2="it.x" :y1="picture.top" :y2="picture.floor" />
      <text class="middle" :x="it.x" :y="picture.floor + 16">{{ it.year }}</text>
    </g>
    <path v-if="falls" class="water" :d="picture.water" />
    <path class="band" :d="picture.band" />
    <path class="course" :d="picture.course" />
    <g v-for="it in picture.needs" :key="it.outage" class="need">
      <line :x1="picture.left" :x2="picture.right" :y1="it.y" :y2="it.y" />
      <text :x="picture.left + 4" :y="it.y - 4">
        {{ outage(it.outage) }} needs {{ fixed(it.value, 0) }} {{ unit }}
      </text>
    </g>
    <line class="now" :x1="picture.now" :x2="picture.now" :y1="picture.top" :y2="picture.floor" />
    <text class="middle now-text" :x="picture.now" :y="picture.top - 4">today</text>
    <g v-for="it in picture.points" :key="`${it.x} ${it.y}`" class="point" :class="{ before: it.before }">
      <line :x1="it.x" :x2="it.x" :y1="it.low" :y2="it.high" />
      <circle :cx="it.x" :cy="it.y" r="3.5" />
      <title>{{ it.what }}: {{ fixed(it.value, 0) }} {{ unit }}</title>
    </g>
    <g v-for="it in picture.levels" :key="it.value">
      <text class="end" :x="picture.left - 5" :y="it.y + 4">{{ it.value }}</text>
    </g>
    <text class="end" :x="picture.left - 5" :y="picture.top - 4">{{ unit }}</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: auto;
}
.water {
  fill: var(--water);
  opacity: 0.45;
}
.band {
  fill: var(--water);
  opacity: 0.8;
}
.course {
  fill: none;
  stroke: var(--surface);
  stroke-width: 2;
}
.need line {
  stroke: var(--trips);
  stroke-dasharray: 5 3;
}
.need text {
  fill: var(--trips);
}
.now {
  stroke: var(--ink);
}
.now-text {
  fill: var(--ink);
}
.point line {
  stroke: var(--ink);
  stroke-width: 1.4;
}
.point circle {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.6;
}
.point.before {
  opacity: 0.45;
}
</style>
