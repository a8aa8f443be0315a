<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from "vue";
import { left } from "./rows";

/** A wait between two steps. When it began is kept in the browser, so that a reload loses none of it. */
const props = defineProps<{ id: string; seconds: number }>();
const key = `ash-pond.wait.${props.id}`;
const kept = Number(localStorage.getItem(key));
const since = ref<number | undefined>(kept > 0 ? kept : undefined);
const now = ref(Date.now());
const ticking = setInterval(() => (now.value = Date.now()), 500);
onBeforeUnmount(() => clearInterval(ticking));
const rest = computed(() => left(since.value, props.seconds, now.value));
const shown = computed(() => {
  const minutes = Math.floor(rest.value / 60);
  if (minutes >= 60) return `${Math.floor(minutes / 60)} h${minutes % 60 ? ` ${minutes % 60} min` : ""}`;
  return minutes > 0 ? `${minutes} min ${rest.value % 60} s` : `${rest.value} s`;
});
function start() {
  since.value = Date.now();
  now.value = Date.now();
  localStorage.setItem(key, String(since.value));
}
</script>

<template>
  <span class="timer label" role="timer" data-test="timer">
    <button v-if="since === undefined" type="button" class="door" @click="start">
      start the {{ shown }}
    </button>
    <template v-else-if="rest > 0"
      ><strong>{{ shown }}</strong> left</template
    >
    <template v-else>
      <span data-status="holds">done waiting</span>
      <button type="button" class="door" @click="start">again</button>
    </template>
  </span>
</template>

<style scoped>
.timer {
  display: inline-flex;
  gap: 10px;
  align-items: baseline;
}
strong {
  font-size: var(--size-head);
}
</style>
