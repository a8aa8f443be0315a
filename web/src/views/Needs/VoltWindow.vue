<script setup lang="ts">
import { computed } from "vue";

/** The window of volts that a device takes, as a bracket with its rated voltage on it. */
const props = defineProps<{ rated: number; low: number | undefined; high: number | undefined }>();
const WIDTH = 130;
const from = computed(() => props.low ?? props.rated * 0.85);
const to = computed(() => props.high ?? props.rated * 1.15);
/** Room to the left and right of the bracket is a tenth of it. */
const place = (volts: number) =>
  14 + ((volts - from.value) / Math.max(to.value - from.value, 1e-9)) * (WIDTH - 28);
const shown = (volts: number) => String(Number(volts.toPrecision(4)));
</script>

<template>
  <svg class="window" :viewBox="`0 0 ${WIDTH} 30`" aria-hidden="true">
    <path :d="`M${place(from)} 10 H${place(to)}`" class="span" />
    <path v-if="low !== undefined" :d="`M${place(from)} 5 V15`" class="span" />
    <path v-if="high !== undefined" :d="`M${place(to)} 5 V15`" class="span" />
    <path :d="`M${place(rated)} 9 l-4 -7 h8 Z`" class="rated" />
    <text v-if="low !== undefined" :x="place(from)" y="27">{{ shown(low) }}</text>
    <text v-if="high !== undefined" :x="place(to)" y="27">{{ shown(high) }}</text>
  </svg>
</template>

<style scoped>
.window {
  display: block;
  width: 130px;
}
.span {
  stroke: var(--primary);
  stroke-width: 2;
}
.rated {
  fill: var(--ink);
}
text {
  font: var(--size-mark) var(--font-label);
  fill: var(--faint);
  text-anchor: middle;
}
</style>
