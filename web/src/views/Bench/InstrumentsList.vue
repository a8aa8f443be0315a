<script setup lang="ts">
import { ref } from "vue";
import { read } from "../../format/number";
import { useInstruments } from "./useInstruments";

/** Instruments, described once: what they may be off, by their papers. */
const { instruments, trouble, describe, forget } = useInstruments();
const name = ref("");
const share = ref("");
const fixed = ref("");
const step = ref("");
const wrong = ref("");
async function add() {
  const numbers = [share.value, fixed.value, step.value].map((it) => (it.trim() === "" ? 0 : read(it)));
  if (numbers.some((it) => it === undefined)) {
    wrong.value = "Write numbers such as 0.5 for what it may be off, or leave them out.";
    return;
  }
  wrong.value = "";
  const [a = 0, b = 0, c = 0] = numbers as number[];
  if (await describe(name.value, { share: a / 100, fixed: b, step: c })) {
    name.value = share.value = fixed.value = step.value = "";
  }
}
</script>

<template>
  <details class="instruments" data-test="instruments">
    <summary>Instruments</summary>
    <ul>
      <li v-for="it in instruments" :key="it.name ?? ''">
        {{ it.name }}: ± {{ Number((it.share * 100).toPrecision(6)) }} %{{
          it.fixed ? ` ± ${it.fixed}` : ""
        }}, step {{ it.step }}
        <button
          type="button"
          class="door label"
          :aria-label="`forget ${it.name}`"
          @click="forget(it.name ?? '')"
        >
          forget
        </button>
      </li>
    </ul>
    <p class="new label">
      <label
        >what it is called<input v-model="name" data-test="instrument-name" @keydown.enter="add"
      /></label>
      <label
        >± %<input v-model="share" inputmode="decimal" data-test="instrument-share" @keydown.enter="add"
      /></label>
      <label>± fixed<input v-model="fixed" inputmode="decimal" @keydown.enter="add" /></label>
      <label
        >step<input v-model="step" inputmode="decimal" data-test="instrument-step" @keydown.enter="add"
      /></label>
      <button type="button" class="door" data-test="describe" @click="add">describe it</button>
    </p>
    <p v-if="wrong || trouble" data-status="trips" role="alert">{{ wrong || trouble }}</p>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  font-size: var(--size-text);
  font-weight: 600;
  padding: 6px 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.new {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
}
.new label:first-child {
  grid-column: 1 / -1;
}
input {
  font: inherit;
  font-size: var(--size-text);
  width: 100%;
  min-height: 32px;
  color: var(--ink);
  background: var(--sheet);
  border: 0;
  border-bottom: 1px solid var(--primary);
}
</style>
