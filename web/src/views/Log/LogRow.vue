<script setup lang="ts">
import { ref } from "vue";
import FilePick from "../../components/FilePick.vue";
import type { Line } from "./useLog";

/** One thing that happened, with its time, where it came from, and what lies beside it. */
const props = defineProps<{ row: Line; site: string }>();
const emit = defineEmits<{
  strike: [entry: number, why: string | null];
  files: [entry: number, files: File[]];
  item: [id: string];
}>();
const striking = ref(false);
const why = ref("");
const word: Record<string, string> = {
  note: "note",
  repair: "repair",
  purchase: "purchase",
  check: "check",
  test: "test",
  watch: "outage",
  drill: "drill",
  walk: "walk",
  change: "plan",
};
const at = (file: number, what: "file" | "small") =>
  `/api/sites/${props.site}/log/${props.row.id}/files/${file}/${what}`;
const size = (bytes: number) =>
  bytes < 1000
    ? `${bytes} B`
    : bytes < 1e6
      ? `${Math.round(bytes / 1e3)} kB`
      : `${(bytes / 1e6).toFixed(1)} MB`;
function send() {
  if (!why.value.trim()) return;
  emit("strike", props.row.id, why.value.trim());
  striking.value = false;
  why.value = "";
}
function pick(event: Event) {
  const field = event.target as HTMLInputElement;
  emit("files", props.row.id, [...(field.files ?? [])]);
  field.value = "";
}
</script>

<template>
  <article
    class="row"
    :class="{ struck: row.struck !== null && row.struck !== undefined }"
    data-test="log-row"
  >
    <span class="time label faint">{{ row.time }}</span>
    <span class="kind label" :data-kind="row.kind">{{ word[row.kind] ?? row.kind }}</span>
    <div class="what">
      <p>
        <RouterLink v-if="row.door" :to="row.door" class="words">{{ row.words }}</RouterLink><span
          v-else
          class="words"
          >{{ row.words }}</span
        >
        <span v-if="row.many > 1" class="faint label"> × {{ row.many }}</span>
        <span v-if="row.by" class="faint label"> · {{ row.by }}</span>
        <button
          v-if="row.item_label && !row.words.includes(row.item_label)"
          type="button"
          class="of label"
          :title="`all about ${row.item_label}`"
          @click="emit('item', row.item)"
        >
          {{ row.item_label }}
        </button>
      </p>
      <p v-if="row.struck" class="why label">Struck: {{ row.struck }}</p>
      <p v-if="row.files.length" class="files">
        <a v-for="it in row.files" :key="it.id" :href="at(it.id, 'file')" target="_blank" rel="noopener">
          <img v-if="it.has_thumb" :src="at(it.id, 'small')" :alt="it.name" height="72" />
          <span class="label">{{ it.name }}, {{ size(it.size) }}</span>
        </a>
      </p>
      <form v-if="striking" class="striking label" @submit.prevent="send">
        <input
          v-model="why"
          aria-label="why it does not count"
          placeholder="why it does not count"
          maxlength="300"
          data-test="strike-why"
        />
        <button type="submit" class="door">strike it</button>
        <button type="button" class="door" @click="striking = false">leave it</button>
      </form>
    </div>
    <span class="acts label">
      <FilePick
        v-if="!row.struck"
        says="+ file"
        multiple
        :aria-label="`put a picture or file beside: ${row.words}`"
        @change="pick"
      />
      <button
        v-if="!row.struck"
        type="button"
        class="door"
        :aria-label="`strike: ${row.words}`"
        data-test="strike"
        @click="striking = !striking"
      >
        strike
      </button>
      <button
        v-else
        type="button"
        class="door"
        :aria-label="`let it count again: ${row.words}`"
        @click="emit('strike', row.id, null)"
      >
        let it count
      </button>
    </span>
  </article>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 44px 70px minmax(0, 1fr) auto;
  gap: 0 10px;
  align-items: baseline;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.kind {
  font-size: var(--size-note);
  color: var(--primary);
}
.kind[data-kind="change"],
.kind[data-kind="walk"] {
  color: var(--faint);
}
.kind[data-kind="repair"],
.kind[data-kind="watch"] {
  color: var(--loss);
}
.what p {
  overflow-wrap: anywhere;
}
.words {
  color: var(--ink);
  text-decoration-color: var(--line);
  text-underline-offset: 3px;
  white-space: pre-line;
}
.of {
  font-size: var(--size-note);
  color: var(--faint);
  text-decoration: underline;
  text-underline-offset: 3px;
  margin-inline-start: 8px;
}
.struck .words {
  text-decoration: line-through;
  color: var(--faint);
}
.why {
  color: var(--tight);
  font-size: var(--size-note);
}
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  padding: 4px 0;
}
.files a {
  display: grid;
  color: var(--faint);
  font-size: var(--size-small);
}
.files img {
  border: 1px solid var(--line);
  height: 72px;
  width: auto;
}
.acts {
  --file-ink: var(--faint);
  font-size: var(--size-note);
  display: flex;
  gap: 12px;
}
.acts .door {
  color: var(--faint);
  padding: 0;
}
.striking {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 4px 0;
}
.striking input {
  font: var(--size-text) var(--font-label);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  flex: 1;
  min-width: 12em;
}
@media (--narrow) {
  .row {
    grid-template-columns: 44px minmax(0, 1fr) auto;
  }
  .kind {
    grid-column: 2;
  }
  .what {
    grid-column: 1 / -1;
    grid-row: 2;
  }
  .acts {
    grid-column: 3;
    grid-row: 1;
  }
}
</style>
