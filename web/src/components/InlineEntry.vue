<script setup lang="ts" generic="T">
import { computed, ref, watch } from "vue";

/**
 * Something that is edited where it stands. Every readable key stroke is told by `change`; what cannot be read, or is
 * refused, shows its sentence and changes nothing.
 */
const props = defineProps<{
  /** What stands there. */
  shown: string;
  name: string;
  unit: string;
  read: (text: string) => T | undefined;
  /** What can be written. */
  remedy: string;
  /** Whether the unit is told, but not shown: another one beside it shows it. */
  bare?: boolean;
  /** What the server refused, if it did. */
  refused?: string | undefined;
}>();
const emit = defineEmits<{ change: [value: T]; settle: [] }>();

const text = ref(props.shown);
const focused = ref(false);
const unread = ref("");
watch(
  () => props.shown,
  (shown) => {
    if (!focused.value) text.value = shown;
  },
);
const sentence = computed(() => unread.value || props.refused || "");
const width = computed(() => `${Math.max(2, text.value.length) + 0.8}ch`);

function typed() {
  const value = props.read(text.value);
  unread.value = value === undefined ? `“${text.value}” cannot be read; ${props.remedy}` : "";
  if (value !== undefined) emit("change", value);
}

function left() {
  focused.value = false;
  emit("settle");
  if (!sentence.value) text.value = props.shown;
}
</script>

<template>
  <span class="inline">
    <input
      v-model="text"
      inputmode="decimal"
      autocomplete="off"
      :aria-label="unit ? `${name}, ${unit}` : name"
      :aria-invalid="sentence ? 'true' : undefined"
      :style="{ width }"
      @focus="focused = true"
      @input="typed"
      @blur="left"
      @keydown.enter="left"
    /><span v-if="!bare" class="unit">&nbsp;{{ unit }}</span>
    <span v-if="sentence" class="sentence" role="alert">{{ sentence }}</span>
  </span>
</template>

<style scoped>
.inline {
  position: relative;
  white-space: nowrap;
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
  min-height: 22px;
  text-align: right;
}
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.sentence {
  position: absolute;
  z-index: 3;
  left: 0;
  top: calc(100% + 4px);
  width: max-content;
  max-width: 260px;
  padding: 4px 8px;
  background: var(--sheet);
  border: 1px solid var(--trips);
  color: var(--trips);
  white-space: normal;
  font-weight: 400;
}
@media (pointer: coarse) {
  input {
    min-height: 32px;
  }
}
</style>
