<script setup lang="ts">
/** What nobody knows, with the door to where it is found out. */
defineProps<{ unknown: string[] }>();
</script>

<template>
  <p class="unknown label">
    <span class="mark" aria-hidden="true" /> not known: {{ unknown.join(", ") }} ·
    <RouterLink to="/bench">measure it</RouterLink>
  </p>
</template>

<style scoped>
.unknown {
  color: var(--unproven);
  font-size: var(--size-note);
}
.unknown a {
  color: var(--primary);
}
.mark {
  display: inline-block;
  width: 9px;
  height: 9px;
  border: 1.5px dashed var(--unproven);
}
</style>
