<script setup lang="ts">
import { computed } from "vue";
import { duration } from "../../format/figure";
import { clockText } from "../../format/units";
import { watts as shortly } from "../../format/number";

/** A filling as what it is: a vessel that is filled from its hour on, not a draw that goes on. */
const props = defineProps<{ watts: number; hours: number; from: string; name: string }>();
const WIDTH = 260;
const TOP = 8;
const HEIGHT = 46;
/** The day is as wide as the strip. */
const start = computed(() => {
  const [hours = 0, minutes = 0] = props.from.split(":").map(Number);
  return ((hours + minutes / 60) / 24) * WIDTH;
});
const wide = computed(() => Math.max(3, (Math.min(24, props.hours) / 24) * WIDTH));
/** Over midnight it goes on at the beginning. */
const parts = computed(() => {
  const end = start.value + wide.value;
  const first = { x: start.value, width: Math.min(wide.value, WIDTH - start.value), from: 0 };
  return end > WIDTH + 0.5 ? [first, { x: 0, width: end - WIDTH, from: first.width / wide.value }] : [first];
});
const shapes = computed(() =>
  parts.value.map(({ x, width, from }) => {
    const to = Math.min(1, from + width / wide.value);
    const y = (part: number) => TOP + HEIGHT * (1 - part);
    return `M${x} ${TOP + HEIGHT}V${y(from)}L${x + width} ${y(to)}V${TOP + HEIGHT}Z`;
  }),
);
const words = computed(
  () => `${clockText(props.from)}, ${shortly(props.watts)} W for ${duration(props.hours * 3600)}`,
);
/** Words stand beside what is filled, where there is room. */
const after = computed(() => start.value < WIDTH / 2);
</script>

<template>
  <svg
    class="filling"
    :viewBox="`0 0 ${WIDTH} ${TOP + HEIGHT + 16}`"
    role="img"
    :aria-label="`${name} is filled from ${words}`"
  >
    <path v-for="it in shapes" :key="it" :d="it" class="water" />
    <path :d="`M0 ${TOP + HEIGHT} H${WIDTH}`" class="bed" />
    <text
      :x="after ? start + wide + 6 : start - 6"
      :y="TOP + 22"
      :class="after ? 'start' : 'end'"
      class="words"
    >
      {{ words }}
    </text>
    <text x="0" :y="TOP + HEIGHT + 13" class="start hour">0</text>
    <text :x="WIDTH / 2" :y="TOP + HEIGHT + 13" class="middle hour">12</text>
    <text :x="WIDTH" :y="TOP + HEIGHT + 13" class="end hour">24</text>
  </svg>
</template>

<style scoped>
.filling {
  display: block;
  overflow: visible;
  width: 100%;
  max-width: 300px;
  font-family: var(--font-label);
}
.water {
  fill: var(--water);
  stroke: var(--surface);
  stroke-width: 1.6;
}
.bed {
  stroke: var(--ink);
  stroke-width: 1;
}
.words {
  font-size: var(--size-small);
  font-weight: 600;
  fill: var(--ink);
}
.hour {
  font-size: var(--size-mark);
  fill: var(--faint);
}
.start {
  text-anchor: start;
}
.middle {
  text-anchor: middle;
}
.end {
  text-anchor: end;
}
</style>
