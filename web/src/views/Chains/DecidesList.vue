<script setup lang="ts">
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import PastDoor from "../../components/PastDoor.vue";
import { useAsked } from "../../composables/useAsked";

/** What decides: the figures that would change the winner, by how much they would have to be wrong, and their tests. */
const props = defineProps<{ ways: string[]; soc: Record<string, number> }>();
const TESTS: Record<string, string> = {
  idle: "idle draw over a minute",
  efficiency: "efficiency over load, two meters",
  "charge-drop": "charge drop, one way against the other",
  capacity: "capacity down to the cut-off",
  charging: "charging from the wall",
  resistance: "resistance inside a store",
  "far-end": "voltage at the far end when busy",
  profile: "start and stop profile from a logger",
  walk: "voltage and polarity walk",
};
const { answer, trouble, again, follow } = useAsked<Schemas["Decides"]>(
  async (site, changes) =>
    taken(
      await api.POST("/sites/{site}/decides", {
        params: { path: { site } },
        body: { arrangements: props.ways, soc: props.soc, changes },
      }),
    ),
  () => [...props.ways, JSON.stringify(props.soc)].join(),
);
follow();
</script>

<template>
  <AnswerState
    v-if="!answer"
    :ready="false"
    :trouble="trouble"
    looking="What decides is looked for …"
    @again="again"
  />
  <section v-if="answer" class="decides" aria-label="What decides" data-test="what-decides">
    <h3>What decides</h3>
    <p>{{ answer.sentence }}</p>
    <ol v-if="answer.figures.length">
      <li v-for="it in answer.figures" :key="it.kind + it.id + it.path">
        <strong>{{ it.label }}, {{ it.name }}:</strong> {{ it.sentence }}
        <span class="label faint">
          <template v-if="it.times != null">{{ it.times.toFixed(1) }} times its ± away. </template>
          <template v-if="it.test"
            >On the <RouterLink to="/bench" class="door">bench</RouterLink>:
            {{ TESTS[it.test] ?? it.test }}.</template
          >
          <template v-else>Look, or measure it with a tape.</template>
          <PastDoor :at="it" :name="`${it.label}, ${it.name}`" />
        </span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
h3 {
  margin: 6px 0 2px;
  font-size: var(--size-word);
  font-weight: 600;
}
ol {
  margin: 4px 0;
  padding-left: 20px;
}
li {
  padding: 3px 0;
}
</style>
