<script setup lang="ts">
import { computed } from "vue";
import { useSite } from "../../composables/useSite";
import { fixed } from "../../format/number";
import { aging } from "./aging";
import type { Battery } from "./useLog";

/** A battery's capacity over the years: what was measured, its course as water that falls, and what each outage needs of it. */
const props = defineProps<{ battery: Battery }>();
const { plan } = useSite();
const label = computed(
  () => plan.value?.kit.sources.find((it) => it.id === props.battery.source)?.label ?? props.battery.source,
);
const outage = (id: string) => plan.value?.outages.find((it) => it.id === id)?.label ?? id;
const picture = computed(() => aging(props.battery));
/** What the first sentence does not say already. */
const others = computed(() =>
  props.battery.crossings.filter((it) => !props.battery.sentence.includes(it.sentence)),
);
const measured = computed(() => props.battery.points.length + props.battery.before.length);
</script>

<template>
  <section class="battery" :aria-label="`how ${label} ages`" :data-test="`battery-${battery.source}`">
    <h2 class="label">{{ label }}</h2>
    <p class="said" data-test="battery-sentence">{{ battery.sentence }}</p>
    <svg
      v-if="measured > 0"
      class="graph"
      :viewBox="`0 0 ${picture.width} ${picture.height}`"
      role="img"
      :aria-label="battery.sentence"
    >
      <g v-for="it in picture.years" :key="it.year">
        <line class="grid" :x1="it.x" :x2="it.x" :y1="picture.top" :y2="picture.floor" />
        <text class="middle" :x="it.x" :y="picture.floor + 16">{{ it.year }}</text>
      </g>
      <path class="water" :d="picture.water" />
      <path class="band" :d="picture.band" />
      <path class="course" :d="picture.course" />
      <g v-for="it in picture.needs" :key="it.outage" class="need">
        <line :x1="picture.left" :x2="picture.right" :y1="it.y" :y2="it.y" />
        <text :x="picture.left + 4" :y="it.y - 4">
          {{ outage(it.outage) }} needs {{ fixed(it.value, 0) }} {{ battery.unit }}
        </text>
      </g>
      <line class="now" :x1="picture.now" :x2="picture.now" :y1="picture.top" :y2="picture.floor" />
      <text class="middle now-text" :x="picture.now" :y="picture.top - 4">today</text>
      <g v-for="it in picture.points" :key="`${it.x} ${it.y}`" class="point" :class="{ before: it.before }">
        <line :x1="it.x" :x2="it.x" :y1="it.low" :y2="it.high" />
        <circle :cx="it.x" :cy="it.y" r="3.5" />
        <title>{{ it.what }}: {{ fixed(it.value, 0) }} {{ battery.unit }}</title>
      </g>
      <g v-for="it in picture.levels" :key="it.value">
        <text class="end" :x="picture.left - 5" :y="it.y + 4">{{ it.value }}</text>
      </g>
      <text class="end" :x="picture.left - 5" :y="picture.top - 4">{{ battery.unit }}</text>
    </svg>
    <ul class="label faint">
      <li v-for="it in others" :key="it.outage">{{ it.sentence }}</li>
      <li v-if="battery.cycles > 0.005">
        Outages took {{ fixed(battery.cycles, 1) }} full cycles of it so far,
        {{ fixed(battery.life_used * 100, 1) }} % of its life.
      </li>
    </ul>
  </section>
</template>

<style scoped>
.battery {
  padding-top: 22px;
}
h2 {
  font-size: 15px;
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 0 0 6px;
  padding-bottom: 2px;
}
.said {
  padding-bottom: 4px;
}
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
ul {
  list-style: none;
  margin: 0;
  padding: 4px 0 0;
  font-size: 14px;
}
</style>
