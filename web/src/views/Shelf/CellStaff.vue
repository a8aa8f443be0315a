<script setup lang="ts">
import { computed } from "vue";
import LyingStaff from "../../components/LyingStaff.vue";
import type { Lying } from "../../components/staff";
import { short, type RunCell } from "./shelf";

/** How much of the rating with the least room is used, as a small staff. */
const props = defineProps<{ cell: RunCell }>();
const WIDE = 54;
/** The staff ends at half as much again as the rating. */
const TOP = 1.5;
const rating = computed(() => props.cell.rating);
const lying = computed<Lying | undefined>(() => {
  const it = rating.value;
  if (!it) return undefined;
  const end = WIDE / TOP;
  const x = Math.min(it.value / Math.max(it.limit, 1e-9), TOP) * end;
  return { from: 0, to: end, overloads: [], tides: [{ x, word: "", value: it.value }] };
});
</script>

<template>
  <LyingStaff
    v-if="lying && rating"
    :at="lying"
    :width="WIDE"
    :told="`${short(rating.value)} of ${short(rating.limit)} ${rating.unit}`"
    mini
  />
</template>
