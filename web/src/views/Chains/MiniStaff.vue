<script setup lang="ts">
import { computed } from "vue";
import type { Board } from "../../api/client";
import { highest } from "../../components/gauge";

/** The tightest board of a place as a small staff that lies down, with its limit and its highest mark. */
const props = defineProps<{ boards: Board[] }>();
const WIDE = 42;
const strain = (it: Board) => Math.max(0, ...it.marks.map((mark) => mark.value / Math.max(it.limit, 1e-9)));
const board = computed(() => [...props.boards].sort((a, b) => strain(b) - strain(a))[0]);
const x = (share: number) => (Math.min(share, 1.5) / 1.5) * WIDE;
const told = computed(() => {
  const it = board.value;
  if (!it) return "";
  const marks = highest(it.marks).map(([word, value]) => `${word} ${Number(value.toPrecision(3))}`);
  return `limit ${Number(it.limit.toPrecision(4))} ${it.unit}: ${marks.join(", ")}`;
});
</script>

<template>
  <svg
    v-if="board"
    class="mini"
    :viewBox="`-1 0 ${WIDE + 2} 14`"
    width="44"
    height="14"
    role="img"
    :aria-label="told"
  >
    <rect x="0" y="1" :width="WIDE" height="7" class="staff" />
    <rect
      v-for="tick in 3"
      :key="tick"
      :x="((tick - 1) * WIDE) / 3"
      y="1"
      :width="WIDE / 6"
      height="3.5"
      class="tick"
    />
    <rect :x="x(1)" y="1" :width="WIDE - x(1)" height="7" class="beyond" />
    <line :x1="x(1)" :x2="x(1)" y1="0" y2="10" class="limit" />
    <path :d="`M${x(strain(board))} 8 l-3 6 h6 Z`" class="tide" />
  </svg>
</template>

<style scoped>
.mini {
  flex: none;
}
.staff {
  fill: var(--sheet);
  stroke: var(--ink);
}
.tick {
  fill: var(--ink);
}
.beyond {
  fill: var(--trips);
  opacity: 0.22;
}
.limit {
  stroke: var(--trips);
  stroke-width: 2;
}
.tide {
  fill: var(--surface);
}
</style>
