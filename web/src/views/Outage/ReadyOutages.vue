<script setup lang="ts">
import { ref } from "vue";
import { api, taken } from "../../api/client";
import { useAddOutage, type Outage } from "./useOutage";

/** Outages to start from: one press adds one, and shows it. */
const { add } = useAddOutage();
const ready = ref<Outage[]>([]);
void api.GET("/outages").then((answer) => (ready.value = taken(answer).outages));
</script>

<template>
  <ul class="ready" aria-label="ready-made outages">
    <li v-for="it in ready" :key="it.id">
      <button type="button" class="door" :data-ready="it.id" @click="add(it, 'outage added')">
        + {{ it.label }}
      </button>
    </li>
  </ul>
</template>

<style scoped>
.ready {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
