<script setup lang="ts">
import { computed } from "vue";
import type { ConverterFacts } from "../../api/client";
import { fixed } from "../../format/number";

/** Efficiency over load, with what the converter really carries marked on it. */
const props = defineProps<{ facts: ConverterFacts }>();
const WIDTH = 210;
const HEIGHT = 54;
const most = computed(() => props.facts.curve.at(-1)?.out_w ?? 1);
const x = (watts: number) => Math.min(watts / Math.max(most.value, 1e-9), 1) * WIDTH;
const y = (share: number) => HEIGHT - share * HEIGHT;
const line = computed(() => {
  const points = props.facts.curve.map((it) => ({
    x: x(it.out_w),
    y: y(it.in_w > 0 ? it.out_w / it.in_w : 0),
  }));
  return `M${points.map((it) => `${it.x.toFixed(1)} ${it.y.toFixed(1)}`).join(" L")}`;
});
const best = computed(() =>
  Math.max(...props.facts.curve.map((it) => (it.in_w > 0 ? it.out_w / it.in_w : 0))),
);
/** Where nothing was measured the law is drawn as a guess. */
const clip = computed(() => {
  const [from, to] = props.facts.measured_w ?? [];
  return from === undefined || to === undefined ? undefined : { x: x(from), width: x(to) - x(from) };
});
const clipId = computed(() => `measured-${props.facts.converter}`);
const marks = computed(() => props.facts.carries.filter((it) => it.efficiency != null));
</script>

<template>
  <svg
    class="curve"
    :viewBox="`-30 -6 ${WIDTH + 66} ${HEIGHT + 24}`"
    role="img"
    :aria-label="`efficiency up to ${fixed(best * 100, 0)} % at ${fixed(most, 0)} W`"
  >
    <path :d="`M0 0 V${HEIGHT} H${WIDTH}`" class="axis" />
    <clipPath v-if="clip" :id="clipId">
      <rect :x="clip.x" y="-6" :width="clip.width" :height="HEIGHT + 12" />
    </clipPath>
    <path :d="line" class="line" :class="{ guess: clip }" />
    <path v-if="clip" :d="line" class="line" :clip-path="`url(#${clipId})`" />
    <g v-for="(point, index) in facts.points" :key="index" class="point">
      <path
        v-if="point.plus_minus != null"
        :d="`M${x(point.out_w)} ${y(point.efficiency + point.plus_minus)} V${y(point.efficiency - point.plus_minus)}`"
      />
      <circle :cx="x(point.out_w)" :cy="y(point.efficiency)" r="2.5" />
    </g>
    <circle
      v-for="mark in marks"
      :key="mark.arrangement"
      :cx="x(mark.out_w)"
      :cy="y(mark.efficiency ?? 0)"
      r="4"
      class="mark"
    />
    <text x="-5" :y="y(best) + 4" class="end">{{ fixed(best * 100, 0) }} %</text>
    <text x="0" :y="HEIGHT + 14">0</text>
    <text :x="WIDTH" :y="HEIGHT + 14" class="end">{{ fixed(most, 0) }} W</text>
  </svg>
</template>

<style scoped>
.curve {
  display: block;
  width: 100%;
  max-width: 290px;
}
.axis {
  stroke: var(--line);
  fill: none;
}
.line {
  stroke: var(--surface);
  stroke-width: 2;
  fill: none;
}
.guess {
  stroke-dasharray: 4 4;
}
.point {
  stroke: var(--ink);
  stroke-width: 1.5;
  fill: var(--page);
}
.mark {
  fill: var(--loss);
}
text {
  font: var(--size-mark) var(--font-label);
  fill: var(--faint);
}
.end {
  text-anchor: end;
}
</style>
