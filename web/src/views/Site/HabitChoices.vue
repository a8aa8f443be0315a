<script setup lang="ts">
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import { useSite } from "../../composables/useSite";
import { CHOICES, habits, type Habits } from "../../format/habits";

/** How numbers, lengths, temperatures, dates and times are written; remembered on this machine. */
const { again } = useSite();
const NAMES: [keyof Habits, string][] = [
  ["decimal", "numbers"],
  ["temperature", "temperatures"],
  ["length", "lengths"],
  ["area", "leads"],
  ["date", "dates"],
  ["clock", "clock"],
];
function choose(key: keyof Habits, value: string) {
  Object.assign(habits, { [key]: value });
  // What the server said is written anew.
  again();
}
</script>

<template>
  <div class="fields">
    <FieldLabel v-for="[key, name] in NAMES" :key="key" :name="name">
      <ChoiceEntry
        :value="habits[key]"
        :name="name"
        :choices="CHOICES[key]"
        @change="(value) => choose(key, value)"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(104px, 1fr));
  gap: 10px 20px;
}
</style>
