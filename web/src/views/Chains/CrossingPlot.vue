<script setup lang="ts">
import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { computed, ref } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useAsked } from "../../composables/useAsked";
import { exact, fixed } from "../../format/number";
import { useWays } from "./useWays";

/** Where two ways cross: drawn watts over a figure that changes, the crossing named, a cursor by pointer and keys. */
const props = defineProps<{ ways: [string, string] }>();
const { find } = useWays();
const over = ref("load");
const log = ref(false);
const at = ref(0.5);
const OVER: [string, string][] = [
  ["load", "load"],
  ["hours", "hours a day"],
  ["charge", "charge"],
  ["length", "length of the lead"],
  ["idle", "idle draw"],
];
const asked = computed(() => [props.ways[0], props.ways[1], over.value]);
const { answer, follow } = useAsked<Schemas["Crossings"]>(async (site, changes) => {
  const body = { arrangements: props.ways, over: over.value, changes };
  return taken(await api.POST("/sites/{site}/crossings", { params: { path: { site } }, body }));
}, asked);
follow();
const WIDE = 560;
const TALL = 200;
const points = computed(() => answer.value?.series ?? []);
const x = computed(() => {
  const values = points.value.map((it) => it.at);
  const [from, to] = [Math.min(...values), Math.max(...values)];
  return log.value && from > 0
    ? scaleLog().domain([from, to]).range([0, WIDE])
    : scaleLinear().domain([from, to]).range([0, WIDE]);
});
const y = computed(() => {
  const top = Math.max(...points.value.flatMap((it) => it.drawn.map((drawn) => drawn ?? 0)), 1e-9);
  return scaleLinear()
    .domain([0, top * 1.05])
    .range([TALL, 0]);
});
const path = (index: number) =>
  line<Schemas["Point"]>()
    .defined((it) => it.drawn[index] != null)
    .x((it) => x.value(it.at))
    .y((it) => y.value(it.drawn[index] ?? 0))(points.value) ?? "";
const cursor = computed(() => points.value[Math.round(at.value * (points.value.length - 1))]);
const label = (id: string) => find(id)?.label ?? id;
const told = computed(() => {
  const it = cursor.value;
  if (!it || !answer.value) return "";
  const unit = answer.value.unit;
  const drawn = (index: number) => (it.drawn[index] == null ? "not carried" : exact(it.drawn[index] ?? 0));
  return `at ${exact(it.at)} ${unit}: A ${drawn(0)}, B ${drawn(1)} ${answer.value.drawn_unit}`;
});
function point(event: PointerEvent) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect();
  const value = x.value.invert(((event.clientX - box.left) / box.width) * (WIDE + 60) - 44);
  const nearest = points.value.reduce((best, it, index) => {
    const now = points.value[best];
    return now && Math.abs(it.at - value) < Math.abs(now.at - value) ? index : best;
  }, 0);
  at.value = nearest / Math.max(1, points.value.length - 1);
}
</script>

<template>
  <section class="crossing" aria-label="Where they cross" data-test="crossing">
    <p class="label controls">
      where they cross over
      <span class="choice"
        ><ChoiceEntry :value="over" name="cross over" :choices="OVER" @change="(v) => (over = v)"
      /></span>
      <label><input v-model="log" type="checkbox" /> logarithmic</label>
    </p>
    <template v-if="answer">
      <p v-for="it in answer.crossings" :key="it.at" data-test="crossed">{{ it.sentence }}</p>
      <p v-if="answer.crossings.length === 0">{{ answer.sentence }}</p>
      <svg
        :viewBox="`-44 -10 ${WIDE + 60} ${TALL + 40}`"
        role="img"
        :aria-label="answer.sentence"
        @pointermove="point"
      >
        <path :d="`M0 0 V${TALL} H${WIDE}`" class="axis" />
        <g v-for="tick in x.ticks(6)" :key="`x${tick}`">
          <text :x="x(tick)" :y="TALL + 16" class="middle">{{ exact(tick, true) }}</text>
        </g>
        <g v-for="tick in y.ticks(4)" :key="`y${tick}`">
          <line x1="0" :x2="WIDE" :y1="y(tick)" :y2="y(tick)" class="grid" />
          <text x="-6" :y="y(tick) + 4" class="end">{{ fixed(tick, tick < 10 ? 1 : 0) }}</text>
        </g>
        <text x="-40" y="-1">{{ answer.drawn_unit }} drawn</text>
        <text :x="WIDE" :y="TALL + 28" class="end">{{ answer.of }}, {{ answer.unit }}</text>
        <path :d="path(0)" class="a" />
        <path :d="path(1)" class="b" />
        <g v-for="it in answer.crossings" :key="it.at">
          <line :x1="x(it.at)" :x2="x(it.at)" y1="0" :y2="TALL" class="cross" />
        </g>
        <line v-if="cursor" :x1="x(cursor.at)" :x2="x(cursor.at)" y1="0" :y2="TALL" class="cursor" />
      </svg>
      <p class="label legend">
        <span class="line-a">A {{ label(ways[0]) }}</span> <span class="line-b">B {{ label(ways[1]) }}</span>
        <label class="slide"
          >cursor
          <input
            v-model.number="at"
            type="range"
            min="0"
            max="1"
            step="0.01"
            :aria-valuetext="told"
            aria-label="cursor"
          />
        </label>
        <strong data-test="cursor">{{ told }}</strong>
      </p>
    </template>
  </section>
</template>

<style scoped>
.crossing {
  border-top: 1px solid var(--line);
  padding: 6px 0;
}
.controls,
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: baseline;
}
.choice {
  width: 150px;
}
input {
  accent-color: var(--primary);
}
svg {
  width: 100%;
  max-width: 700px;
  display: block;
}
text {
  font: 12px var(--font-label);
  fill: var(--faint);
}
.middle {
  text-anchor: middle;
}
.end {
  text-anchor: end;
}
.axis {
  stroke: var(--ink);
  fill: none;
}
.grid {
  stroke: var(--line);
}
.a,
.b {
  fill: none;
  stroke: var(--surface);
  stroke-width: 2.5;
}
.b {
  stroke: var(--loss);
  stroke-dasharray: 7 4;
}
.cross {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.cursor {
  stroke: var(--primary);
}
.line-a {
  color: var(--surface);
  font-weight: 600;
}
.line-b {
  color: var(--loss);
  font-weight: 600;
}
</style>
