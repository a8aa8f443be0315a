<script setup lang="ts">
import { NDrawer, NDrawerContent } from "naive-ui";
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Question, type Working } from "../api/client";
import { useSite } from "../composables/useSite";
import { exact } from "../format/number";
import { workingText } from "./workingText";

/** The sum behind a number: formula in words, terms with their basis, result; each term opens its own. */
const asked = defineModel<{ key: string; question: Question } | undefined>({ required: true });
const { id } = useSite();
const trail = ref<string[]>([]);
const working = ref<Working>();
const trouble = ref("");

const open = computed({
  get: () => asked.value !== undefined,
  set: (value) => {
    if (!value) asked.value = undefined;
  },
});
const width = computed(() => Math.min(460, innerWidth));
/** What the steps of the trail are called, as they were seen. */
const names = ref<Record<string, string>>({});
const copied = ref("");
const byHand = ref("");
function back(index: number) {
  trail.value = trail.value.slice(0, index + 1);
}
/** The sum as lines of text. Where the browser keeps the clipboard closed, it is shown to be copied by hand. */
async function copy() {
  if (!working.value) return;
  const text = workingText(working.value);
  try {
    await navigator.clipboard.writeText(text);
    copied.value = "Copied.";
  } catch {
    byHand.value = text;
    copied.value = "Copy it from here:";
  }
}
const key = computed(() => trail.value[trail.value.length - 1]);

watch(asked, (value) => {
  trail.value = value ? [value.key] : [];
});
watch(key, async (value) => {
  working.value = undefined;
  trouble.value = "";
  copied.value = "";
  byHand.value = "";
  if (!value || !asked.value) return;
  const body = { key: value, question: asked.value.question };
  try {
    const reply = taken(
      await api.POST("/sites/{site}/working", { params: { path: { site: id.value } }, body }),
    );
    if (value !== key.value) return;
    working.value = reply;
    names.value = { ...names.value, [value]: reply.name };
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer. Try again.";
  }
});
</script>

<template>
  <NDrawer v-model:show="open" :width="width" placement="right" :auto-focus="true" aria-label="Working">
    <NDrawerContent :title="working?.name ?? 'Working'" closable>
      <p v-if="trouble" role="alert">{{ trouble }}</p>
      <div v-if="working" class="working" data-test="working">
        <nav v-if="trail.length > 1" aria-label="the way here" class="label trail">
          <span v-for="(it, index) in trail" :key="index">
            <button v-if="index < trail.length - 1" type="button" class="see" @click="back(index)">
              {{ names[it] ?? it }}
            </button>
            <b v-else>→ {{ names[it] ?? it }}</b>
          </span>
        </nav>
        <p class="words">{{ working.words }}</p>
        <table>
          <tbody>
            <tr v-for="(term, index) in working.terms" :key="index">
              <td>
                <button v-if="term.see" type="button" class="see" @click="trail.push(term.see)">
                  {{ term.name }}
                </button>
                <template v-else>{{ term.name }}</template>
                <small v-if="term.note">{{ term.note }}</small>
              </td>
              <td class="number">
                {{ exact(term.value, term.basis != null) }} {{ term.unit
                }}<span v-if="term.plus_minus != null"> ± {{ exact(term.plus_minus, true) }}</span>
              </td>
              <td class="basis label">
                <RouterLink
                  v-if="term.test"
                  :to="{ path: '/bench', query: { test: term.test } }"
                  class="door"
                  >{{ term.basis }}</RouterLink
                >
                <template v-else>{{ term.basis ?? "computed" }}</template>
              </td>
            </tr>
          </tbody>
          <tfoot>
            <tr>
              <td>{{ working.result.name }}</td>
              <td class="number">{{ exact(working.result.value) }} {{ working.result.unit }}</td>
              <td></td>
            </tr>
          </tfoot>
        </table>
        <p v-if="working.surer" class="faint">To be surer: {{ working.surer }}</p>
        <p class="doors">
          <button type="button" class="see" data-test="copy-working" @click="copy">copy as text</button>
          <span v-if="copied" role="status" class="faint">{{ copied }}</span>
        </p>
        <textarea v-if="byHand" readonly :value="byHand" rows="8" aria-label="the working as text" />
        <p class="faint small">
          Estimates from the figures entered; check by measuring before anything depends on it.
        </p>
      </div>
    </NDrawerContent>
  </NDrawer>
</template>

<style scoped>
.working {
  display: grid;
  gap: 14px;
  justify-items: start;
}
.trail {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  font-size: 14px;
}
.doors {
  display: flex;
  gap: 14px;
}
textarea {
  width: 100%;
  font: inherit;
  font-size: 14px;
}
.words {
  font-size: 17px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 6px 8px 6px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: baseline;
}
tfoot td {
  font-weight: 700;
  border-top: 2px solid var(--ink);
  border-bottom: 0;
}
.number {
  text-align: right;
  white-space: nowrap;
}
.basis {
  color: var(--faint);
  padding-right: 0;
}
small {
  display: block;
  color: var(--faint);
}
.see {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.small {
  font-size: 13px;
}
</style>
