<script setup lang="ts">
import { computed } from "vue";
import { readIn, shownIn, unitOf } from "../format/spoken";
import InlineEntry from "./InlineEntry.vue";

/** A number that is edited where it stands, shown in the unit of habit and typed in it or with another. */
const props = defineProps<{
  /** In `unit`, which is the one that is kept. */
  value: number;
  name: string;
  unit: string;
  /** Whether it is a difference, which has no zero of its own: of temperatures, 5 °C are 9 °F. */
  difference?: boolean;
  bare?: boolean;
  refused?: string | undefined;
}>();
defineEmits<{ change: [value: number]; settle: [] }>();
const unit = computed(() => unitOf(props.unit));
const read = (text: string) => readIn(text, props.unit, props.difference);
</script>

<template>
  <InlineEntry
    :shown="shownIn(value, props.unit, difference)"
    :name="name"
    :unit="unit"
    :read="read"
    :remedy="unit ? `give ${name} in ${unit}` : `give ${name} as a number`"
    :bare="bare"
    :refused="refused"
    @change="(v) => $emit('change', v)"
    @settle="$emit('settle')"
  />
</template>
