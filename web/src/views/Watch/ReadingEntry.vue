<script setup lang="ts">
import { computed, ref, watch } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import type { Entry, Told } from "./useWatch";

/** One line for what somebody reads, in the units that they have. */
const props = defineProps<{
  told: Told;
  question: { text: string; again: Entry } | undefined;
  took: Entry | undefined;
}>();
const emit = defineEmits<{ enter: [entry: Entry]; drop: [] }>();
const text = ref("");
const picked = ref("");
const store = computed(() => props.told.stores.find((it) => it.id === picked.value) ?? props.told.stores[0]);
const field = ref<HTMLInputElement>();
function send() {
  if (!text.value.trim() || !store.value) return;
  emit("enter", { reading: text.value, item: store.value.id });
}
// What was taken leaves the line; what was refused or questioned, or typed since, stays.
watch(
  () => props.took,
  (now) => {
    if (now?.reading === text.value) text.value = "";
  },
);
defineExpose({ focus: () => field.value?.focus() });
</script>

<template>
  <form class="entry" @submit.prevent="send">
    <label for="reading" class="label faint">a reading</label>
    <input
      id="reading"
      ref="field"
      v-model="text"
      autocomplete="off"
      spellcheck="false"
      placeholder="54 %"
      data-test="reading"
    />
    <label class="label of"
      >of
      <ChoiceEntry
        :value="store?.id ?? ''"
        name="of which store"
        :choices="told.stores.map((it) => [it.id, it.label])"
        @change="picked = $event"
    /></label>
    <button type="submit" class="door" data-test="reading-send">take it</button>
    <span class="label faint hint">%, V, A or W · {{ store?.trouble ?? store?.read }}</span>
    <p v-if="question" class="question" role="alert" data-test="question">
      {{ question.text }}
      <button type="button" class="door" data-test="sure" @click="emit('enter', question.again)">
        it is right, take it
      </button>
      <button type="button" class="door" @click="emit('drop')">leave it</button>
    </p>
  </form>
</template>

<style scoped>
.entry {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
}
input {
  font: 600 var(--size-figure) var(--font-text);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 2px solid var(--primary);
  border-radius: 0;
  width: 8ch;
  padding: 2px 4px;
}
input::placeholder {
  color: var(--line);
}
.of {
  display: flex;
  gap: 6px;
  color: var(--faint);
}
.of :deep(select) {
  width: auto;
}
.question {
  flex-basis: 100%;
  color: var(--tight);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
@media (--narrow) {
  input {
    flex: 1;
    min-width: 0;
  }
  .of {
    flex: 1;
  }
  .hint {
    flex-basis: 100%;
  }
}
</style>
