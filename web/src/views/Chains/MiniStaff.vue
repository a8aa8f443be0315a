<script setup lang="ts">
import { computed } from "vue";
import type { Board, Window } from "../../api/client";
import LyingStaff from "../../components/LyingStaff.vue";
import { lyingLimit, lyingWindow, strainOf, tideWords, windowWords } from "../../components/staff";

/** The tightest board of a place, or its window, as a small staff that opens all boards of that place. */
const props = defineProps<{ boards?: Board[]; window?: Window | undefined; name: string; short?: boolean }>();
defineEmits<{ open: [] }>();
const board = computed(() => [...(props.boards ?? [])].sort((a, b) => strainOf(b) - strainOf(a))[0]);
const wide = computed(() => (props.short ? 28 : 42));
const lying = computed(() => {
  if (props.window) return lyingWindow(props.window, wide.value);
  if (!board.value) return undefined;
  const all = lyingLimit(board.value, wide.value);
  const highest = [...all.tides].sort((a, b) => b.x - a.x).slice(0, 1);
  return { ...all, tides: highest };
});
const told = computed(() => {
  if (props.window && lying.value)
    return `${props.name}: ${windowWords(props.window)}; ${tideWords(lying.value.tides, "V")}`;
  const it = board.value;
  if (!it) return "";
  const limit = `limit ${Number(it.limit.toPrecision(4))} ${it.unit}`;
  return `${props.name}: ${limit}; ${tideWords(lyingLimit(it, 42).tides, it.unit)}`;
});
</script>

<template>
  <button
    v-if="lying"
    type="button"
    class="mini"
    data-test="mini-staff"
    :aria-label="`${told}, show its gauge boards`"
    @click="$emit('open')"
  >
    <LyingStaff :at="lying" :width="wide" :told="told" mini />
  </button>
</template>

<style scoped>
.mini {
  display: inline-flex;
  flex: none;
  position: relative;
}
/* A larger target than the drawing. */
.mini::after {
  content: "";
  position: absolute;
  inset: -5px -2px;
}
</style>
