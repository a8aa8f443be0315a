<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Figure } from "../api/client";
import { figureOf, typed } from "../format/figure";

/**
 * A figure typed in the units that people have; the server reads it. What it cannot read stays where it
 * was typed, with a sentence, and changes nothing.
 */
const props = defineProps<{
  figure: Figure | null | undefined;
  name: string;
  target: string;
  unit: string;
  /** The voltage that goes with amperes that name none, V. */
  volts?: number | undefined;
  running?: boolean;
  optional?: boolean;
  /** What stands where nothing is given. */
  silent?: string;
  refused?: string | undefined;
}>();
const emit = defineEmits<{ change: [figure: Figure | null]; focus: [] }>();

const share = computed(() => props.target === "share");
const shown = computed(() => typed(props.figure, share.value));
const text = ref(shown.value);
const sentence = ref("");
const question = ref<{ words: string; instead: number }>();
watch(shown, (now) => {
  if (!sentence.value) text.value = now;
});

async function settle() {
  const now = text.value.trim();
  if (now === shown.value) {
    sentence.value = "";
    return;
  }
  if (now === "") {
    if (props.optional) emit("change", null);
    else text.value = shown.value;
    sentence.value = "";
    return;
  }
  try {
    const body = {
      text: now,
      target: props.target,
      running: props.running ?? false,
      volts: props.volts ?? null,
      decimal_comma: false,
    };
    const entry = taken(await api.POST("/entry", { body }));
    sentence.value = "";
    question.value =
      entry.question && entry.instead != null ? { words: entry.question, instead: entry.instead } : undefined;
    const read = figureOf(entry);
    // Another way of typing the same changes nothing in the plan, and is shown as the rest is.
    text.value = typed(read, share.value);
    emit("change", read);
  } catch (error) {
    sentence.value =
      error instanceof Refused
        ? error.message.replace(/^text /, "")
        : "The server does not answer. What you typed is kept; press Enter to try again.";
  }
}

function assume() {
  if (!question.value) return;
  emit("change", { value: question.value.instead, note: "two fifths of its label" });
  question.value = undefined;
}
</script>

<template>
  <span class="entry">
    <input
      v-model="text"
      type="text"
      autocomplete="off"
      spellcheck="false"
      :aria-label="name"
      :placeholder="silent"
      :aria-invalid="sentence || refused ? 'true' : undefined"
      @focus="$emit('focus')"
      @blur="settle"
      @keydown.enter.prevent="settle"
    /><span class="unit" aria-hidden="true">{{ unit }}</span>
    <span v-if="sentence || refused" class="sentence" role="alert">{{ sentence || refused }}</span>
    <span v-if="question" class="question" role="status">
      {{ question.words }}
      <button type="button" class="assume" @click="assume">assume it</button>
    </span>
  </span>
</template>

<style scoped>
.entry {
  display: grid;
  grid-template-columns: minmax(60px, 1fr) auto;
  align-items: baseline;
  gap: 0 4px;
}
input {
  font: inherit;
  font-weight: 600;
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
input::placeholder {
  color: var(--faint);
  font-weight: 400;
  opacity: 1;
}
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.unit {
  color: var(--faint);
}
.sentence,
.question {
  grid-column: 1 / -1;
  padding: 3px 0;
  font-size: 13px;
  color: var(--trips);
}
.question {
  color: var(--tight);
}
.assume {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 2px 4px;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
