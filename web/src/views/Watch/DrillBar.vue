<script setup lang="ts">
import type { Told } from "./useWatch";

/** The clock of a drill. */
defineProps<{ drill: NonNullable<Told["drill"]>; now: string; labelOf: (id: string) => string }>();
const emit = defineEmits<{ clock: [body: { speed?: number; paused?: boolean; step_s?: number }] }>();
const SPEEDS = [1, 10, 60, 600, 3600];
</script>

<template>
  <p class="drill label" data-test="drill-bar">
    <strong>Drill {{ drill.seed }}</strong>
    <span>{{ now }}</span>
    <button
      type="button"
      class="door"
      :aria-pressed="drill.paused"
      data-test="pause"
      @click="emit('clock', { paused: !drill.paused })"
    >
      <kbd>space</kbd> {{ drill.paused ? "go on" : "pause" }}
    </button>
    <span role="group" aria-label="times as fast as life" class="speeds">
      <button
        v-for="it in SPEEDS"
        :key="it"
        type="button"
        :aria-pressed="drill.speed === it"
        :data-test="`speed-${it}`"
        @click="emit('clock', { speed: it })"
      >
        ×{{ it }}
      </button>
    </span>
    <button type="button" class="door" data-test="step" @click="emit('clock', { step_s: 900 })">
      <kbd>.</kbd> 15 min on
    </button>
    <span v-for="(text, id) in drill.displays" :key="id" class="display"
      >{{ labelOf(String(id)) }}: {{ text }}</span
    >
  </p>
</template>

<style scoped>
.drill {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 20px;
  padding: 4px 0;
  border-bottom: 1px dashed var(--primary);
}
.speeds {
  display: flex;
  gap: 10px;
}
.speeds button {
  color: var(--faint);
  padding: 4px 2px;
}
.speeds [aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: underline;
  text-underline-offset: 4px;
}
kbd {
  font: 600 var(--size-text) var(--font-label);
  color: var(--primary);
}
.display {
  color: var(--ink);
}
</style>
