<script setup lang="ts">
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useChosen } from "../Outage/useOutage";

/** In which outage: one of the plan's, or one in which nothing comes. */
const outage = defineModel<string>({ required: true });
const { outages } = useChosen();
</script>

<template>
  <ChoiceEntry
    :value="outage"
    name="outage"
    :choices="[
      ['', 'an outage in which nothing comes'],
      ...outages.map((it): [string, string] => [it.id, it.label]),
    ]"
    @change="outage = $event"
  />
</template>
