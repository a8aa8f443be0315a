<script setup lang="ts">
import { computed } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import { useAsked } from "../../composables/useAsked";

/** What to measure next: the tests that narrow the answers most per minute of work. */
const emit = defineEmits<{ begin: [next: Schemas["Next"]] }>();
// Asked once when the bench is entered, as it takes hundreds of plans to say.
const {
  answer,
  trouble: failed,
  asking,
  again,
  follow,
} = useAsked(
  async (site) => taken(await api.GET("/sites/{site}/next", { params: { path: { site } } })).next,
  undefined,
  { once: true },
);
follow();
/** None while it is looked for, and where it could not be found. */
const next = computed(() => (asking.value ? undefined : answer.value));
const trouble = computed(() => failed.value && `What is worth measuring next is not known: ${failed.value}`);
</script>

<template>
  <section class="next" aria-label="What to measure next" data-test="next">
    <template v-if="next?.length">
      <h2>Worth its minutes</h2>
      <p class="faint">What narrows the answers most per minute of work; the bar is its share of the best.</p>
      <ol>
        <li v-for="it in next" :key="`${it.protocol} ${it.of.id} ${it.of.part}`">
          <span class="bar" aria-hidden="true"><span :style="{ width: `${it.share * 100}%` }" /></span>
          <button type="button" class="door" data-test="begin-next" @click="emit('begin', it)">
            {{ it.label }}: {{ it.title }}
          </button>
          <span class="label faint">{{ it.minutes }} min; {{ it.needs.join("; ") }}</span>
          <span class="why">{{ it.sentence }}</span>
        </li>
      </ol>
    </template>
    <p v-else-if="next" class="faint" data-test="all-measured">
      Everything that the answers hang on is measured.
    </p>
    <AnswerState
      v-else
      :ready="false"
      :trouble="trouble"
      looking="What is worth measuring next is looked for …"
      @again="again"
    />
  </section>
</template>

<style scoped>
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 0 14px;
  align-items: baseline;
  padding: 5px 0;
}
.why,
li .label {
  grid-column: 2;
}
.bar {
  height: 9px;
  border-bottom: 1px solid var(--ink);
}
.bar span {
  display: block;
  height: 8px;
  background: var(--surface);
}
.door {
  text-align: left;
  font-weight: 600;
}
@media (--tablet) {
  li {
    grid-template-columns: 60px minmax(0, 1fr);
  }
}
</style>
