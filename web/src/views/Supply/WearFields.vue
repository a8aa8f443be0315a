<script setup lang="ts">
import { ref } from "vue";
import type { Figure, Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { cyclesText, readCycles } from "./cycles";
import { useSupply } from "./useSupply";

/** How a battery wears: its cycles by depth, its years, and whether it can be replaced by itself. */
const props = defineProps<{ source: Source }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
const trouble = ref("");
function setCycles(text: string) {
  const pairs = readCycles(text);
  trouble.value = typeof pairs === "string" ? pairs : "";
  if (typeof pairs === "string") return;
  changeSource(props.source.id, "battery.cycles", (it) => {
    if (!it.battery) return;
    if (pairs.length) it.battery.cycles = pairs;
    else Reflect.deleteProperty(it.battery, "cycles");
  });
}
function setYears(value: Figure | null) {
  changeSource(props.source.id, "battery.life_years", (it) => {
    if (!it.battery) return;
    if (value === null) Reflect.deleteProperty(it.battery, "life_years");
    else it.battery.life_years = value;
  });
}
function setReplaceable(value: string) {
  changeSource(props.source.id, "replaceable_battery", (it) => {
    if (value === "") Reflect.deleteProperty(it, "replaceable_battery");
    else it.replaceable_battery = value === "yes";
  });
}
</script>

<template>
  <FieldLabel name="years by the calendar">
    <FigureEntry
      :figure="source.battery?.life_years"
      :at="[source.battery, 'life_years']"
      :name="`${source.label}, years by the calendar`"
      target="plain"
      unit="years"
      silent="as its kind"
      optional
      nominal
      :refused="refusedAt(`${source.id}.battery.life_years`)"
      @change="setYears"
    />
  </FieldLabel>
  <FieldLabel class="wide" name="cycles by its maker, as 5000 at 50 %, 3000 at 80 %">
    <TextEntry
      :value="cyclesText(source.battery?.cycles)"
      :name="`${source.label}, cycles, as 5000 at 50 %, 3000 at 80 %`"
      @change="setCycles"
    />
    <span v-if="trouble" data-status="trips" role="alert">{{ trouble }}</span>
  </FieldLabel>
  <FieldLabel v-if="source.kind !== 'battery'" name="its battery">
    <ChoiceEntry
      :value="source.replaceable_battery == null ? '' : source.replaceable_battery ? 'yes' : 'no'"
      :name="`whether the battery of ${source.label} can be replaced`"
      :choices="[
        ['', 'nobody knows'],
        ['yes', 'can be replaced'],
        ['no', 'cannot be replaced'],
      ]"
      @change="setReplaceable"
    />
  </FieldLabel>
</template>

<style scoped>
.wide {
  grid-column: 1 / -1;
}
</style>
