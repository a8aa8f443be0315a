<script setup lang="ts">
import { ref } from "vue";
import FilePick from "../../components/FilePick.vue";
import { api, type Schemas } from "../../api/client";

/** The log taken along and brought in; papers to print. */
const props = defineProps<{
  site: string;
  bring: (text: string, keep: boolean) => Promise<Schemas["LogImported"] | undefined>;
}>();
const found = ref<Schemas["LogImported"]>();
const text = ref("");
const said = ref("");
/** Codes on labels lead to where this page is served. */
const secure = globalThis.location?.protocol === "https:";
const calls = ref("");
const more = ref("");
const writing = ref(false);
const path = () => ({ params: { path: { site: props.site } } });

async function openWords() {
  if (writing.value) {
    writing.value = false;
    return;
  }
  // The fields open with what is there: what came later would take away what was typed meanwhile.
  const found = await api.GET("/sites/{site}/report", path());
  calls.value = found.data?.calls ?? "";
  more.value = found.data?.words ?? "";
  writing.value = true;
}
async function keepWords() {
  const body = { calls: calls.value, words: more.value };
  const answer = await api.POST("/sites/{site}/report", { ...path(), body });
  if (answer.response.ok) {
    writing.value = false;
    said.value = "It stands in the report from now on.";
  } else {
    said.value = (answer.error as Schemas["Problem"] | undefined)?.detail ?? "It was not kept; try again.";
  }
}

async function pick(event: Event) {
  const field = event.target as HTMLInputElement;
  const file = field.files?.[0];
  field.value = "";
  if (!file) return;
  text.value = await file.text();
  found.value = await props.bring(text.value, false);
  said.value = "";
}
async function keep() {
  const done = await props.bring(text.value, true);
  if (!done) return;
  said.value = `${done.new} entries were taken in.`;
  found.value = undefined;
}
</script>

<template>
  <section class="tools label" aria-label="taken along and brought in">
    <h2 class="label">on paper and in files</h2>
    <p class="doors">
      <a
        class="door"
        :href="`/api/sites/${site}/report.html`"
        target="_blank"
        rel="noopener"
        data-test="report"
        >report to print</a
      >
      <a
        class="door"
        :href="`/api/sites/${site}/labels.html?secure=${secure}`"
        target="_blank"
        rel="noopener"
        data-test="labels"
        >labels to print</a
      >
      <button type="button" class="door" :aria-expanded="writing" data-test="paper-words" @click="openWords">
        whom to call
      </button>
      <a class="door" :href="`/api/sites/${site}/log/log.csv`" download>the log as a table</a>
      <a class="door" :href="`/api/sites/${site}/log/whole`" :download="`${site}-log.json`">as a file</a>
      <FilePick
        says="bring in a table or file"
        accept=".csv,.tsv,.txt,.json"
        data-test="log-bring"
        @change="pick"
      />
    </p>
    <form v-if="writing" class="words" @submit.prevent="keepWords">
      <label
        >whom to call, line by line
        <textarea v-model="calls" rows="3" maxlength="2000" data-test="paper-calls" />
      </label>
      <label>what else they should know <textarea v-model="more" rows="3" maxlength="2000" /></label>
      <button type="submit" class="door" data-test="paper-keep">put it into the report</button>
    </form>
    <div v-if="found" class="found" data-test="log-found">
      <p v-if="found.columns.length">{{ found.columns.join(" · ") }}</p>
      <p>
        {{ found.new }} new, {{ found.known }} in the log already<span v-if="found.refused.length"
          >, {{ found.refused.length }} that cannot be read</span
        >.
      </p>
      <ul>
        <li v-for="it in found.first" :key="`${it.at} ${it.words}`">
          {{ it.at.slice(0, 10) }} {{ it.kind }}: {{ it.words }}
        </li>
        <li v-for="it in found.refused" :key="it" class="refused">{{ it }}</li>
      </ul>
      <p class="doors">
        <button v-if="found.new" type="button" class="door" data-test="log-keep" @click="keep">
          take {{ found.new }} in
        </button>
        <button type="button" class="door" @click="found = undefined">leave it</button>
      </p>
    </div>
    <p v-if="said" role="status">{{ said }}</p>
  </section>
</template>

<style scoped>
.tools {
  padding-top: 22px;
}
h2 {
  font-size: var(--size-text);
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 0 0 4px;
  padding-bottom: 2px;
}
.doors {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 20px;
}
.words {
  display: grid;
  gap: 6px;
  padding: 4px 0;
}
.words label {
  display: grid;
  color: var(--faint);
}
.words textarea {
  font: var(--size-text) var(--font-text);
  color: var(--ink);
  background: none;
  border: 1px solid var(--line);
  border-radius: 0;
  resize: vertical;
}
ul {
  margin: 2px 0;
  padding-inline-start: 18px;
}
.refused {
  color: var(--trips);
}
</style>
