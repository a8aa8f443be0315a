<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { shoreOf } from "./front";
import { short, span } from "./shelf";
import { useNarrow } from "./useNarrow";

/** The front as a shore with steps: what cannot be bettered stands on it. */
const props = defineProps<{
  front: Schemas["FrontMember"][];
  wanted: number;
  chosen: number;
  currency: string;
}>();
defineEmits<{ choose: [at: number] }>();
const HIGH = 250;
const narrow = useNarrow();
const wide = computed(() => (narrow.value ? 300 : 560));
const shore = computed(() => shoreOf(props.front, props.wanted, wide.value, HIGH));
</script>

<template>
  <svg
    class="graph shore"
    :viewBox="`-46 -14 ${wide + 60} ${HIGH + 52}`"
    role="img"
    :aria-label="`hours against money: ${front.map((it) => `${span(it.hours)} for ${short(it.spend)} ${currency}`).join('; ')}`"
  >
    <path :d="shore.water" class="water" />
    <g v-for="it in shore.hourTicks" :key="`h${it.value}`">
      <line x1="0" :x2="wide" :y1="it.y" :y2="it.y" class="grid" />
      <text x="-6" :y="it.y + 4" class="end">{{ short(it.value) }}</text>
    </g>
    <text x="-42" y="-3">hours</text>
    <g v-for="it in shore.moneyTicks" :key="`m${it.value}`">
      <text :x="it.x" :y="HIGH + 16" class="middle">{{ short(it.value) }}</text>
    </g>
    <text :x="wide" :y="HIGH + 33" class="end">{{ currency || "money" }} to spend</text>
    <path :d="shore.line" class="steps" />
    <line x1="0" :x2="wide" :y1="shore.wantedY" :y2="shore.wantedY" class="wanted" />
    <text :x="wide" :y="shore.wantedY - 5" class="end want">{{ span(wanted) }} wanted</text>
    <circle
      v-for="it in shore.marks"
      :key="it.at"
      :cx="it.x"
      :cy="it.y"
      :r="it.at === chosen ? 8 : 5"
      class="mark"
      :class="{ chosen: it.at === chosen }"
      @click="$emit('choose', it.at)"
    />
  </svg>
</template>

<style scoped>
.shore {
  width: min(100%, 620px);
  height: auto;
}
.water {
  fill: var(--surface);
  opacity: 0.25;
}
.steps {
  fill: none;
  stroke: var(--primary);
  stroke-width: 2.4;
}
.wanted {
  stroke: var(--trips);
  stroke-dasharray: 5 4;
}
.graph .want {
  fill: var(--trips);
}
.mark {
  fill: var(--page);
  stroke: var(--primary);
  stroke-width: 2;
  cursor: pointer;
}
.mark.chosen {
  fill: var(--primary);
}
</style>
