<script setup lang="ts">
import { NDrawer, NDrawerContent } from "naive-ui";
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Question, type Working } from "../api/client";
import { useSite } from "../composables/useSite";
import WorkingSum from "./WorkingSum.vue";
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
        <WorkingSum :working="working" @see="trail.push($event)" />
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
  font-size: var(--size-note);
}
.doors {
  display: flex;
  gap: 14px;
}
textarea {
  width: 100%;
  font: inherit;
  font-size: var(--size-note);
}
.see {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.small {
  font-size: var(--size-small);
}
</style>
