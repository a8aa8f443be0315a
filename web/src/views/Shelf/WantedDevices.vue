<script setup lang="ts">
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useWanted } from "./useFinder";

/** The devices that a question is about, each taken out by its cross, one more by its name. */
const { devices, label, more, set } = useWanted();
</script>

<template>
  <span v-for="id in devices" :key="id" class="device"
    >{{ label(id) }}
    <button
      v-if="devices.length > 1"
      type="button"
      class="door label"
      :aria-label="`without ${label(id)}`"
      @click="set(devices.filter((it) => it !== id))"
    >
      ×
    </button></span
  >
  <ChoiceEntry
    value=""
    name="one more device"
    :choices="more"
    @change="$event && set([...devices, $event])"
  />
</template>

<style scoped>
.device {
  font-weight: 600;
}
</style>
