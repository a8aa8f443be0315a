<script setup lang="ts">
import { PANELS, type Panel } from "./panels";

/** The doors to what opens below the picture, with their keys. */
defineProps<{ panel: Panel | undefined }>();
defineEmits<{ open: [panel: Panel] }>();
</script>

<template>
  <div class="keys label faint">
    <span class="doors">
      <button
        v-for="[name, words] in PANELS"
        :key="name"
        type="button"
        class="door"
        :aria-expanded="panel === name"
        :data-test="`${name}-door`"
        @click="$emit('open', name)"
      >
        {{ words }}
      </button>
      <span>w working · Ctrl Z undo</span>
    </span>
    <span class="doors"><slot /></span>
  </div>
</template>

<style scoped>
.keys {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 24px;
  margin-top: 6px;
  font-size: var(--size-note);
}
.doors {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
  align-items: baseline;
}
.door {
  font-size: var(--size-word);
}
</style>
