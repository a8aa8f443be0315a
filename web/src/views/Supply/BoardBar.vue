<script setup lang="ts">
import { computed } from "vue";
import type { PortLimit } from "../../api/client";
import LyingStaff from "../../components/LyingStaff.vue";
import StatusMark from "../../components/StatusMark.vue";
import { lyingLimit } from "../../components/staff";
import { useSite } from "../../composables/useSite";
import { fixed } from "../../format/number";
import { limitWords } from "./words";

/** A limit as a staff that lies down: 0 to 150 % of it, with the marks of what strains it most. */
const props = defineProps<{ limit: PortLimit }>();
const { plan } = useSite();
const WIDE = 228;
const board = computed(() => props.limit.board);
const lying = computed(() => {
  const { continuous, unit, overload, auto_off } = props.limit;
  return lyingLimit(
    { limit: continuous, unit, overload, auto_off: auto_off ?? null, marks: board.value.marks },
    WIDE,
  );
});
const size = (value: number) => fixed(value, value >= 19.95 ? 0 : value >= 0.95 ? 1 : 2);
const tides = computed(() => lying.value.tides.map((it) => `${it.word} ${size(it.value)}`).join(" · "));
const way = computed(
  () => plan.value?.arrangements.find((it) => it.id === props.limit.arrangement)?.label ?? "",
);
const told = computed(
  () =>
    `${limitWords(props.limit)}; ${lying.value.tides.length ? `${tides.value} ${props.limit.unit}` : "nothing on it"}`,
);
</script>

<template>
  <div class="board" data-test="board">
    <p class="limit">{{ limitWords(limit) }}</p>
    <LyingStaff :at="lying" :width="WIDE" :told="told" />
    <p class="marks label">
      <template v-if="lying.tides.length">
        <span class="verdict" :data-status="board.status"
          ><StatusMark :status="board.status" /> {{ board.status }}</span
        >
        {{ tides }} {{ limit.unit }} <span class="faint">in {{ way }}</span>
      </template>
      <span v-else class="faint">nothing hangs on it</span>
    </p>
  </div>
</template>

<style scoped>
.board {
  max-width: 300px;
}
.marks {
  font-size: var(--size-note);
}
.verdict {
  font-weight: 600;
}
</style>
