<script setup lang="ts">
/** A number that opens its working, by click, by Enter, or by `w` while it has the focus. */
defineProps<{ text: string; unit?: string; name: string }>();
defineEmits<{ working: [] }>();
</script>

<template>
  <button
    type="button"
    class="figure"
    :aria-label="`${name}: ${text} ${unit ?? ''}, show its working`"
    @click="$emit('working')"
    @keydown.w.stop.prevent="$emit('working')"
  >
    {{ text }}<span v-if="unit" class="unit">&nbsp;{{ unit }}</span>
  </button>
</template>

<style scoped>
.figure {
  white-space: nowrap;
}
.figure:hover {
  text-decoration: underline dotted;
  text-underline-offset: 4px;
}
</style>
