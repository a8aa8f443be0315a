<script setup lang="ts">
import type { Frame } from "./timeline";

/** When something that is switched is on: a sluice that is drawn up, in a row of its own. */
defineProps<{
  at: {
    place: string;
    name: string;
    top: number;
    spans: { x: number; width: number }[];
    turns: string;
    says: string;
  };
  frame: Frame;
  width: number;
  compact: boolean;
}>();
</script>

<template>
  <g class="sluice" :data-switch="at.place" role="img" :aria-label="at.says">
    <text v-if="!compact" x="0" :y="at.top + 13" class="name">{{ at.name }}</text>
    <path :d="`M${frame.left} ${at.top + 10}H${frame.right}`" class="shut" />
    <rect
      v-for="(span, index) in at.spans"
      :key="index"
      :x="span.x"
      :y="at.top + 5"
      :width="Math.max(1.5, span.width)"
      height="10"
      class="open"
    />
    <text v-if="compact" :x="frame.left + 4" :y="at.top + 4" class="name">{{ at.name }}</text>
    <text v-else :x="width - 54" :y="at.top + 13" class="turns">{{ at.turns }}</text>
  </g>
</template>

<style scoped>
.name,
.turns {
  font-family: var(--font-label);
  font-size: var(--size-small);
  fill: var(--faint);
}
.turns {
  text-anchor: middle;
}
.shut {
  stroke: var(--ink);
  stroke-width: 1;
  stroke-dasharray: 1 3;
}
.open {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
</style>
