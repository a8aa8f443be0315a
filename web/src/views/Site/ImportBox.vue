<script setup lang="ts">
import { ref } from "vue";
import FilePick from "../../components/FilePick.vue";
import { api, Refused, taken, type Plan, type Preview } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { useSites } from "../../composables/useSites";
import { habits } from "../../format/habits";
import ImportPreview from "./ImportPreview.vue";

/** A plan, a table or pasted rows: shown first, landed after a yes. */
const { id } = useSite();
const { settle } = useEdits();
const { step } = useKit();
const { create, openArchive } = useSites();
const text = ref("");
const seen = ref<Preview>();
const trouble = ref("");
const isPlan = () => text.value.trimStart().startsWith("{");

async function look() {
  trouble.value = "";
  seen.value = undefined;
  await settle();
  try {
    const body = { text: text.value, decimal_comma: habits.decimal === "comma" };
    seen.value = taken(
      await api.POST("/sites/{site}/import", { params: { path: { site: id.value } }, body }),
    );
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. What you pasted is kept; try again.";
  }
}

async function choose(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (!file) return;
  if (/\.zip$/i.test(file.name)) {
    trouble.value = "";
    await openArchive(file);
    return;
  }
  text.value = await file.text();
  await look();
}

async function land() {
  const found = seen.value;
  if (!found) return;
  const words = `imported: ${found.headline.replace(/\.$/, "")}`.slice(0, 200);
  const done = await step(
    words,
    found.changes.map((it) => ({ ...it, body: it.body })),
  );
  if (done) close();
}

async function openAsNew() {
  try {
    await create(JSON.parse(text.value) as Plan);
    close();
  } catch {
    trouble.value = "It cannot be opened as a site: it is no JSON.";
  }
}

function close() {
  text.value = "";
  seen.value = undefined;
  trouble.value = "";
}
</script>

<template>
  <div class="import">
    <textarea
      v-model="text"
      rows="5"
      spellcheck="false"
      aria-label="rows or a file to import"
      placeholder="Paste rows of a spreadsheet, a CSV table or a plan file: Name, Watts, Volts …"
      @input="seen = undefined"
    />
    <p class="label actions">
      <FilePick
        says="choose a file, or the archive of a site"
        accept=".json,.csv,.tsv,.txt,.zip"
        data-test="file"
        @change="choose"
      />
      <button type="button" :disabled="!text.trim()" data-test="look" @click="look">
        look what it would change
      </button>
      <button v-if="text" type="button" @click="close">never mind</button>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ImportPreview v-if="seen" :seen="seen" :plan="isPlan()" @yes="land" @open="openAsNew" />
  </div>
</template>

<style scoped>
textarea {
  width: 100%;
  font: inherit;
  font-size: var(--size-note);
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 0;
  padding: 6px 8px;
  resize: vertical;
}
textarea::placeholder {
  color: var(--faint);
  opacity: 1;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 0 22px;
}
button,
button:disabled {
  color: var(--faint);
  text-decoration: none;
}
.trouble {
  color: var(--trips);
}
</style>
