<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { shoreOf } from "./front";
import { short, span } from "./shelf";
import { useNarrow } from "../../composables/useNarrow";

/** The front as a shore with steps: what cannot be bettered stands on it, what is bettered lies under water. */
const props = defineProps<{
  front: Schemas["FrontMember"][];
  under: Schemas["FinderBettered"][];
  wanted: number;
  chosen: number;
  currency: string;
}>();
defineEmits<{ choose: [at: number] }>();
const HIGH = 250;
const narrow = useNarrow();
const wide = computed(() => (narrow.value ? 300 : 560));
const said = computed(() => {
  const of = (it: { hours: number; spend: number; drawn_wh_day: number }) =>
    shore.value.across === "spend"
      ? `${span(it.hours)} for ${short(it.spend)} ${props.currency}`
      : `${span(it.hours)} at ${short(it.drawn_wh_day)} Wh a day`;
  const against = shore.value.across === "spend" ? "money" : "what is drawn a day";
  const under = props.under.length > 0 ? `; under water: ${props.under.map(of).join("; ")}` : "";
  return `hours against ${against}: ${props.front.map(of).join("; ")}${under}`;
});
const shore = computed(() => shoreOf(props.front, props.under, props.wanted, wide.value, HIGH));
</script>

<template>
  <svg class="graph shore" :viewBox="`-46 -14 ${wide + 60} ${HIGH + 52}`" role="img" :aria-label="said">
    <path :d="shore.water" class="water" />
    <g v-for="it in shore.hourTicks" :key="`h${it.value}`">
      <line x1="0" :x2="wide" :y1="it.y" :y2="it.y" class="grid" />
      <text x="-6" :y="it.y + 4" class="end">{{ short(it.value) }}</text>
    </g>
    <text x="-42" y="-3">hours</text>
    <g v-for="it in shore.acrossTicks" :key="`m${it.value}`">
      <text :x="it.x" :y="HIGH + 16" class="middle">{{ short(it.value) }}</text>
    </g>
    <text :x="wide" :y="HIGH + 33" class="end">
      {{
        shore.across === "spend" ? `${currency || "money"} to spend` : "Wh a day; nothing here costs anything"
      }}
    </text>
    <path :d="shore.line" class="steps" />
    <line x1="0" :x2="wide" :y1="shore.wantedY" :y2="shore.wantedY" class="wanted" />
    <text :x="wide" :y="shore.wantedY - 5" class="end want">{{ span(wanted) }} wanted</text>
    <path
      v-for="it in shore.under"
      :key="`u${it.at}`"
      :d="`M${it.x - 4} ${it.y} h8 M${it.x} ${it.y - 4} v8`"
      class="under"
    >
      <title>{{ under[it.at]?.sentence }}</title>
    </path>
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
.under {
  stroke: var(--faint);
  stroke-width: 1.6;
}
.mark.chosen {
  fill: var(--primary);
}
</style>
