<script setup lang="ts">
import { ref } from "vue";
import type { Schemas } from "../../api/client";
import MomentEntry from "../../components/MomentEntry.vue";

/** An outage of the past, from a file in the columns that a replay has. */
const props = defineProps<{ arrangement: string; outage: string; starts: Record<string, { soc: number }> }>();
const emit = defineEmits<{ past: [body: Schemas["PastAsked"]] }>();
const start = ref(new Date(Date.now() - 86_400_000).toISOString().slice(0, 16));
const csv = ref("");
const name = ref("");
async function take(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (!file) return;
  name.value = file.name;
  csv.value = await file.text();
}
const send = () =>
  emit("past", {
    arrangement: props.arrangement,
    outage: props.outage,
    start: start.value,
    starts: props.starts,
    csv: csv.value,
  });
</script>

<template>
  <div class="bring label">
    <p class="faint">
      A CSV file with the columns time_s, source, volts, amps, watts, percent, action, item; seconds since the
      outage began, blanks allowed.
    </p>
    <label>began <MomentEntry :value="start" name="began" day @change="start = $event" /></label>
    <label class="file"
      >file <input type="file" accept=".csv,text/csv" aria-label="file" data-test="past-file" @change="take"
    /></label>
    <button type="button" class="door" :disabled="!csv" data-test="past-send" @click="send">
      look back at it
    </button>
  </div>
</template>

<style scoped>
.bring {
  display: grid;
  gap: 8px;
  justify-items: start;
  padding: 8px 0;
}
</style>
