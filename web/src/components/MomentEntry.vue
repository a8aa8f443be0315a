<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRefusedText } from "../composables/useRefusedText";
import { clockText, readClock, readWall, wall } from "../format/units";

/**
 * A time of day, or a day and a time, of the clock on the wall; written and read by habit: `16:30`,
 * `11/25/2026 4:30 pm`.
 */
const props = defineProps<{ value: string; name: string; day?: boolean; refused?: string | undefined }>();
const emit = defineEmits<{ change: [value: string] }>();
const written = (value: string) => (props.day ? wall(value) : clockText(value));
const shown = computed(() => written(props.value));
const example = () => written(props.day ? "2026-11-25T16:30" : "16:30");
const text = ref(shown.value);
const sentence = ref("");
const { handedOn, keeps, stays } = useRefusedText(() => props.refused, text, shown);
watch(shown, (now) => {
  if (!sentence.value && !keeps()) text.value = now;
});
function settle() {
  if (stays()) return;
  const found = props.day ? readWall(text.value) : readClock(text.value);
  if (text.value.trim() === "" || text.value === shown.value) {
    text.value = shown.value;
    sentence.value = "";
  } else if (found === undefined) {
    sentence.value = `“${text.value}” is no ${props.day ? "day and time" : "time of day"}; write ${example()}`;
  } else {
    sentence.value = "";
    text.value = written(found);
    handedOn();
    if (found !== props.value) emit("change", found);
  }
}
</script>

<template>
  <span class="moment"
    ><input
      v-model="text"
      type="text"
      autocomplete="off"
      spellcheck="false"
      :aria-label="name"
      :aria-invalid="sentence || refused ? 'true' : undefined"
      :class="{ day }"
      @blur="settle"
      @keydown.enter.prevent="settle"
    /><span v-if="sentence || refused" class="sentence" role="alert">{{ sentence || refused }}</span></span
  >
</template>

<style scoped>
.moment {
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
  width: 100%;
}
input.day {
  width: 20ch;
}
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.sentence {
  color: var(--trips);
  margin-top: 5px;
  font-size: var(--size-small);
  max-width: 260px;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
