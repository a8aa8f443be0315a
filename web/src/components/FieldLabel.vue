<script setup lang="ts">
/** A field under its name. */
defineProps<{ name: string }>();
</script>

<template>
  <label class="field">
    <span class="label">{{ name }}</span>
    <slot />
  </label>
</template>

<style scoped>
.field {
  display: grid;
  gap: 1px;
  align-content: start;
}
.label {
  font-size: var(--size-small);
  color: var(--faint);
}
</style>
