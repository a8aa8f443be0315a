<script setup lang="ts">
import { ref, shallowRef, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";

/** What to measure next: the tests that narrow the answers most per minute of work. */
const emit = defineEmits<{ begin: [next: Schemas["Next"]] }>();
const { id: site } = useSite();
const next = shallowRef<Schemas["Next"][]>([]);
const asked = ref(false);
// Asked once when the bench is entered, as it takes hundreds of plans to say.
watch(
  site,
  async (id) => {
    if (!id) return;
    try {
      next.value = taken(await api.GET("/sites/{site}/next", { params: { path: { site: id } } })).next;
    } catch {
      // The bench is whole without it, and a server that is gone is told by the page.
      next.value = [];
    }
    asked.value = true;
  },
  { immediate: true },
);
</script>

<template>
  <section class="next" aria-label="What to measure next" data-test="next">
    <template v-if="next.length">
      <h2>Worth its minutes</h2>
      <p class="faint">What narrows the answers most per minute of work; the bar is its share of the best.</p>
      <ol>
        <li v-for="it in next" :key="`${it.protocol} ${it.of.id} ${it.of.part}`">
          <span class="bar" aria-hidden="true"><span :style="{ width: `${it.share * 100}%` }" /></span>
          <button type="button" class="door" data-test="begin-next" @click="emit('begin', it)">
            {{ it.label }}: {{ it.title }}
          </button>
          <span class="label faint">{{ it.minutes }} min; {{ it.needs.join("; ") }}</span>
          <span class="why">{{ it.sentence.split(" minutes. ")[1] }}</span>
        </li>
      </ol>
    </template>
    <p v-else class="faint">
      {{
        asked
          ? "Everything that the answers hang on is measured."
          : "What is worth measuring next is looked for …"
      }}
    </p>
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
