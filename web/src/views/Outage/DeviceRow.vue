<script setup lang="ts">
import { watts } from "../../format/number";
import type { Frame, Span } from "./timeline";

/** What a device is doing, stretch by stretch, in a row of the timeline. */
defineProps<{
  at: { id: string; top: number; spans: Span[]; end: string; lost: boolean; watts: number };
  label: string;
  frame: Frame;
  width: number;
  tall: number;
  compact: boolean;
  picked: boolean;
}>();
</script>

<template>
  <g class="row" :class="{ picked: picked }" :data-row="at.id">
    <rect
      v-if="picked"
      x="0"
      :y="at.top - (compact ? 14 : 1)"
      :width="width"
      :height="tall - 2"
      class="here"
    />
    <text x="0" :y="compact ? at.top - 2 : at.top + 16" class="name">{{ label }}</text>
    <path :d="`M${frame.left} ${at.top + 20}H${frame.right}`" class="line" />
    <template v-for="(span, index) in at.spans" :key="index">
      <g :class="['span', span.state]">
        <template v-if="span.state === 'on'">
          <rect :x="span.x" :width="span.width" :y="at.top + 5" height="15" class="water" />
          <path :d="`M${span.x} ${at.top + 5}h${span.width}`" class="surface" />
        </template>
        <template v-else-if="span.state === 'starting'">
          <rect :x="span.x" :width="Math.max(2, span.width)" :y="at.top + 2" height="18" class="start" />
          <rect
            :x="span.x"
            :width="Math.max(2, span.width)"
            :y="at.top + 2"
            height="18"
            fill="url(#coming-on)"
          />
        </template>
        <path v-else-if="span.state !== 'off'" :d="`M${span.x} ${at.top + 15}h${span.width}`" class="gone" />
        <text
          v-if="span.words && !['on', 'off', 'starting'].includes(span.state)"
          :x="span.x + 5"
          :y="at.top + 12"
        >
          {{ span.words }}
        </text>
      </g>
    </template>
    <text
      :x="width - (compact ? 4 : 54)"
      :y="compact ? at.top - 2 : at.top + 16"
      class="end ends"
      :class="{ lost: at.lost }"
    >
      {{ at.end }}
    </text>
    <text v-if="!compact" :x="width" :y="at.top + 16" class="words end">{{ watts(at.watts) }} W</text>
  </g>
</template>

<style scoped src="./timeline.css"></style>
<style scoped>
/* The lines of events cross the rows: what stands there is read over them. */
.span text {
  paint-order: stroke;
  stroke: var(--page);
  stroke-width: 3px;
  stroke-linejoin: round;
}
.line {
  stroke: var(--line);
}
.here {
  fill: var(--sheet);
}
.start {
  fill: none;
  stroke: var(--loss);
}
.gone {
  fill: none;
  stroke: var(--trips);
  stroke-width: 2;
  stroke-dasharray: 2 4;
}
.span text {
  font-size: var(--size-small);
  fill: var(--trips);
}
.held .gone,
.restarting .gone {
  stroke: var(--tight);
  stroke-dasharray: 6 3;
}
.held text,
.restarting text {
  fill: var(--tight);
}
.shed .gone {
  stroke: var(--faint);
  stroke-dasharray: 1 5;
}
.shed text {
  fill: var(--faint);
}
.inspect .gone {
  stroke: var(--unproven);
}
.inspect text {
  fill: var(--unproven);
}
.ends {
  font-weight: 600;
}
.ends.lost {
  fill: var(--trips);
}
.row {
  cursor: pointer;
}
</style>
