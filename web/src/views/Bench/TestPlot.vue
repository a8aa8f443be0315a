<script setup lang="ts">
import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { exact } from "../../format/number";

/** The readings with what their meters may be off, the law through them with its band, and how far it was measured. */
const props = defineProps<{ outcome: Schemas["Outcome"]; protocol: string }>();
const WIDE = 520;
const TALL = 200;
const AXES: Record<string, [string, string]> = {
  idle: ["row", "W in"],
  efficiency: ["W out", "W lost"],
  "far-end": ["A", "V lost"],
};
const points = computed(() => props.outcome.points);
const band = computed(() => props.outcome.fit?.band ?? []);
const x = computed(() => {
  const most = Math.max(1e-9, ...points.value.map((it) => it.x.value + it.x.plus_minus));
  return scaleLinear()
    .domain([0, most * 1.06])
    .range([0, WIDE]);
});
const y = computed(() => {
  const most = Math.max(
    1e-9,
    ...points.value.map((it) => it.y.value + it.y.plus_minus),
    ...band.value.map((it) => it.loss_w + it.plus_minus),
  );
  return scaleLinear()
    .domain([0, most * 1.08])
    .range([TALL, 0]);
});
type Band = (typeof band.value)[number];
const law = computed(
  () =>
    line<Band>()
      .x((it) => x.value(it.out_w))
      .y((it) => y.value(it.loss_w))(band.value) ?? "",
);
const around = computed(
  () =>
    area<Band>()
      .x((it) => x.value(it.out_w))
      .y0((it) => y.value(Math.max(0, it.loss_w - it.plus_minus)))
      .y1((it) => y.value(it.loss_w + it.plus_minus))(band.value) ?? "",
);
const axes = computed(() => AXES[props.protocol] ?? ["", ""]);
const residuals = computed(() => (props.outcome.fit?.residuals_w ?? []).map((it) => exact(it)).join(", "));
</script>

<template>
  <figure v-if="points.length" class="plot" data-test="plot">
    <svg
      class="graph"
      :viewBox="`-46 -20 ${WIDE + 62} ${TALL + 58}`"
      role="img"
      :aria-label="outcome.sentence"
    >
      <g v-for="tick in y.ticks(4)" :key="`y${tick}`">
        <line x1="0" :x2="WIDE" :y1="y(tick)" :y2="y(tick)" class="grid" />
        <text x="-6" :y="y(tick) + 4" class="end">{{ exact(tick, true) }}</text>
      </g>
      <g v-for="tick in x.ticks(6)" :key="`x${tick}`">
        <text :x="x(tick)" :y="TALL + 16" class="middle">{{ exact(tick, true) }}</text>
      </g>
      <path :d="around" class="band" />
      <path :d="law" class="law" />
      <g v-for="it in points" :key="it.row" class="point">
        <path
          :d="`M${x(it.x.value)} ${y(it.y.value - it.y.plus_minus)} V${y(it.y.value + it.y.plus_minus)} M${x(it.x.value - it.x.plus_minus)} ${y(it.y.value)} H${x(it.x.value + it.x.plus_minus)}`"
        />
        <rect :x="x(it.x.value) - 3" :y="y(it.y.value) - 3" width="6" height="6" />
      </g>
      <path :d="`M0 0 V${TALL} H${WIDE}`" class="axis" />
      <text x="-40" y="-8">{{ axes[1] }}</text>
      <text :x="WIDE" :y="TALL + 34" class="end">{{ axes[0] }}</text>
    </svg>
    <figcaption v-if="residuals" class="label faint">above the law, W: {{ residuals }}</figcaption>
  </figure>
</template>

<style scoped>
.plot {
  margin: 0;
}
svg {
  width: 100%;
  max-width: 640px;
  display: block;
}
.law {
  fill: none;
  stroke: var(--loss);
  stroke-width: 2;
}
.band {
  fill: var(--loss);
  opacity: 0.16;
}
.point path {
  stroke: var(--surface);
  stroke-width: 1.5;
}
.point rect {
  fill: var(--surface);
}
</style>
