<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { readWall, wall } from "../format/units";

/** A day and a time of the clock on the wall, written and read by habit: `25.11.2026 16:30`, `11/25/2026 4:30 pm`. */
const props = defineProps<{ value: string; name: string }>();
const emit = defineEmits<{ change: [value: string] }>();
const shown = computed(() => wall(props.value));
const text = ref(shown.value);
const sentence = ref("");
watch(shown, (now) => {
  if (!sentence.value) text.value = now;
});
function settle() {
  const found = readWall(text.value);
  if (text.value.trim() === "" || text.value === shown.value) {
    text.value = shown.value;
    sentence.value = "";
  } else if (found === undefined) {
    sentence.value = `“${text.value}” is no day and time; write ${wall("2026-11-25T16:30")}`;
  } else {
    sentence.value = "";
    text.value = wall(found);
    if (found !== props.value) emit("change", found);
  }
}
</script>

<template>
  <span class="wall"
    ><input
      v-model="text"
      type="text"
      autocomplete="off"
      spellcheck="false"
      :aria-label="name"
      :aria-invalid="sentence ? 'true' : undefined"
      @blur="settle"
      @keydown.enter.prevent="settle"
    /><span v-if="sentence" class="sentence" role="alert">{{ sentence }}</span></span
  >
</template>

<style scoped>
.wall {
  display: inline-grid;
}
input {
  font: inherit;
  font-weight: 600;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  padding: 1px 2px;
  min-height: 28px;
  width: 20ch;
}
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.sentence {
  color: var(--trips);
  font-size: 13px;
  max-width: 260px;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
