<script setup lang="ts">
import { ref, shallowRef, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import { spoken } from "../../format/habits";
import { useSite } from "../../composables/useSite";

/** What to measure next: the tests that narrow the answers most per minute of work. */
const emit = defineEmits<{ begin: [next: Schemas["Next"]] }>();
const { id: site } = useSite();
/** None while it is looked for, and where it could not be found. */
const next = shallowRef<Schemas["Next"][]>();
const trouble = ref<string>();
let latest = 0;
// Asked once when the bench is entered, as it takes hundreds of plans to say.
async function ask() {
  if (!site.value) return;
  const number = (latest += 1);
  next.value = undefined;
  trouble.value = undefined;
  try {
    const found = taken(await api.GET("/sites/{site}/next", { params: { path: { site: site.value } } })).next;
    if (number === latest) next.value = found;
  } catch (error) {
    if (number !== latest) return;
    const why = error instanceof Refused ? error.message : "The server does not answer.";
    trouble.value = `What is worth measuring next is not known: ${why}`;
  }
}
watch([site, () => spoken()], () => void ask(), { immediate: true });
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
      @again="ask"
    />
  </section>
</template>

<style scoped>
h2 {
  font-size: 19px;
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
@media (max-width: 820px) {
  li {
    grid-template-columns: 60px minmax(0, 1fr);
  }
}
</style>
