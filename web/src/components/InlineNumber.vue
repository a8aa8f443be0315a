<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { plain as shown, read } from "../format/number";

/**
 * A number that is edited where it stands. Every readable key stroke is told by `change`;
 * what cannot be read, or is refused, shows its sentence and changes nothing.
 */
const props = defineProps<{
  value: number;
  name: string;
  unit: string;
  /** Whether the unit is told, but not shown: another one beside it shows it. */
  bare?: boolean;
  /** What the server refused, if it did. */
  refused?: string | undefined;
}>();
const emit = defineEmits<{ change: [value: number]; settle: [] }>();

const text = ref(shown(props.value));
const focused = ref(false);
const unread = ref("");
watch(
  () => props.value,
  (value) => {
    if (!focused.value) text.value = shown(value);
  },
);
const sentence = computed(() => unread.value || props.refused || "");
const width = computed(() => `${Math.max(2, text.value.length) + 0.8}ch`);

function typed() {
  const value = read(text.value);
  unread.value =
    value === undefined ? `“${text.value}” is no number; give ${props.name} in ${props.unit}` : "";
  if (value !== undefined) emit("change", value);
}

function left() {
  focused.value = false;
  emit("settle");
  if (!sentence.value) text.value = shown(props.value);
}
</script>

<template>
  <span class="inline">
    <input
      v-model="text"
      inputmode="decimal"
      autocomplete="off"
      :aria-label="`${name}, ${unit}`"
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
