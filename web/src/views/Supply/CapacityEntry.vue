<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Figure, type Schemas, type Source } from "../../api/client";
import { usePast } from "../../composables/usePast";
import { useSite } from "../../composables/useSite";
import { noteOf, typed } from "../../format/figure";
import { habits } from "../../format/habits";
import PastDoor from "../../components/PastDoor.vue";

/** The size of a store by whatever its label says; where that can mean two things, both are shown. */
const props = defineProps<{ source: Source; refused?: string | undefined }>();
type Reading = Schemas["CapacityReading"];
const emit = defineEmits<{ change: [key: "capacity_ah" | "energy_wh", figure: Figure] }>();
const { id } = useSite();
const battery = computed(() => props.source.battery);
const figure = computed(() => battery.value?.capacity_ah ?? battery.value?.energy_wh);
const unit = computed(() => (battery.value?.capacity_ah == null ? "Wh" : "Ah"));
const { pastOf } = usePast();
const past = computed(() =>
  pastOf([battery.value, battery.value?.capacity_ah == null ? "energy_wh" : "capacity_ah"]),
);
const shown = computed(() => {
  const [number = "", letter] = typed(figure.value).split(/ (?=[mld]$)/);
  return `${number} ${unit.value}${letter ? ` ${letter}` : ""}`;
});
const text = ref(shown.value);
const trouble = ref("");
const question = ref<{ typed: string; words: string; readings: Reading[] }>();
watch(shown, (now) => {
  if (!trouble.value && !question.value) text.value = now;
});

async function settle() {
  const now = text.value.trim();
  // Leaving the field for one of the answers asks nothing anew.
  if (now === question.value?.typed) return;
  if (now === shown.value || now === "") {
    text.value = shown.value;
    trouble.value = "";
    question.value = undefined;
    return;
  }
  try {
    const body = { source: props.source.id, text: now, decimal_comma: habits.decimal === "comma" };
    const found = taken(
      await api.POST("/sites/{site}/capacity", { params: { path: { site: id.value } }, body }),
    );
    trouble.value = "";
    const [only] = found.readings;
    if (found.question) question.value = { typed: now, words: found.question, readings: found.readings };
    else if (only) take(only);
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message.replace(/^text /, "")
        : "The server does not answer. What you typed is kept; press Enter to try again.";
  }
}

function take(reading: Reading) {
  question.value = undefined;
  const value = reading.capacity_ah ?? reading.energy_wh;
  if (value == null) return;
  const made: Figure = {
    value,
    ...(reading.plus_minus == null ? {} : { plus_minus: reading.plus_minus }),
    ...(reading.basis === "assumed" ? {} : { basis: reading.basis }),
    ...(reading.note == null ? {} : { note: reading.note }),
  };
  emit("change", reading.capacity_ah == null ? "energy_wh" : "capacity_ah", made);
}
</script>

<template>
  <span class="entry">
    <input
      v-model="text"
      type="text"
      autocomplete="off"
      spellcheck="false"
      :aria-label="`${source.label}, capacity`"
      :aria-invalid="trouble || refused ? 'true' : undefined"
      @blur="settle"
      @keydown.enter.prevent="settle"
    />
    <span v-if="noteOf(figure) && !question" class="note">= {{ noteOf(figure) }}</span>
    <PastDoor
      v-if="!question"
      :at="past"
      :name="`the capacity of ${source.label}`"
      class="note"
      data-test="figure-past"
    />
    <span v-if="trouble || refused" class="sentence" role="alert">{{ trouble || refused }}</span>
    <span v-if="question" class="question" role="status">
      {{ question.words }}
      <button
        v-for="it in question.readings"
        :key="it.words"
        type="button"
        data-test="reading"
        @click="take(it)"
      >
        {{ it.words }}
      </button>
    </span>
  </span>
</template>

<style scoped>
.entry {
  display: grid;
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
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.note,
.sentence,
.question {
  font-size: var(--size-small);
  color: var(--faint);
  padding-top: 2px;
}
.sentence {
  color: var(--trips);
}
.question {
  color: var(--tight);
  display: grid;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
}
button.note {
  justify-self: start;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
