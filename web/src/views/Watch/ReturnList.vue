<script setup lang="ts">
import type { Told } from "./useWatch";

/** The mains is back: what is looked at, started and charged, in order, tick by tick. */
defineProps<{ returning: NonNullable<Told["returning"]> }>();
const emit = defineEmits<{ tick: [step: NonNullable<Told["returning"]>["steps"][number]] }>();
</script>

<template>
  <section class="return" aria-label="The return" data-test="return">
    <h2>The mains is back. In this order:</h2>
    <p class="sentence">{{ returning.sentence }}</p>
    <ol>
      <li
        v-for="(step, index) in returning.steps"
        :key="`${step.kind} ${step.item}`"
        :class="{ done: step.done }"
      >
        <button
          type="button"
          role="checkbox"
          :aria-checked="step.done"
          :disabled="step.done || step.waits != null"
          :data-test="`return-${step.kind}-${step.item}`"
          @click="emit('tick', step)"
        >
          <span class="mark" aria-hidden="true">{{ step.done ? "✓" : index + 1 }}</span>
          <span>{{ step.text }}</span>
        </button>
        <p v-if="step.waits && !step.done" class="waits">{{ step.waits }}</p>
      </li>
    </ol>
    <p v-if="!returning.steps.length">Everything is on, and full.</p>
  </section>
</template>

<style scoped>
h2 {
  font-size: var(--size-title);
  font-weight: 600;
  margin-bottom: 4px;
}
.sentence {
  color: var(--faint);
}
ol {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--line);
}
button {
  display: flex;
  gap: 14px;
  align-items: baseline;
  width: 100%;
  min-height: 44px;
  padding: 8px 0;
  font-size: var(--size-line);
}
button:disabled {
  cursor: default;
}
.mark {
  flex: none;
  width: 26px;
  border: 1px solid var(--primary);
  text-align: center;
  font-weight: 600;
}
.done button {
  color: var(--faint);
}
.waits {
  color: var(--trips);
  padding: 0 0 8px 40px;
}
</style>
