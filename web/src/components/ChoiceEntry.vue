<script setup lang="ts">
/** One of a few words. The browser's own list: it is reached by keys and by thumb alike. */
defineProps<{ value: string; name: string; choices: [value: string, words: string][] }>();
defineEmits<{ change: [value: string] }>();
</script>

<template>
  <select
    :value="value"
    :aria-label="name"
    @change="$emit('change', ($event.target as HTMLSelectElement).value)"
  >
    <option v-for="[key, words] in choices" :key="key" :value="key">{{ words }}</option>
  </select>
</template>

<style scoped>
select {
  font: inherit;
  color: var(--primary);
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  padding: 2px 0;
  min-height: 28px;
  width: 100%;
}
@media (pointer: coarse) {
  select {
    min-height: 40px;
  }
}
</style>
