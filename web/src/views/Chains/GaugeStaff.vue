<script setup lang="ts">
import { computed } from "vue";
import type { Board } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";
import { fixed } from "../../format/number";
import { highest, joinMarks } from "../../components/gauge";

/** A surveyor's staff: 0 to 150 % of a limit, with the tide marks of every moment at its side. */
const props = defineProps<{ board: Board; name: string; compact: boolean }>();
const TALL = 60;
const TOP = 1.5;

const y = (value: number) => TALL * (1 - Math.min(value / props.board.limit, TOP) / TOP);
const size = (value: number) => fixed(value, value >= 19.95 ? 0 : value >= 0.95 ? 1 : 2);
const limit = computed(() => `${Number(props.board.limit.toPrecision(4))} ${props.board.unit}`);
const overloads = computed(() => props.board.overload.map((it) => y(it.up_to)));
const marks = computed(() => {
  const placed = highest(props.board.marks).map(([name, value]) => ({
    y: y(value),
    text: `${name} ${size(value)}`,
  }));
  return joinMarks(placed, 11).map((group) => ({
    y: group.y,
    ys: group.marks.map((it) => it.y),
    text: group.marks.map((it) => it.text).join(", "),
  }));
});
</script>

<template>
  <div class="board label" :class="{ compact }">
    <span class="name">{{ name }}</span>
    <svg
      class="pole surveyor"
      width="40"
      :height="TALL + 4"
      :viewBox="`-26 -2 40 ${TALL + 4}`"
      aria-hidden="true"
    >
      <rect x="0" y="0" width="12" :height="TALL" class="staff" />
      <rect x="0" y="0" width="12" :height="y(board.limit)" class="beyond" />
      <rect
        v-for="tick in 8"
        :key="tick"
        :x="tick % 2 ? 0 : 6"
        :y="(tick - 1) * (TALL / 8)"
        width="6"
        :height="TALL / 16"
        class="tick"
      />
      <g v-for="(at, index) in overloads" :key="index">
        <line x1="-6" x2="14" :y1="at" :y2="at" class="overload" />
      </g>
      <line x1="-6" x2="14" :y1="y(board.limit)" :y2="y(board.limit)" class="limit" />
    </svg>
    <span class="limit-text" :style="{ top: `${18 + y(board.limit) - 8}px` }">{{ limit }}</span>
    <template v-if="!compact">
      <span v-for="mark in marks" :key="mark.text" class="tide" :style="{ top: `${18 + mark.y - 8}px` }"
        >◂ {{ mark.text }}</span
      >
    </template>
    <span class="verdict" :data-status="board.status"
      ><StatusMark :status="board.status" /> {{ board.status }}</span
    >
  </div>
</template>

<style scoped>
.board {
  position: absolute;
  width: 40px;
  height: 96px;
  font-size: var(--size-small);
  line-height: 16px;
}
.name {
  position: absolute;
  left: 26px;
  top: -2px;
  white-space: nowrap;
  font-weight: 600;
}
.pole {
  position: absolute;
  left: 0;
  top: 16px;
}
.limit-text {
  position: absolute;
  right: 23px;
  color: var(--trips);
  font-weight: 600;
  white-space: nowrap;
}
.tide {
  position: absolute;
  left: 41px;
  white-space: nowrap;
}
.verdict {
  position: absolute;
  left: 26px;
  top: 80px;
  display: flex;
  align-items: center;
  gap: 5px;
  white-space: nowrap;
  font-weight: 600;
}
.compact .name {
  left: 50%;
  max-width: 118px;
  transform: translateX(-50%);
  white-space: normal;
  width: 96px;
  top: auto;
  bottom: 82px;
  text-align: center;
  font-size: var(--size-mark);
  line-height: 13px;
}
</style>
