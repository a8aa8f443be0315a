<script setup lang="ts">
import { computed } from "vue";
import { watts } from "../../format/number";
import { layStrip, type Step } from "./strip";

/** The phases of a device as steps: what it draws while it starts, runs, works hard and stops. */
const props = defineProps<{ steps: Step[]; name: string }>();
const WIDTH = 260;
const TOP = 15;
const HEIGHT = 40;
const short = (value: number) => String(Number(value.toPrecision(3)));
const bars = computed(() => layStrip(props.steps, WIDTH, HEIGHT));
const told = computed(() =>
  props.steps.map((step) => `${step.label ?? step.when} ${watts(step.watts)} W`).join(", "),
);
</script>

<template>
  <svg
    class="strip"
    :viewBox="`0 0 ${WIDTH} ${TOP + HEIGHT + 16}`"
    role="img"
    :aria-label="`${name}: ${told}`"
  >
    <g v-for="(bar, index) in bars" :key="index">
      <rect
        :x="bar.x"
        :y="TOP + HEIGHT - bar.height"
        :width="Math.max(1, bar.width - 1)"
        :height="bar.height"
        :class="bar.step.when"
      />
      <text :x="bar.x + bar.width / 2" :y="TOP + HEIGHT - bar.height - 4" class="watts">
        {{ short(bar.step.watts) }}
      </text>
      <text :x="bar.x + bar.width / 2" :y="TOP + HEIGHT + 13" class="words">{{ bar.words }}</text>
      <path
        v-if="index > 0"
        :d="`M${bar.x - 3} ${TOP + HEIGHT + 3} l3 -6 M${bar.x + 1} ${TOP + HEIGHT + 3} l3 -6`"
        class="broken"
      />
    </g>
    <path :d="`M0 ${TOP + HEIGHT} H${WIDTH}`" class="bed" />
  </svg>
</template>

<style scoped>
.strip {
  display: block;
  overflow: visible;
  width: 100%;
  max-width: 300px;
  font-family: var(--font-label);
}
.running {
  fill: var(--water);
}
.busy {
  fill: var(--surface);
  opacity: 0.72;
}
.starting,
.stopping {
  fill: var(--loss);
}
.watts {
  font-size: var(--size-small);
  font-weight: 600;
  fill: var(--ink);
  text-anchor: middle;
}
.words {
  font-size: var(--size-mark);
  fill: var(--faint);
  text-anchor: middle;
}
.bed {
  stroke: var(--ink);
  stroke-width: 1;
}
.broken {
  stroke: var(--ink);
  stroke-width: 1;
  fill: none;
}
</style>
