<script setup lang="ts">
import { scaleLinear, scaleLog } from "d3-scale";
import { area, line } from "d3-shape";
import { computed, ref } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import SavePicture from "../../components/SavePicture.vue";
import AnswerState from "../../components/AnswerState.vue";
import { useAsked } from "../../composables/useAsked";
import { exact, fixed } from "../../format/number";
import { saveCsv } from "../../format/save";
import { useWays } from "./useWays";

/** Where two ways cross: drawn watts over a figure that changes, the crossing named, a cursor by pointer and keys. */
const props = defineProps<{
  ways: [string, string];
  soc: Record<string, number>;
  /** What is put into the plan for it, unsaved: the two themselves where they are no arrangements of it yet. */
  more?: Schemas["Unsaved"][];
  /** What such two are called, by id. */
  names?: Record<string, string>;
}>();
const { find } = useWays();
const over = ref("load");
const log = ref(false);
const at = ref(0.5);
const frame = ref<HTMLElement>();
const OVER: [string, string][] = [
  ["load", "load"],
  ["hours", "hours a day"],
  ["charge", "charge"],
  ["length", "length of the lead"],
  ["idle", "idle draw"],
];
const asked = computed(() => [
  props.ways[0],
  props.ways[1],
  over.value,
  JSON.stringify([props.soc, props.more ?? []]),
]);
const { answer, trouble, again, follow } = useAsked<Schemas["Crossings"]>(async (site, changes) => {
  const body = {
    arrangements: props.ways,
    over: over.value,
    band: true,
    soc: props.soc,
    changes: [...changes, ...(props.more ?? [])],
  };
  return taken(await api.POST("/sites/{site}/crossings", { params: { path: { site } }, body }));
}, asked);
follow();
const WIDE = 560;
const TALL = 200;
/** On a logarithmic axis there is no nothing. */
const points = computed(() => (answer.value?.series ?? []).filter((it) => !log.value || it.at > 0));
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
/** The same with everything on with its load. */
const loaded = (index: number) =>
  line<Schemas["Point"]>()
    .defined((it) => it.drawn[index] != null)
    .x((it) => x.value(it.at))
    .y((it) => y.value(it.drawn[index] ?? 0))(
    (answer.value?.with_load?.series ?? []).filter((it) => !log.value || it.at > 0),
  ) ?? "";
/** The band of a way: what the figures' ± leave open around its curve. */
const band = (index: number) => {
  const found = (answer.value?.band ?? []).flatMap((it) => {
    const drawn = points.value.find((point) => Math.abs(point.at - it.at) < 1e-9)?.drawn[index];
    const by = it.plus_minus[index] ?? 0;
    return drawn == null ? [] : [{ at: it.at, low: Math.max(0, drawn - by), high: drawn + by }];
  });
  return (
    area<(typeof found)[number]>()
      .x((it) => x.value(it.at))
      .y0((it) => y.value(it.low))
      .y1((it) => y.value(it.high))(found) ?? ""
  );
};
const today = computed(() => {
  const at = answer.value?.today;
  const values = points.value.map((it) => it.at);
  if (at == null || at < Math.min(...values) || at > Math.max(...values)) return undefined;
  return { x: x.value(at), at };
});
const give = (it: Schemas["Crossing"]) =>
  it.plus_minus == null
    ? ""
    : `± ${Number(it.plus_minus.toPrecision(2))} ${answer.value?.unit ?? ""}, by the ± of its figures.`;
function table() {
  const found = answer.value;
  if (!found) return;
  const head = [found.of, ...props.ways.map((it) => `${label(it)}, ${found.drawn_unit}`)];
  saveCsv(`crossing-${over.value}`, [head, ...found.series.map((it) => [it.at, ...it.drawn])]);
}
const cursor = computed(() => points.value[Math.round(at.value * (points.value.length - 1))]);
const label = (id: string) => find(id)?.label ?? props.names?.[id] ?? id;
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
  <section ref="frame" class="crossing" aria-label="Where they cross" data-test="crossing">
    <p class="label controls">
      where they cross over
      <span class="choice"
        ><ChoiceEntry :value="over" name="cross over" :choices="OVER" @change="(v) => (over = v)"
      /></span>
      <label><input v-model="log" type="checkbox" /> logarithmic</label>
      <button type="button" class="door" @click="table">CSV</button>
      <SavePicture :of="frame" :name="`crossing-${over}`" />
    </p>
    <AnswerState :ready="answer !== undefined" :trouble="trouble" @again="again" />
    <template v-if="answer">
      <p v-for="it in answer.crossings" :key="it.at">
        <span data-test="crossed">{{ it.sentence }}</span> <span class="label faint">{{ give(it) }}</span>
      </p>
      <p v-if="answer.crossings.length === 0">{{ answer.sentence }}</p>
      <p v-if="answer.with_load" data-test="with-load">
        <span class="label faint">dashed:</span> {{ answer.with_load.sentence }}
      </p>
      <svg
        class="graph"
        :viewBox="`-44 -22 ${WIDE + 60} ${TALL + 54}`"
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
        <text x="-40" y="-10">{{ answer.drawn_unit }} drawn</text>
        <text :x="WIDE" :y="TALL + 28" class="end">{{ answer.of }}, {{ answer.unit }}</text>
        <path :d="band(0)" class="band" />
        <path :d="band(1)" class="band other" />
        <g v-if="today" data-test="today">
          <line :x1="today.x" :x2="today.x" y1="0" :y2="TALL" class="today" />
          <text :x="today.x + 4" y="10">today {{ exact(today.at, true) }}</text>
        </g>
        <path v-if="answer.with_load" :d="loaded(0)" class="a loaded" />
        <path v-if="answer.with_load" :d="loaded(1)" class="b loaded" />
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
.band {
  fill: var(--surface);
  opacity: 0.16;
}
.other {
  fill: var(--loss);
}
.today {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.loaded {
  stroke-dasharray: 5 4;
  stroke-width: 1.6;
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
