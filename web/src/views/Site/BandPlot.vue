<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";

/** A series as a band from its least to its most, with its mean; stretches without readings stay open. */
const props = defineProps<{ spans: Schemas["ReadingSpan"][]; label: string }>();
const WIDTH = 220;
const HEIGHT = 34;

const drawn = computed(() => {
  const { spans } = props;
  const first = spans[0];
  const last = spans[spans.length - 1];
  if (!first || !last) return [];
  const low = Math.min(...spans.map((it) => it.low));
  const high = Math.max(...spans.map((it) => it.high));
  const time = Math.max(last.at_ms - first.at_ms, 1);
  const rise = high - low || 1;
  const x = (at: number) => ((at - first.at_ms) / time) * (WIDTH - 2) + 1;
  const y = (value: number) =>
    high === low ? HEIGHT / 2 : HEIGHT - 2 - ((value - low) / rise) * (HEIGHT - 4);
  // What lies further apart than a few stretches is a gap.
  const steps = spans.slice(1).map((it, index) => it.at_ms - (spans[index]?.at_ms ?? 0));
  const usual = [...steps].sort((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0;
  const parts: (typeof spans)[] = [];
  spans.forEach((it, index) => {
    const part = parts[parts.length - 1];
    if (part && (steps[index - 1] ?? 0) <= 3 * usual) part.push(it);
    else parts.push([it]);
  });
  return parts.map((part) => {
    const top = part.map((it) => `${x(it.at_ms)},${y(it.high)}`);
    const bottom = [...part].reverse().map((it) => `${x(it.at_ms)},${y(it.low)}`);
    return {
      band: [...top, ...bottom].join(" "),
      mean: part.map((it) => `${x(it.at_ms)},${y(it.mean)}`).join(" "),
    };
  });
});
</script>

<template>
  <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="img" :aria-label="label" preserveAspectRatio="none">
    <g v-for="(part, index) in drawn" :key="index">
      <polygon :points="part.band" class="band" />
      <polyline :points="part.mean" class="mean" />
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  height: 34px;
  border-bottom: 1px solid var(--line);
}
.band {
  fill: var(--surface);
  opacity: 0.6;
  stroke: var(--surface);
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.mean {
  fill: none;
  stroke: var(--primary);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
</style>
