<script setup lang="ts">
import { ref } from "vue";
import type { Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useKeys } from "../../composables/useKeys";

/** A drill that is begun: what is hidden, how fast, and by which seed. */
const props = defineProps<{ ready: boolean }>();
const emit = defineEmits<{ drill: [asked: Schemas["DrillAsked"]] }>();
type Hides = Schemas["Hides"];
const DRILLS: [Hides | "", string][] = [
  ["", "one of them, untold"],
  ["mislabelled-bank", "a bank that holds less than its label says"],
  ["pump-stays", "a pump that will not restart"],
  ["meter-dies", "a meter that dies"],
  ["early-cold", "an early cold"],
  ["comes-back", "an outage that ends and comes back"],
  ["heater-trips", "a heater that trips"],
];
const hides = ref<Hides | "">("");
const seed = ref(Math.floor(Math.random() * 9000) + 1);
const speed = ref("60");
function begin() {
  if (!props.ready) return;
  emit("drill", {
    seed: seed.value,
    speed: Number(speed.value),
    ...(hides.value ? { hides: hides.value } : {}),
  });
}
useKeys({ p: begin });
</script>

<template>
  <div>
    <h2>Drill: a hidden world, faster than life</h2>
    <p class="faint">
      Its batteries and meters are off as real ones are, and something happens that nobody announces.
    </p>
    <p class="choices label">
      <label
        >hidden in it
        <ChoiceEntry :value="hides" name="hidden in it" :choices="DRILLS" @change="hides = $event as Hides"
      /></label>
      <label
        >as fast as life, times
        <ChoiceEntry
          :value="speed"
          name="as fast as life, times"
          :choices="[
            ['1', '1'],
            ['10', '10'],
            ['60', '60'],
            ['600', '600'],
            ['3600', '3,600'],
          ]"
          @change="speed = $event"
      /></label>
      <label>seed <input v-model.number="seed" type="number" min="0" max="999999" aria-label="seed" /></label>
    </p>
    <button type="button" class="go" :disabled="!ready" data-test="drill" @click="begin">
      <kbd>p</kbd> practise
    </button>
  </div>
</template>

<style scoped>
h2 {
  font-size: var(--size-line);
  font-weight: 600;
  margin: 18px 0 6px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  margin: 8px 0;
}
.choices label {
  color: var(--faint);
}
.choices :deep(select) {
  display: block;
  width: auto;
  max-width: 300px;
}
.choices input {
  display: block;
}
.go {
  margin-top: 8px;
  padding: 12px 22px;
  border: 1px solid var(--primary);
  color: var(--ink);
  font-size: var(--size-title);
  font-weight: 600;
}
.go:disabled {
  opacity: 0.5;
}
kbd {
  font: 600 var(--size-head) var(--font-label);
  color: var(--primary);
  margin-right: 10px;
}
input {
  font: inherit;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  width: 9ch;
  min-height: 28px;
}
@media (--tablet) {
  .go {
    width: 100%;
  }
}
</style>
