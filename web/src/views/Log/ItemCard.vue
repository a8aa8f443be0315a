<script setup lang="ts">
import { onMounted, shallowRef } from "vue";
import { api, type Schemas } from "../../api/client";

/** One item at a glance, as the code on its label opens it: what it carries, what is not well, its last test. */
const props = defineProps<{ site: string; item: string }>();
const told = shallowRef<Schemas["ItemTold"]>();
onMounted(async () => {
  const path = { site: props.site, item: props.item };
  told.value = (await api.GET("/sites/{site}/items/{item}", { params: { path } })).data;
});
</script>

<template>
  <section v-if="told" class="item" :aria-label="told.label" data-test="item-card">
    <h2>{{ told.label }}</h2>
    <p v-for="it in told.carries" :key="it">{{ it }}</p>
    <p v-for="it in told.findings" :key="it" class="bad">{{ it }}</p>
    <p v-if="!told.findings.length" class="well">Nothing is found against it.</p>
    <p v-if="told.last_test" class="faint">Last test, {{ told.last_test }}</p>
    <p v-else class="faint">It was never tested here.</p>
  </section>
</template>

<style scoped>
.item {
  border-inline-start: 4px solid var(--primary);
  padding: 2px 0 4px 12px;
  margin: 12px 0 4px;
}
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
.bad {
  color: var(--trips);
}
.well {
  color: var(--holds);
}
</style>
