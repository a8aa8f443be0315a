<script setup lang="ts">
import { computed } from "vue";
import LyingStaff from "../../components/LyingStaff.vue";
import { lyingLimit } from "../../components/staff";
import { short, type RunCell } from "./shelf";

/** How much of the rating with the least room is used, as a small staff. */
const props = defineProps<{ cell: RunCell }>();
const WIDE = 54;
const rating = computed(() => props.cell.rating);
const lying = computed(() => {
  const it = rating.value;
  if (!it) return undefined;
  return lyingLimit(
    { limit: it.limit, unit: it.unit, overload: [], marks: [{ word: "worst", value: it.value } as never] },
    WIDE,
  );
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
