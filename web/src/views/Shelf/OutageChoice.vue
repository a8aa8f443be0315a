<script setup lang="ts">
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useChosen } from "../Outage/useOutage";
import { DAY } from "./useFinder";

/** In which outage: one of the plan's, one in which nothing comes, or a day by its date where that may be asked for. */
const outage = defineModel<string>({ required: true });
const day = defineModel<string>("day");
const { outages } = useChosen();
</script>

<template>
  <ChoiceEntry
    :value="outage"
    name="outage"
    :choices="[
      ['', 'an outage in which nothing comes'],
      ...(day === undefined ? [] : [[DAY, 'a day without the mains'] as [string, string]]),
      ...outages.map((it): [string, string] => [it.id, it.label]),
    ]"
    @change="outage = $event"
  />
  <template v-if="outage === DAY">
    on
    <input v-model="day" type="date" required aria-label="the day" data-test="day" />
  </template>
</template>

<style scoped>
input {
  font: inherit;
  color: var(--primary);
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  min-height: 28px;
}
@media (--phone) {
  input {
    min-height: 40px;
  }
}
</style>
