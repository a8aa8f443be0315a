<script setup lang="ts">
import { computed } from "vue";
import { useSite } from "../../composables/useSite";
import { fixed, watts } from "../../format/number";
import { clockAt, indexAt, short, WORDS } from "./timeline";
import type { Told } from "./useOutage";

/** Everything at one time, in a line; by arrow keys, and read aloud as it moves. */
const props = defineProps<{ told: Told; cursor: number; whole: number }>();
const emit = defineEmits<{ move: [hours: number] }>();
const { plan } = useSite();
const label = (id: string) =>
  [...(plan.value?.kit.devices ?? []), ...(plan.value?.kit.sources ?? [])].find((it) => it.id === id)
    ?.label ?? id;
const at = computed(() => indexAt(props.told.simulation.series?.at_h ?? [], props.cursor));
const series = computed(() => props.told.simulation.series);
const stores = computed(() =>
  Object.keys(props.told.simulation.sources).map((id) => ({
    id,
    soc: series.value?.soc[id]?.[at.value] ?? 0,
    watts: series.value?.source_w[id]?.[at.value] ?? 0,
    charged: series.value?.charged_w[id]?.[at.value] ?? 0,
  })),
);
const gone = computed(() =>
  props.told.order.flatMap((id) => {
    const spans = props.told.simulation.devices[id]?.spans ?? [];
    const now =
      spans.find((it) => it.from_h <= props.cursor + 1e-9 && props.cursor < it.to_h) ?? spans.at(-1);
    return now && now.state !== "on" ? [`${label(id)} ${WORDS[now.state]}`] : [];
  }),
);
const mains = computed(() => (series.value?.mains[at.value] ? "mains there" : "mains out"));
const words = computed(() => {
  const each = stores.value.map(
    (it) => `${label(it.id)} ${Math.round(it.soc * 100)} percent, ${watts(it.watts)} watts`,
  );
  return [clockAt(props.told, props.cursor), mains.value, ...each, ...gone.value].join("; ");
});
</script>

<template>
  <div class="cursor">
    <input
      type="range"
      min="0"
      :max="whole"
      :step="whole / 288"
      :value="Math.min(cursor, whole)"
      aria-label="time"
      :aria-valuetext="words"
      data-test="cursor"
      @input="(event) => emit('move', Number((event.target as HTMLInputElement).value))"
    />
    <p data-test="cursor-line">
      <strong>{{ clockAt(told, cursor) }}</strong> <span class="faint">after {{ short(cursor) }}</span> ·
      {{ mains }}
      <template v-for="it in stores" :key="it.id">
        ·
        <span :data-read="it.id"
          >{{ label(it.id) }} {{ fixed(it.soc * 100, 0) }} %, {{ watts(it.watts) }} W</span
        ><template v-if="it.charged > 0.5">, +{{ watts(it.charged) }} W</template>
      </template>
      <span v-if="gone.length" class="faint"> · {{ gone.join(", ") }}</span>
    </p>
  </div>
</template>

<style scoped>
.cursor {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 8px;
  align-items: start;
  margin-top: 2px;
  min-height: 44px;
}
input {
  width: 100%;
  accent-color: var(--primary);
  margin: 4px 0 0;
}
@media (--narrow) {
  .cursor {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
