<script setup lang="ts">
import { scaleLinear, scaleTime } from "d3-scale";
import { ref, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";
import { exact, withHalf } from "../../format/number";
import { day } from "../../format/units";

/** What each test said of a thing, over the years, and how fast it drifts. */
const props = defineProps<{ kind: string; of: string; changed: string }>();
const emit = defineEmits<{ open: [test: string] }>();
const { id: site } = useSite();
const history = ref<Schemas["History"]>();
watch(
  () => [site.value, props.kind, props.of, props.changed],
  async () => {
    if (!site.value) return;
    try {
      const path = { site: site.value, kind: props.kind, id: props.of };
      history.value = taken(await api.GET("/sites/{site}/history/{kind}/{id}", { params: { path } }));
    } catch {
      history.value = undefined;
    }
  },
  { immediate: true },
);
type Figure = Schemas["FigureHistory"];
const WIDE = 360;
const TALL = 96;
function drawn(figure: Figure) {
  const times = figure.points.map((it) => new Date(it.begun).getTime());
  const month = 30 * 86400e3;
  const x = scaleTime()
    .domain([Math.min(...times) - 2 * month, Math.max(...times) + 6 * month])
    .range([0, WIDE]);
  const ends = figure.points.flatMap((it) => [it.value - it.plus_minus, it.value + it.plus_minus]);
  const all = figure.now == null ? ends : [...ends, figure.now];
  const span = Math.max(...all) - Math.min(...all) || Math.abs(all[0] ?? 1) * 0.2 || 1;
  const y = scaleLinear()
    .domain([Math.min(...all) - 0.1 * span, Math.max(...all) + 0.1 * span])
    .range([TALL, 0]);
  const points = figure.points.map((it, index) => ({
    ...it,
    x: x(times[index] ?? 0),
    y: y(it.value),
    high: y(it.value + it.plus_minus),
    low: y(it.value - it.plus_minus),
  }));
  // The line of the drift goes through the tests' middle, as far as the axis.
  let line = "";
  if (figure.drift_per_year != null && points.length > 1) {
    const middle = times.reduce((a, b) => a + b, 0) / times.length;
    const level = figure.points.reduce((a, b) => a + b.value, 0) / points.length;
    const at = (time: number) =>
      level + (figure.drift_per_year ?? 0) * ((time - middle) / (365.25 * 86400e3));
    const [from, to] = x.domain() as [Date, Date];
    line = `M0 ${y(at(from.getTime()))} L${WIDE} ${y(at(to.getTime()))}`;
  }
  const now = figure.now == null ? undefined : y(figure.now);
  return {
    points,
    line,
    now,
    yTicks: y.ticks(3).map((it) => ({ y: y(it), text: exact(it, true) })),
    xTicks: x.ticks(4).map((it) => ({ x: x(it), text: String(it.getFullYear()) })),
  };
}
</script>

<template>
  <section
    v-if="history?.figures.some((it) => it.points.length > 1) || history?.others.length"
    class="history"
    aria-label="Over the years"
    data-test="history"
  >
    <h3>{{ history.label }} over the years</h3>
    <div v-for="it in history.figures.filter((it) => it.points.length > 1)" :key="it.pointer" class="figure">
      <svg
        class="graph"
        :viewBox="`-44 -12 ${WIDE + 60} ${TALL + 36}`"
        role="img"
        :aria-label="`${it.name}: ${it.sentence}`"
      >
        <g v-for="tick in drawn(it).yTicks" :key="tick.text">
          <line x1="0" :x2="WIDE" :y1="tick.y" :y2="tick.y" class="grid" />
          <text x="-6" :y="tick.y + 4" class="end">{{ tick.text }}</text>
        </g>
        <text v-for="tick in drawn(it).xTicks" :key="tick.x" :x="tick.x" :y="TALL + 16" class="middle">
          {{ tick.text }}
        </text>
        <path v-if="drawn(it).line" :d="drawn(it).line" class="drift" />
        <path v-if="drawn(it).now !== undefined" :d="`M0 ${drawn(it).now} H${WIDE}`" class="now" />
        <g v-for="point in drawn(it).points" :key="point.test" class="point" :class="{ used: point.in_use }">
          <path :d="`M${point.x} ${point.high} V${point.low}`" />
          <rect :x="point.x - 4" :y="point.y - 4" width="8" height="8" />
        </g>
        <path :d="`M0 0 V${TALL} H${WIDE}`" class="axis" />
      </svg>
      <div>
        <p>
          <strong>{{ it.name }}, {{ it.unit }}.</strong> {{ it.sentence }}
        </p>
        <ul>
          <li v-for="point in [...it.points].reverse()" :key="point.test">
            <button type="button" class="door" @click="emit('open', point.test)">
              {{ day(point.begun) }}
            </button>
            {{ withHalf(point.value, point.plus_minus) }} {{ it.unit
            }}<strong v-if="point.in_use">, in use</strong>
            <span class="label faint">{{ point.note }}</span>
          </li>
        </ul>
      </div>
    </div>
    <ul v-if="history.others.length">
      <li v-for="it in history.others" :key="it.test">
        <button type="button" class="door" @click="emit('open', it.test)">{{ day(it.begun) }}</button>
        {{ it.sentence }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
.history {
  border-top: 2px solid var(--line);
  padding-top: 6px;
}
h3 {
  font-size: var(--size-word);
  font-weight: 600;
}
.figure {
  display: grid;
  grid-template-columns: minmax(0, 420px) minmax(0, 1fr);
  gap: 6px 28px;
  align-items: start;
}
.point path {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.point rect {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.used rect {
  fill: var(--surface);
  stroke: var(--surface);
}
li .label {
  margin-left: 8px;
}
.drift {
  stroke: var(--loss);
  stroke-width: 1.5;
  stroke-dasharray: 6 4;
}
.now {
  stroke: var(--surface);
  stroke-width: 1;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 2px 0;
}
@media (--tablet) {
  .figure {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
