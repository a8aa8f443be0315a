<script setup lang="ts">
import { shallowRef, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";
import { useSteps } from "../../composables/useSteps";

/** The steps of the site, latest first; those that are undone are faint. */
const MOST = 14;
const { id, site } = useSite();
const { undo, redo } = useSteps();
const steps = shallowRef<Schemas["JournalStep"][]>([]);

watch(
  site,
  async () => {
    if (!id.value) return;
    try {
      const params = { path: { site: id.value } };
      steps.value = taken(await api.GET("/sites/{site}/journal", { params })).steps;
    } catch {
      steps.value = [];
    }
  },
  { immediate: true },
);
</script>

<template>
  <div>
    <p class="label actions">
      <button type="button" data-test="undo" :disabled="!steps.some((it) => !it.undone)" @click="undo">
        Ctrl Z undo
      </button>
      <button type="button" :disabled="!steps.some((it) => it.undone)" @click="redo">Ctrl Y do again</button>
    </p>
    <ol data-test="journal">
      <li v-for="step in steps.slice(0, MOST)" :key="step.step" :class="{ undone: step.undone }">
        {{ step.words }}<span v-if="step.undone" class="label"> undone</span>
      </li>
    </ol>
    <p v-if="steps.length > MOST" class="faint label">and {{ steps.length - MOST }} before</p>
    <p v-if="steps.length === 0" class="faint">Nothing was changed yet.</p>
  </div>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
.undone {
  color: var(--faint);
  text-decoration: line-through;
}
.undone span {
  display: inline-block;
  text-decoration: none;
}
.actions {
  display: flex;
  gap: 22px;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
button:disabled {
  color: var(--faint);
  text-decoration: none;
}
</style>
