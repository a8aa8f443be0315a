<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import { useElementSize } from "../../composables/useElementSize";
import { fixed } from "../../format/number";
import { x, type Frame } from "../Outage/timeline";

/** When it ends, as the plan and each hour told it, and when it came. */
const props = defineProps<{ told: Schemas["Reviewed"] }>();
const holder = ref<HTMLElement>();
const { width } = useElementSize(holder, 820);
const LEFT = 92;
const ROW = 17;
const frame = computed<Frame>(() => {
  const it = props.told.review;
  const ends = it ? [it.planned_h.p95, it.watched_h, ...it.told.map((one) => one.until_h.p95)] : [1];
  return {
    left: LEFT,
    right: Math.max(260, width.value) - 4,
    from: 0,
    to: Math.min(it?.hours ?? 1, Math.max(...ends)) * 1.02,
  };
});
const rows = computed(() => {
  const it = props.told.review;
  if (!it) return [];
  const clock = (h: number) => `${fixed(h, 1)} h in`;
  const all = [
    { name: "the plan", range: it.planned_h, at: 0 },
    ...it.told
      .filter((_, index) => index % 2 === 0)
      .map((one) => ({ name: clock(one.at_h), range: one.until_h, at: one.at_h })),
  ];
  return all.map((row, index) => ({ ...row, y: 30 + index * ROW }));
});
const height = computed(() => 30 + rows.value.length * ROW + 30);
const ticks = computed(() => {
  let last = -Infinity;
  return props.told.ticks.filter((it) => {
    const at = x(frame.value, it.at_h);
    const fits = at - last > 54 && at > LEFT + 14 && at < frame.value.right - 14;
    if (fits) last = at;
    return fits;
  });
});
</script>

<template>
  <div ref="holder">
    <svg
      class="graph"
      :viewBox="`0 0 ${frame.right + 4} ${height}`"
      :width="frame.right + 4"
      :height="height"
      role="img"
      aria-label="What the plan and each hour said of the end, and when it came"
    >
      <text :x="LEFT" y="14">when it ends, as it was told</text>
      <g v-for="tick in ticks" :key="tick.at_h">
        <line class="grid" :x1="x(frame, tick.at_h)" :x2="x(frame, tick.at_h)" y1="20" :y2="height - 22" />
        <text class="middle" :x="x(frame, tick.at_h)" :y="height - 6">{{ tick.label }}</text>
      </g>
      <g v-for="row in rows" :key="row.name">
        <text x="0" :y="row.y + 5">{{ row.name }}</text>
        <line
          class="range"
          :class="{ plan: row.name === 'the plan' }"
          :x1="x(frame, Math.min(row.range.p5, frame.to))"
          :x2="x(frame, Math.min(row.range.p95, frame.to))"
          :y1="row.y"
          :y2="row.y"
        />
        <circle class="mid" :cx="x(frame, Math.min(row.range.p50, frame.to))" :cy="row.y" r="3.5" />
        <line
          v-if="row.at"
          class="then"
          :x1="x(frame, row.at)"
          :x2="x(frame, row.at)"
          :y1="row.y - 5"
          :y2="row.y + 5"
        />
      </g>
      <line
        v-if="told.review.lost_h != null"
        class="lost"
        :x1="x(frame, told.review.lost_h)"
        :x2="x(frame, told.review.lost_h)"
        y1="20"
        :y2="height - 22"
      />
    </svg>
    <p class="key label faint">
      <span class="dash" /> told then, one in twenty beyond either end <span class="bar" /> when it was told
      <template v-if="told.review.lost_h != null"><span class="lost-key" /> when it went off</template>
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  max-width: 100%;
  margin-top: 10px;
}
.range {
  stroke: var(--surface);
  stroke-width: 6;
  opacity: 0.7;
}
.range.plan {
  stroke: var(--faint);
}
.mid {
  fill: var(--ink);
}
.then {
  stroke: var(--primary);
  stroke-width: 2;
}
.lost {
  stroke: var(--trips);
  stroke-width: 2;
  stroke-dasharray: 5 3;
}
.key {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
  padding-left: 92px;
}
.dash,
.bar,
.lost-key {
  display: inline-block;
  width: 22px;
  height: 6px;
  background: var(--surface);
}
.bar {
  width: 2px;
  height: 12px;
  background: var(--primary);
}
.lost-key {
  width: 2px;
  height: 12px;
  background: var(--trips);
}
@media (--tablet) {
  .key {
    padding-left: 0;
  }
}
</style>
