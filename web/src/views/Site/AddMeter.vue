<script setup lang="ts">
import { ref } from "vue";
import { api, Refused } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";

/** Where another meter listens: it is asked from then on. */
const emit = defineEmits<{ added: [] }>();
const SPEAKS: [string, string][] = [
  ["modbus", "Modbus TCP"],
  ["scpi", "SCPI"],
];
const label = ref("");
const address = ref("");
const speaks = ref("modbus");
const trouble = ref("");

async function add() {
  const called = label.value.trim();
  // An id of its own, whatever it is called.
  const id = `${called.toLowerCase().replace(/[^a-z0-9]+/g, "-")}-${Date.now().toString(36)}`.slice(-60);
  const body = { label: called, speaks: speaks.value, address: address.value.trim(), records: false };
  try {
    const answer = await api.PUT("/meters/{id}", { params: { path: { id } }, body });
    if (!answer.response.ok) throw new Refused(answer.error?.detail ?? "It is not added.", "", undefined);
    [label.value, address.value, trouble.value] = ["", "", ""];
    emit("added");
  } catch (error) {
    trouble.value =
      error instanceof Refused ? error.message : "The server does not answer. What you typed stands here.";
  }
}
</script>

<template>
  <form class="add" @submit.prevent="add">
    <input
      v-model="label"
      type="text"
      autocomplete="off"
      aria-label="name of a meter"
      placeholder="name of a meter"
    />
    <ChoiceEntry :value="speaks" name="what it speaks" :choices="SPEAKS" @change="(it) => (speaks = it)" />
    <input
      v-model="address"
      type="text"
      autocomplete="off"
      aria-label="where it listens"
      placeholder="127.0.0.1:5020"
    />
    <button type="submit" class="label" :disabled="!label.trim() || !address.trim()">add it</button>
  </form>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
</template>

<style scoped>
.add {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 140px minmax(0, 1fr) auto;
  gap: 4px 14px;
  align-items: end;
  padding-top: 10px;
}
input {
  font: inherit;
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--ink);
  border-radius: 0;
  padding: 4px 2px;
  min-width: 0;
}
input::placeholder {
  color: var(--faint);
  opacity: 1;
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
.trouble {
  color: var(--trips);
}
@media (--phone) {
  .add {
    grid-template-columns: minmax(0, 1fr) 130px;
  }
}
</style>
