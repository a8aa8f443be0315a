<script setup lang="ts">
import { computed } from "vue";
import { useWays } from "./useWays";

/** Which arrangements are looked at: one to four, beside each other. */
const { ways, chosen, toggle, add } = useWays();
const LETTERS = ["A", "B", "C", "D"];
const letter = (id: string) => LETTERS[chosen.value.indexOf(id)];
const next = computed(() => `Arrangement ${ways.value.length + 1}`);
</script>

<template>
  <div class="ways label" role="group" aria-label="Arrangements">
    <button
      v-for="way in ways"
      :key="way.id"
      type="button"
      data-test="way"
      :aria-pressed="chosen.includes(way.id)"
      @click="toggle(way.id)"
    >
      <span v-if="letter(way.id)" class="letter">{{ letter(way.id) }}</span> {{ way.label }}
    </button>
    <button type="button" class="new" data-test="new-way" @click="add(next)">+ a new one</button>
  </div>
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 0 20px;
  align-items: baseline;
}
button {
  padding: 6px 0;
  color: var(--faint);
}
button[aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: underline;
  text-decoration-color: var(--primary);
  text-underline-offset: 4px;
}
.letter {
  color: var(--primary);
  font-weight: 400;
}
.new {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
