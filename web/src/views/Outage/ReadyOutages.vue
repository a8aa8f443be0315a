<script setup lang="ts">
import { ref } from "vue";
import { api, Refused, taken } from "../../api/client";
import { useAddOutage, type Outage } from "./useOutage";

/** Outages to start from: one press adds one, and shows it. */
const { add } = useAddOutage();
const ready = ref<Outage[]>([]);
const trouble = ref("");
async function ask() {
  trouble.value = "";
  try {
    ready.value = taken(await api.GET("/outages")).outages;
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer.";
  }
}
void ask();
/** One with nothing said of it but a day without mains, from the next full hour. */
function blank(): Outage {
  const start = new Date(Date.now() + 3_600_000);
  const two = (number: number) => String(number).padStart(2, "0");
  const day = `${start.getFullYear()}-${two(start.getMonth() + 1)}-${two(start.getDate())}`;
  return { id: "outage", label: "Outage", start: `${day}T${two(start.getHours())}:00`, hours: 24 };
}
</script>

<template>
  <p v-if="trouble" role="alert" data-status="trips">
    Ready-made outages are not known: {{ trouble }}
    <button type="button" class="door" @click="ask">again</button>
  </p>
  <ul class="ready" aria-label="ready-made outages">
    <li v-for="it in ready" :key="it.id">
      <button type="button" class="door" :data-ready="it.id" @click="add(it, 'outage added')">
        + {{ it.label }}
      </button>
    </li>
    <li>
      <button type="button" class="door" data-test="blank-outage" @click="add(blank(), 'outage added')">
        + a blank one: a day without mains
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
