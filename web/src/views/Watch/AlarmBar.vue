<script setup lang="ts">
import type { useAlarm } from "./useAlarm";
import { clockText } from "../../format/units";

/** What rings, in a line that cannot be overlooked. */
const props = defineProps<{ alarm: ReturnType<typeof useAlarm> }>();
const until = () => {
  const at = new Date(props.alarm.mutedUntil.value);
  return clockText(`${String(at.getHours()).padStart(2, "0")}:${String(at.getMinutes()).padStart(2, "0")}`);
};
</script>

<template>
  <div v-if="alarm.open.value.length" class="rings" role="alert" data-test="rings">
    <ul>
      <li v-for="it in alarm.open.value" :key="it.key">{{ it.text }}</li>
    </ul>
    <button type="button" data-test="heard" @click="alarm.answer">heard</button>
  </div>
  <p v-if="alarm.muted.value" class="muted label" data-test="muted">No tone until {{ until() }}.</p>
</template>

<style scoped>
.rings {
  display: flex;
  align-items: center;
  gap: 20px;
  border: 2px solid var(--trips);
  color: var(--trips);
  padding: 6px 14px;
  margin-top: 8px;
  font-size: var(--size-head);
  font-weight: 600;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  flex: 1;
}
button {
  border: 1px solid var(--trips);
  padding: 8px 18px;
  min-height: 44px;
}
.muted {
  color: var(--tight);
}
</style>
