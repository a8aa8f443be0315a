<script setup lang="ts">
import { computed } from "vue";
import { useSite } from "../../composables/useSite";
import { fixed } from "../../format/number";
import AgingPicture from "./AgingPicture.vue";
import { resisting } from "./aging";
import type { Battery } from "./useLog";

/** A battery over the years: its capacity and what each outage needs of it, and the resistance inside it. */
const props = defineProps<{ battery: Battery }>();
const { plan } = useSite();
const label = computed(
  () => plan.value?.kit.sources.find((it) => it.id === props.battery.source)?.label ?? props.battery.source,
);
/** What the first sentence does not say already. */
const others = computed(() =>
  props.battery.crossings.filter((it) => !props.battery.sentence.includes(it.sentence)),
);
const measured = computed(() => props.battery.points.length + props.battery.before.length);
</script>

<template>
  <section class="battery" :aria-label="`how ${label} ages`" :data-test="`battery-${battery.source}`">
    <h2 class="label">{{ label }}</h2>
    <p class="said" data-test="battery-sentence">{{ battery.sentence }}</p>
    <AgingPicture v-if="measured > 0" :course="battery" :unit="battery.unit" :said="battery.sentence" falls />
    <template v-if="battery.resistance">
      <p class="said" data-test="resistance-sentence">{{ battery.resistance.sentence }}</p>
      <AgingPicture :course="resisting(battery.resistance)" unit="mΩ" :said="battery.resistance.sentence" />
    </template>
    <ul class="label faint">
      <li v-for="it in others" :key="it.outage">{{ it.sentence }}</li>
      <li v-if="battery.cycles > 0.005">
        Outages took {{ fixed(battery.cycles, 1) }} full cycles of it so far,
        {{ fixed(battery.life_used * 100, 1) }} % of its life.
      </li>
      <li v-if="battery.by_day" data-test="by-day">{{ battery.by_day.sentence }}</li>
    </ul>
  </section>
</template>

<style scoped>
.battery {
  padding-top: 22px;
}
h2 {
  font-size: var(--size-text);
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 0 0 6px;
  padding-bottom: 2px;
}
.said {
  padding-bottom: 4px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 4px 0 0;
  font-size: var(--size-note);
}
</style>
