<script setup lang="ts">
import { computed, ref, shallowRef } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FilePick from "../../components/FilePick.vue";
import { useSite } from "../../composables/useSite";
import { exact } from "../../format/number";
import { useTests, type Guide, type Tested } from "./useTests";

/** A file of a logger or a scope: what its columns hold is guessed, shown and put right; then it is given whole. */
const props = defineProps<{ tested: Tested; guide: Guide }>();
const { id: site } = useSite();
const { give, trouble } = useTests();
const chosen = shallowRef<File>();
const looked = shallowRef<Schemas["Looked"]>();
const picks = ref<string[]>([]);
const refused = ref("");
const busy = ref(false);
/** What is read of it to guess by; a long file is not read twice. */
const BEGIN = 65536;

const HOLDS: [string, string][] = [
  ["time:1", "time, s or a clock"],
  ["time:0.001", "time, ms"],
  ["time:0.000001", "time, µs"],
  ["time:60", "time, min"],
  ["time:3600", "time, h"],
  ["volts:1", "volts"],
  ["volts:0.001", "millivolts"],
  ["amps:1", "amperes"],
  ["amps:0.001", "milliamperes"],
  ["watts:1", "watts"],
  ["watts:1000", "kilowatts"],
  ["other:1", "not used"],
];
/** A guess as one of the choices; what they do not know stands as it is. */
function pickOf(column: Schemas["LookedColumn"]): string {
  const scale = Number(column.scale.toPrecision(6));
  return column.holds === "other" ? "other:1" : `${column.holds}:${scale}`;
}
const choices = (pick: string): [string, string][] =>
  HOLDS.some((it) => it[0] === pick) ? HOLDS : [[pick, pick.replace(":", ", times ")], ...HOLDS];

async function look(file: File) {
  refused.value = "";
  looked.value = undefined;
  try {
    const begin = await file.slice(0, BEGIN).text();
    const answer = await api.POST("/bench/look", {
      params: { query: {} },
      body: begin,
      bodySerializer: (it) => it,
      headers: { "content-type": "text/csv" },
    });
    looked.value = taken(answer);
    picks.value = looked.value.columns.map(pickOf);
  } catch (error) {
    refused.value = error instanceof Refused ? error.message : "The server does not answer; give it again.";
  }
}
async function choose(event: Event) {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (!file) return;
  chosen.value = file;
  await look(file);
  // Where the head says all that is needed, nothing has to be picked.
  if (sure.value) await send();
}
const needs = computed(() => (props.guide.file ?? "").split(","));
const sure = computed(() => {
  const held = new Set(picks.value.map((it) => it.split(":")[0]));
  const has = (name: string) => held.has(name === "time_s" ? "time" : name);
  const power = held.has("watts") || (held.has("volts") && held.has("amps"));
  const rest = needs.value.every((it) => has(it) || (it === "watts" && power));
  return !looked.value?.wrong && rest;
});
async function send() {
  if (!chosen.value) return;
  busy.value = true;
  if (await give(props.tested.id, chosen.value, picks.value.join(","))) {
    looked.value = undefined;
    chosen.value = undefined;
  }
  busy.value = false;
}
const kept = computed(() => props.tested.test.file);
const path = computed(() => `/api/sites/${site.value}/tests/${props.tested.id}/file`);
</script>

<template>
  <section class="give" aria-label="The file">
    <p class="line label given">
      <span>a file with {{ guide.file }}, whatever its columns are called</span>
      <FilePick
        :says="chosen?.name ?? 'choose the file'"
        :aria-label="`a file with ${guide.file}`"
        accept=".csv,.txt,.tsv,text/csv,text/plain"
        data-test="test-file"
        @change="choose"
      />
    </p>
    <p v-if="kept" class="label" data-test="file-kept">
      kept: {{ kept.name || "a file" }}, {{ kept.rows.toLocaleString("en") }} rows,
      {{ kept.seconds < 10 ? `${exact(kept.seconds * 1000, true)} ms` : `${exact(kept.seconds, true)} s` }}
      long
      <a class="door" :href="path" download>the raw file</a>
      <span v-for="it in kept.remarks" :key="it" data-status="unproven"> {{ it }}.</span>
    </p>
    <p v-if="refused" data-status="trips" role="alert" data-test="file-refused">{{ refused }}</p>
    <div v-if="looked" class="pick" data-test="pick-columns">
      <p>
        <strong>{{ chosen?.name }}</strong>: what does each column hold?
      </p>
      <p v-if="looked.wrong" data-status="trips">{{ looked.wrong }}</p>
      <div class="table">
        <table>
          <thead>
            <tr>
              <th v-for="(it, index) in looked.columns" :key="index" scope="col">
                {{ it.head }}
                <ChoiceEntry
                  :value="picks[index] ?? 'other:1'"
                  :name="`what ${it.head} holds`"
                  :choices="choices(picks[index] ?? 'other:1')"
                  @change="(v) => (picks[index] = v)"
                />
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in 5" :key="row">
              <td v-for="(it, index) in looked.columns" :key="index">
                {{ it.first[row - 1] == null ? "–" : exact(it.first[row - 1]! / it.scale, true) }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="doors">
        <button type="button" class="door" data-test="give-file" :disabled="busy" @click="send">
          {{ busy ? "it is read …" : "read it so" }}
        </button>
        <button type="button" class="door" @click="looked = undefined">leave it</button>
      </p>
      <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
    </div>
    <p v-else-if="busy" role="status">It is read …</p>
  </section>
</template>

<style scoped>
.given {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 12px;
}
.table {
  overflow-x: auto;
}
th,
td {
  text-align: left;
  padding: 3px 18px 3px 0;
  font-weight: 400;
  min-width: 130px;
}
th {
  font-weight: 600;
}
tbody td {
  border-top: 1px solid var(--line);
}
.doors {
  display: flex;
  gap: 24px;
}
.doors .door {
  font-size: var(--size-line);
  font-weight: 600;
  min-height: 40px;
}
</style>
