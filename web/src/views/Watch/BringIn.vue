<script setup lang="ts">
import { ref } from "vue";
import type { Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import MomentEntry from "../../components/MomentEntry.vue";
import FilePick from "../../components/FilePick.vue";

/** An outage of the past, from the file of a logger at a store, or from one in the columns that a replay has. */
const props = defineProps<{
  arrangement: string;
  outage: string;
  starts: Record<string, { soc: number }>;
  stores: { id: string; label: string }[];
}>();
const emit = defineEmits<{ past: [body: Schemas["PastAsked"]] }>();
const start = ref(new Date(Date.now() - 86_400_000).toISOString().slice(0, 16));
const csv = ref("");
const store = ref(props.stores[0]?.id ?? "");
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
    ...(store.value ? { store: store.value } : {}),
  });
</script>

<template>
  <div class="bring label">
    <p class="faint">
      The file of a logger as it comes: a head, times by the clock or counted from the beginning, and volts,
      amps, watts or per cent. Or a CSV file with the columns time_s, source, volts, amps, watts, percent,
      action, item, which tells of several stores and of what was done.
    </p>
    <label v-if="stores.length > 1"
      >the logger stood at
      <ChoiceEntry
        :value="store"
        name="store"
        :choices="stores.map((it) => [it.id, it.label])"
        @change="store = $event"
    /></label>
    <label>began <MomentEntry :value="start" name="began" day @change="start = $event" /></label>
    <FilePick
      :says="name || 'choose the file'"
      accept=".csv,.txt,.tsv,text/csv,text/plain"
      aria-label="file"
      data-test="past-file"
      @change="take"
    />
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
