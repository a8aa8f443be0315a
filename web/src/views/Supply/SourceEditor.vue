<script setup lang="ts">
import { computed } from "vue";
import type { Figure, Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useSupply } from "./useSupply";

/** The opened source: its name, and what is inside. */
const props = defineProps<{ source: Source }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
type Battery = NonNullable<Source["battery"]>;
type Key = "cells" | "rated_hours" | "internal_ohm" | "cut_off_v" | "max_discharge_a" | "max_charge_a";
const battery = computed(() => props.source.battery);
const CHEMISTRIES: [string, string][] = [
  ["lfp", "lithium iron phosphate"],
  ["li_ion", "lithium cobalt or manganese"],
  ["agm", "sealed lead"],
  ["flooded", "open lead"],
];
const FIELDS: [Key, string, string, string][] = [
  ["cells", "cells in series", "plain", ""],
  ["rated_hours", "rated over", "plain", "h"],
  ["internal_ohm", "resistance inside", "ohms", "Ω"],
  ["cut_off_v", "cuts itself off at", "volts", "V"],
  ["max_discharge_a", "gives at most", "amps", "A"],
  ["max_charge_a", "takes at most", "amps", "A"],
];
/** A store that is known by its energy has no cells to count. */
const fields = computed(() => FIELDS.filter(([key]) => battery.value?.cells != null || key !== "cells"));
const set = (name: string, how: (battery: Battery) => void) =>
  changeSource(props.source.id, `battery.${name}`, (it) => it.battery && how(it.battery));
function setField(key: Key, value: Figure | null) {
  set(key, (it) => {
    if (value === null) Reflect.deleteProperty(it, key);
    else it[key] = value;
  });
}
const chemistries = computed<[string, string][]>(() => {
  const own = battery.value?.chemistry ?? "lfp";
  return CHEMISTRIES.some(([key]) => key === own) ? CHEMISTRIES : [...CHEMISTRIES, [own, own]];
});
</script>

<template>
  <div class="fields" :data-test="`editor-${source.id}`">
    <FieldLabel name="called">
      <TextEntry
        :value="source.label"
        :name="`name of ${source.label}`"
        required
        @change="(v) => changeSource(source.id, 'label', (it) => (it.label = v))"
      />
    </FieldLabel>
    <FieldLabel v-if="battery" name="chemistry">
      <ChoiceEntry
        :value="battery.chemistry"
        :name="`chemistry of ${source.label}`"
        :choices="chemistries"
        @change="(v) => set('chemistry', (it) => (it.chemistry = v))"
      />
    </FieldLabel>
    <template v-if="battery">
      <FieldLabel v-for="[key, name, target, unit] in fields" :key="key" :name="name">
        <FigureEntry
          :figure="battery[key]"
          :name="`${source.label}, ${name}`"
          :target="target"
          :unit="unit"
          silent="not told"
          :optional="key !== 'cells'"
          :refused="refusedAt(`${source.id}.battery.${key}`)"
          @change="(v) => setField(key, v)"
        />
      </FieldLabel>
    </template>
    <FieldLabel class="wide" name="remark">
      <TextEntry
        :value="source.note ?? ''"
        :name="`remark on ${source.label}`"
        @change="(v) => changeSource(source.id, 'note', (it) => (v ? (it.note = v) : delete it.note))"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 20px;
  max-width: 360px;
  border-left: 2px solid var(--line);
  padding: 4px 0 6px 12px;
  align-items: end;
}
.wide {
  grid-column: 1 / -1;
}
</style>
