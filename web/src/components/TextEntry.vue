<script setup lang="ts">
import { ref, watch } from "vue";

/** Words that are edited where they stand: told on Enter and on leaving. */
const props = defineProps<{ value: string; name: string; required?: boolean; list?: string }>();
const emit = defineEmits<{ change: [value: string] }>();
const text = ref(props.value);
watch(
  () => props.value,
  (value) => {
    text.value = value;
  },
);
function settle() {
  const now = text.value.trim();
  if (now === props.value) return;
  if (props.required && !now) text.value = props.value;
  else emit("change", now);
}
</script>

<template>
  <input
    v-model="text"
    type="text"
    autocomplete="off"
    :aria-label="name"
    :list="list"
    @blur="settle"
    @keydown.enter.prevent="settle"
  />
</template>

<style scoped>
input {
  font: inherit;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  padding: 2px;
  min-height: 28px;
  width: 100%;
  min-width: 0;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
