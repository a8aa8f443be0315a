<script setup lang="ts">
import { api, taken, type Matter, type Matters } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import PastDoor from "../../components/PastDoor.vue";
import { useAsked } from "../../composables/useAsked";
import { exact } from "../../format/number";

/** What to measure next: the figures that nobody measured, by how much hangs on them. */
defineEmits<{ close: [] }>();
/** How long after the last change it is asked again, ms: hundreds of plans are computed for one answer. */
const PAUSE_MS = 400;
const { answer, trouble, again, follow } = useAsked<Matters>(
  async (site, changes) =>
    taken(await api.POST("/sites/{site}/matters", { params: { path: { site } }, body: { changes } })),
  undefined,
  { pause: PAUSE_MS },
);
follow();
const doors: Record<string, string> = {
  device: "/needs",
  source: "/supply",
  converter: "/supply",
  arrangement: "/chains",
};
const door = (it: Matter) => `${doors[it.kind] ?? "/needs"}#${it.kind}-${it.id}`;
const shown = (it: Matter) =>
  it.unit === "" && it.value <= 1
    ? `${exact(it.value * 100, true)} %`
    : `${exact(it.value, true)} ${it.unit}`;
</script>

<template>
  <section class="matters" aria-label="Assumed and matters" data-test="matters">
    <div class="top">
      <strong v-if="answer && !trouble">{{ answer.headline }}</strong>
      <AnswerState
        :ready="answer !== undefined"
        :trouble="trouble"
        looking="Looking at every figure that nobody measured …"
        @again="again"
      />
      <button type="button" class="label" @click="$emit('close')">close</button>
    </div>
    <ol v-if="answer && !trouble">
      <li v-for="it in answer.figures" :key="it.kind + it.id + it.path" :class="{ turns: it.turns }">
        <span
          ><RouterLink :to="door(it)">{{ it.label }}</RouterLink
          >, {{ it.name }} <PastDoor :at="it" :name="`${it.label}, ${it.name}`"
        /></span>
        <span class="value">{{ shown(it) }}</span>
        <span class="label basis">{{ it.basis }}{{ it.stated ? "" : ", ± by rule" }}</span>
        <span>{{ it.sentence }}</span>
      </li>
    </ol>
    <p v-if="answer && answer.figures.length > 0" class="next">
      <RouterLink to="/bench">Measure one of them</RouterLink>
    </p>
  </section>
</template>

<style scoped>
.matters {
  border-bottom: 2px solid var(--line);
  padding: 4px 0 10px;
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  align-items: baseline;
}
ol {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(180px, 1.2fr) 84px 110px minmax(240px, 2.4fr);
  gap: 2px 18px;
  padding: 5px 0;
  border-top: 1px solid var(--line);
}
.value {
  text-align: right;
  font-weight: 600;
}
.basis {
  color: var(--unproven);
}
.turns > :last-child {
  color: var(--trips);
}
a,
button {
  color: var(--primary);
  text-underline-offset: 3px;
}
button {
  text-decoration: underline;
  padding: 6px 0;
}
@media (--narrow) {
  li {
    grid-template-columns: 1fr auto;
  }
  li > :last-child {
    grid-column: 1 / -1;
  }
}
</style>
