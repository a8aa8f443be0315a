<script setup lang="ts">
import { computed, ref } from "vue";
import { useElementSize } from "../../composables/useElementSize";
import { x, type Frame } from "../Outage/timeline";
import { shape, storeOf } from "./picture";
import type { Told } from "./useWatch";

/** The store that ends first: its charge until now, the readings, and where it goes. */
const props = defineProps<{ told: Told }>();
const holder = ref<HTMLElement>();
const { width } = useElementSize(holder, 880);
const TOP = 34;
const BOTTOM = 118;
const store = computed(() => props.told.stores.find((it) => it.id === storeOf(props.told)));
const frame = computed<Frame>(() => ({
  left: 1,
  right: Math.max(240, width.value) - 1,
  from: 0,
  to: props.told.hours,
}));
const drawn = computed(() => {
  const course = store.value && props.told.estimate.courses[store.value.id];
  if (!store.value || !course) return undefined;
  const readings = store.value.readings as [number, number][];
  return shape(course, readings, props.told.at_h, frame.value, TOP, BOTTOM);
});
const now = computed(() => x(frame.value, props.told.at_h));
const range = computed(() => {
  const it = props.told.estimate.devices[props.told.headline.device]?.until_h;
  if (!it || it.p5 >= props.told.hours || props.told.mains_back) return undefined;
  return {
    from: x(frame.value, it.p5),
    middle: x(frame.value, Math.min(it.p50, props.told.hours)),
    to: x(frame.value, Math.min(it.p95, props.told.hours)),
  };
});
/** Hours of the clock that have room. */
const ticks = computed(() => {
  let last = -Infinity;
  return props.told.ticks.filter((it) => {
    const at = x(frame.value, it.at_h);
    const fits = at - last > 52 && at > 16 && at < frame.value.right - 16;
    if (fits) last = at;
    return fits;
  });
});
/** Where the range begins close behind it, the name of now stands before it. */
const nowFlips = computed(
  () =>
    now.value > frame.value.right - 90 ||
    (now.value > 90 && range.value !== undefined && range.value.from < now.value + 90),
);
</script>

<template>
  <div ref="holder" class="holder">
    <svg
      v-if="drawn && store"
      :viewBox="`0 0 ${frame.right + 1} 148`"
      :width="frame.right + 1"
      height="148"
      role="img"
      :aria-label="`${store.label}: ${store.charge}`"
      data-test="watch-picture"
    >
      <text x="0" y="13" class="name">{{ store.label }}, {{ store.charge }}</text>
      <path :d="drawn.water" class="water" />
      <path :d="drawn.band" class="band" />
      <path :d="drawn.past" class="line" />
      <path :d="drawn.ahead" class="line ahead" />
      <line x1="0" :x2="frame.right" :y1="drawn.floor" :y2="drawn.floor" class="floor" />
      <text :x="frame.right" :y="drawn.floor - 5" class="floor-name">floor</text>
      <circle v-for="(dot, index) in drawn.dots" :key="index" :cx="dot.x" :cy="dot.y" r="3.5" class="dot" />
      <line x1="0" :x2="frame.right" :y1="BOTTOM" :y2="BOTTOM" class="ground" />
      <g v-if="range">
        <path
          :d="`M${range.from} ${TOP - 16} v8 M${range.from} ${TOP - 12} H${range.to} M${range.to} ${TOP - 16} v8`"
          class="range"
        />
        <circle :cx="range.middle" :cy="TOP - 12" r="4" class="middle" />
      </g>
      <line :x1="now" :x2="now" :y1="20" :y2="BOTTOM" class="now" />
      <text :x="nowFlips ? now - 6 : now + 6" y="30" class="now-name" :class="{ flips: nowFlips }">
        now {{ told.now }}
      </text>
      <text v-for="tick in ticks" :key="tick.at_h" :x="x(frame, tick.at_h)" y="140" class="tick">
        {{ tick.label }}
      </text>
    </svg>
  </div>
</template>

<style scoped>
.holder {
  min-height: 148px;
}
svg {
  display: block;
  max-width: 100%;
}
text {
  font: var(--size-note) var(--font-label);
  fill: var(--faint);
}
.name {
  font-size: var(--size-text);
}
.water {
  fill: var(--water);
  opacity: 0.55;
}
.band {
  fill: var(--water);
  opacity: 0.45;
}
.line {
  fill: none;
  stroke: var(--surface);
  stroke-width: 2.5;
}
.ahead {
  stroke-dasharray: 7 4;
}
.floor {
  stroke: var(--trips);
  stroke-dasharray: 6 4;
}
.floor-name {
  fill: var(--trips);
  text-anchor: end;
}
.dot {
  fill: var(--page);
  stroke: var(--ink);
  stroke-width: 1.6;
}
.ground {
  stroke: var(--line);
}
.range {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.middle {
  fill: var(--ink);
}
.now {
  stroke: var(--primary);
  stroke-width: 1.5;
}
.now-name {
  font-weight: 600;
  font-size: var(--size-word);
  fill: var(--ink);
}
.now-name.flips {
  text-anchor: end;
}
.tick {
  text-anchor: middle;
}
</style>
