<script setup lang="ts">
import { computed } from "vue";
import { exact, withHalf } from "../../format/number";
import DifferenceTable from "../../components/DifferenceTable.vue";
import TestPlot from "./TestPlot.vue";
import { useTests, type Tested } from "./useTests";

/** The answer of a test: in words, as figures with their ±, and the way into the plan and back. */
const props = defineProps<{ tested: Tested }>();
const { preview, look, change, open } = useTests();
const gives = computed(() => Boolean(outcome.value?.figures.length || outcome.value?.lists.length));
const outcome = computed(() => props.tested.outcome);
const seen = computed(() => (preview.value?.id === props.tested.id ? preview.value.ways : undefined));
</script>

<template>
  <section class="outcome" aria-label="The answer">
    <p v-if="tested.wrong" data-status="trips" role="alert">{{ tested.wrong }}</p>
    <template v-if="outcome">
      <p class="answer" data-test="answer">{{ outcome.sentence }}</p>
      <TestPlot :outcome="outcome" />
      <table v-if="outcome.figures.length || outcome.lists.length || outcome.told.length">
        <tbody>
          <tr v-for="it in outcome.figures" :key="it.pointer">
            <th scope="row">{{ it.name }}</th>
            <td>
              <strong>{{ withHalf(it.value, it.plus_minus) }} {{ it.unit }}</strong>
            </td>
            <td class="label faint">
              {{
                it.now_test === tested.id
                  ? "in use"
                  : it.now == null
                    ? "nothing in the plan now"
                    : `${exact(it.now, true)} in the plan now`
              }}
            </td>
          </tr>
          <tr v-for="it in outcome.lists" :key="it.pointer">
            <th scope="row">{{ it.name }}</th>
            <td>
              <strong>{{ it.words }}</strong>
            </td>
            <td class="label faint">
              {{ it.now_test === tested.id ? "in use" : "replaces what stands there" }}
            </td>
          </tr>
          <tr v-for="(it, index) in outcome.told" :key="index">
            <th scope="row" class="faint">{{ it.name }}</th>
            <td>{{ withHalf(it.value, it.plus_minus ?? 0) }} {{ it.unit }}</td>
            <td />
          </tr>
        </tbody>
      </table>
      <p v-if="tested.offers" class="offers" data-test="offers">
        The plan computes with the {{ tested.offers.figure }} of an
        <button type="button" class="door" @click="open = tested.offers.test">earlier test</button>. This one
        can replace it.
      </p>
      <p v-if="gives" class="doors">
        <button v-if="!seen" type="button" class="door" data-test="look-use" @click="look(tested.id)">
          {{
            tested.in_use
              ? "use it as it is now"
              : outcome.figures.length === 1
                ? "use this figure"
                : "use these figures"
          }}
        </button>
        <button
          v-if="tested.in_use"
          type="button"
          class="door"
          data-test="take-back"
          @click="change(tested.id, true)"
        >
          take it back
        </button>
      </p>
      <div v-if="seen" class="seen" data-test="use-preview">
        <p>
          <strong>{{
            seen.length === 0
              ? "No arrangement uses it yet: nothing else changes."
              : `It changes ${seen.length === 1 ? "one arrangement" : `${seen.length} arrangements`}:`
          }}</strong>
        </p>
        <details v-for="it in seen" :key="it.id">
          <summary>{{ it.label }}: {{ it.difference.sentence }}</summary>
          <DifferenceTable :difference="it.difference" />
        </details>
        <p class="doors">
          <button type="button" class="door" data-test="use" @click="change(tested.id, false)">use it</button>
          <button type="button" class="door" @click="preview = undefined">leave it</button>
        </p>
      </div>
    </template>
  </section>
</template>

<style scoped>
.answer {
  font-size: var(--size-title);
  font-weight: 600;
  padding: 4px 0;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 3px 24px 3px 0;
}
td {
  padding: 3px 18px 3px 0;
}
strong {
  font-weight: 600;
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
summary {
  cursor: pointer;
  padding: 3px 0;
}
</style>
