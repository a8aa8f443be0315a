<script setup lang="ts">
import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { exact } from "../../format/number";

/** The readings with what their meters may be off, the law through them with its band, and how far it was measured. */
const props = defineProps<{ outcome: Schemas["Outcome"] }>();
const WIDE = 520;
const TALL = 200;
const plot = computed(() => props.outcome.plot);
const points = computed(() => plot.value?.points ?? []);
const curve = computed(() => plot.value?.curve ?? []);
const trace = computed(() => plot.value?.trace ?? []);
const marks = computed(() => plot.value?.marks ?? []);
/** An axis that holds all of it, from nothing on where it is not far from there. */
function over(values: number[], room: number): [number, number] {
  const least = Math.min(...values);
  const most = Math.max(...values);
  if (least < 0) return [least * room, Math.max(most * room, 0)];
  const near = most - least < 0.35 * most && values.length > 1;
  const span = most - least || Math.abs(most) || 1;
  return near ? [least - 0.25 * span, most + 0.15 * span] : [0, Math.max(most, 1e-9) * room];
}
const x = computed(() => {
  const ends = [
    ...points.value.flatMap((it) => [it.x.value - it.x.plus_minus, it.x.value + it.x.plus_minus]),
    ...curve.value.map((it) => it.x),
    ...trace.value.map((it) => it.x),
  ];
  return (
    scaleLinear()
      // A capture is drawn from where it is looked at.
      .domain(
        trace.value.length && !points.value.length
          ? [Math.min(...ends), Math.max(...ends)]
          : [Math.min(0, ...ends), Math.max(1e-9, ...ends) * 1.04],
      )
      .range([0, WIDE])
  );
});
const y = computed(() => {
  const ends = [
    ...points.value.flatMap((it) => [it.y.value - it.y.plus_minus, it.y.value + it.y.plus_minus]),
    ...curve.value.flatMap((it) => [it.y - it.plus_minus, it.y + it.plus_minus]),
    ...trace.value.flatMap((it) => [it.low, it.high]),
  ];
  return scaleLinear().domain(over(ends, 1.08)).range([TALL, 0]);
});
/** What the meters of a reading may be off, both ways. */
function cross(it: Schemas["Plotted"]): string {
  const [high, low] = [it.y.value + it.y.plus_minus, it.y.value - it.y.plus_minus].map(y.value);
  const [left, right] = [it.x.value - it.x.plus_minus, it.x.value + it.x.plus_minus].map(x.value);
  return `M${x.value(it.x.value)} ${low} V${high} M${left} ${y.value(it.y.value)} H${right}`;
}
type Place = (typeof curve.value)[number];
const law = computed(
  () =>
    line<Place>()
      .x((it) => x.value(it.x))
      .y((it) => y.value(it.y))(curve.value) ?? "",
);
const floor = computed(() => y.value.domain()[0] ?? 0);
const around = computed(
  () =>
    area<Place>()
      .x((it) => x.value(it.x))
      .y0((it) => y.value(Math.max(floor.value, it.y - it.plus_minus)))
      .y1((it) => y.value(it.y + it.plus_minus))(curve.value) ?? "",
);
/** Every stretch from its lowest to its highest, joined: no swing is lost, and a calm log is a plain line. */
const samples = computed(() =>
  trace.value
    .map(
      (it, i) =>
        `${i ? "L" : "M"}${x.value(it.x).toFixed(1)} ${y.value(it.low).toFixed(1)} V${y.value(it.high).toFixed(1)}`,
    )
    .join(""),
);
const named = (axis: Schemas["Axis"] | undefined) =>
  axis === undefined ? "" : axis.unit ? `${axis.name}, ${axis.unit}` : axis.name;
const residuals = computed(() => (props.outcome.fit?.residuals_w ?? []).map((it) => exact(it)).join(", "));
</script>

<template>
  <figure v-if="points.length || trace.length" class="plot" data-test="plot">
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
      <g v-for="it in marks" :key="it.name" class="mark">
        <rect
          :x="x(it.from)"
          y="0"
          :width="Math.max(1, x(it.to) - x(it.from))"
          :height="TALL"
          :class="it.name"
        />
      </g>
      <path v-if="samples" :d="samples" class="trace" />
      <g v-for="(it, index) in marks" :key="`${it.name} name`" class="mark">
        <text :x="x(it.to) + 6" :y="TALL - 8 - 16 * index">
          {{ it.name }} {{ exact(it.to - it.from) }} {{ plot?.along.unit }}
        </text>
      </g>
      <path :d="around" class="band" />
      <path :d="law" class="law" />
      <g v-for="it in points" :key="it.row" class="point">
        <path :d="cross(it)" />
        <rect :x="x(it.x.value) - 3" :y="y(it.y.value) - 3" width="6" height="6" />
      </g>
      <path :d="`M0 0 V${TALL} H${WIDE}`" class="axis" />
      <text x="-40" y="-8">{{ named(plot?.up) }}</text>
      <text :x="WIDE" :y="TALL + 34" class="end">{{ named(plot?.along) }}</text>
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
.trace {
  fill: none;
  stroke: var(--surface);
  stroke-width: 1.4;
  stroke-linejoin: round;
}
.mark rect {
  fill: var(--loss);
  opacity: 0.14;
}
.mark text {
  paint-order: stroke;
  stroke: var(--page);
  stroke-width: 4px;
}
.mark .dead {
  opacity: 0.34;
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
