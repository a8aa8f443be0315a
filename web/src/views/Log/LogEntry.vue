<script setup lang="ts">
import { computed, ref } from "vue";
import FilePick from "../../components/FilePick.vue";
import { useSite } from "../../composables/useSite";
import { who } from "../Watch/useWatch";
import type { Asking } from "./useLog";

/** One line for what happened; what it is about is seen from its words. */
const props = defineProps<{
  write: (body: Asking, files: File[]) => Promise<number | undefined>;
  busy: boolean;
}>();
const { plan } = useSite();
const words = ref("");
const at = ref("");
const files = ref<File[]>([]);
const replaced = ref(false);
const field = ref<HTMLInputElement>();
const picker = ref<InstanceType<typeof FilePick>>();

/** The battery that the line names, of which it can be said that it is a new one. */
const battery = computed(() => {
  const said = words.value.toLowerCase();
  const stores = plan.value?.kit.sources.filter((it) => it.battery) ?? [];
  return stores.find((it) => said.includes(it.label.toLowerCase()));
});
const begun = computed(() => words.value.trim() !== "");

function pick(event: Event) {
  files.value = [...((event.target as HTMLInputElement).files ?? [])];
}
async function send() {
  if (!begun.value) return;
  const body: Asking = {
    words: words.value,
    at: at.value || null,
    by: who.value || null,
    replaced: replaced.value && !!battery.value,
    ...(replaced.value && battery.value ? { item: battery.value.id } : {}),
  };
  const done = await props.write(body, files.value);
  if (done === undefined) return;
  words.value = "";
  files.value = [];
  replaced.value = false;
  picker.value?.clear();
}
defineExpose({ focus: () => field.value?.focus() });
</script>

<template>
  <form class="write" @submit.prevent="send">
    <input
      ref="field"
      v-model="words"
      class="words"
      aria-label="what happened"
      placeholder="What happened?  ( n )"
      autocomplete="off"
      maxlength="2000"
      data-test="log-words"
    />
    <div v-show="begun" class="more label">
      <label>on <input v-model="at" type="date" data-test="log-at" /></label>
      <FilePick
        ref="picker"
        :says="files.length ? files.map((it) => it.name).join(', ') : 'a picture or file'"
        multiple
        accept="image/jpeg,image/png,image/webp,application/pdf,text/plain,text/csv"
        data-test="log-files"
        @change="pick"
      />
      <label v-if="battery" class="tick"
        ><input v-model="replaced" type="checkbox" data-test="log-replaced" /> {{ battery.label }} is a new
        one: its health begins anew</label
      >
      <button type="submit" class="door" :disabled="busy" data-test="log-send">write it</button>
    </div>
  </form>
</template>

<style scoped>
.words {
  font: 400 var(--size-head) var(--font-text);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 2px solid var(--primary);
  border-radius: 0;
  width: 100%;
  padding: 6px 2px;
}
.words::placeholder {
  color: var(--faint);
}
.more {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 22px;
  padding-top: 4px;
}
.more input[type="date"] {
  font: var(--size-text) var(--font-label);
  color: var(--ink);
  color-scheme: light dark;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
}
.tick input {
  accent-color: var(--primary);
}
</style>
