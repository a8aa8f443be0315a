<script setup lang="ts">
import { computed } from "vue";
import type { PortLimit } from "../../api/client";
import { highest } from "../../components/gauge";
import StatusMark from "../../components/StatusMark.vue";
import { useSite } from "../../composables/useSite";
import { fixed } from "../../format/number";
import { limitWords } from "./words";

/** A limit as a staff that lies down: 0 to 150 % of it, with the marks of what strains it most. */
const props = defineProps<{ limit: PortLimit }>();
const { plan } = useSite();
const WIDE = 228;
const TOP = 1.5;
const x = (value: number) => (WIDE * Math.min(value / Math.max(props.limit.continuous, 1e-9), TOP)) / TOP;
const size = (value: number) => fixed(value, value >= 19.95 ? 0 : value >= 0.95 ? 1 : 2);
const board = computed(() => props.limit.board);
const marks = computed(() =>
  highest(board.value.marks).map(([word, value]) => ({ word, value, x: x(value) })),
);
const tides = computed(() => marks.value.map((it) => `${it.word} ${size(it.value)}`).join(" · "));
const way = computed(
  () => plan.value?.arrangements.find((it) => it.id === props.limit.arrangement)?.label ?? "",
);
const told = computed(
  () =>
    `${limitWords(props.limit)}; ${marks.value.length ? `${tides.value} ${props.limit.unit}` : "nothing on it"}`,
);
</script>

<template>
  <div class="board" data-test="board">
    <p class="limit">{{ limitWords(limit) }}</p>
    <svg class="staff-box" :viewBox="`-1 0 ${WIDE + 2} 24`" role="img" :aria-label="told">
      <rect x="0" y="3" :width="WIDE" height="11" class="staff" />
      <rect
        v-for="tick in 8"
        :key="tick"
        :x="((tick - 1) * WIDE) / 8"
        :y="tick % 2 ? 3 : 8.5"
        :width="WIDE / 16"
        height="5.5"
        class="tick"
      />
      <rect :x="x(limit.continuous)" y="3" :width="WIDE - x(limit.continuous)" height="11" class="beyond" />
      <line
        v-for="(level, index) in limit.overload"
        :key="index"
        :x1="x(level.up_to)"
        :x2="x(level.up_to)"
        y1="0"
        y2="17"
        class="overload"
        :class="{ untimed: level.for_s == null }"
      />
      <line :x1="x(limit.continuous)" :x2="x(limit.continuous)" y1="0" y2="17" class="line" />
      <path
        v-if="limit.auto_off != null"
        :d="`M${x(limit.auto_off)} 0 V17 M${x(limit.auto_off)} 1 h7`"
        class="off"
      />
      <path v-for="mark in marks" :key="mark.word" :d="`M${mark.x} 15 l-4 8 h8 Z`" class="tide" />
    </svg>
    <p class="marks label">
      <template v-if="marks.length">
        <span class="verdict" :class="board.status"
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
.staff-box {
  display: block;
  width: 100%;
  max-width: 230px;
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
.line {
  stroke: var(--trips);
  stroke-width: 2;
}
.overload {
  stroke: var(--tight);
  stroke-width: 2;
  stroke-dasharray: 3 2;
}
.untimed {
  stroke: var(--unproven);
}
.off {
  stroke: var(--tight);
  stroke-width: 2;
  fill: none;
}
.tide {
  fill: var(--surface);
}
.marks {
  font-size: 14px;
}
.verdict {
  font-weight: 600;
  color: var(--holds);
}
.verdict.tight,
.verdict.brief {
  color: var(--tight);
}
.verdict.unproven {
  color: var(--unproven);
}
.verdict.trips {
  color: var(--trips);
}
</style>
