<script setup lang="ts">
import { computed } from "vue";
import GroundPatterns from "./GroundPatterns.vue";
import type { Fall, WeirPlace } from "./layout";
import { useMoving } from "./useMoving";

/** The drawing of one fall: ground, water, slots, the store. */
const props = defineProps<{ fall: Fall; letter: string }>();
const moving = useMoving(() => props.fall.chain.way.flow.moment);
const basin = computed(() => props.fall.basin);
const level = computed(() => {
  const { y, height } = basin.value;
  return y + height * (1 - (props.fall.chain.source.soc ?? 1));
});
const floor = computed(() => {
  const { y, height } = basin.value;
  const share = props.fall.chain.source.floor;
  return share === undefined ? undefined : y + height * (1 - share);
});
const bottom = computed(() => basin.value.y + basin.value.height);
/** The bed where the first lead begins. */
const firstBed = computed(() => {
  const [first] = props.fall.reaches;
  return first === undefined ? 0 : first.from.y + first.heights[0];
});
/** The posts of a sluice, down to the bed, and the beam on them. */
function frame(it: WeirPlace): string {
  const top = it.from.y - 26;
  const posts = [it.crestX - 9, it.crestX + 9].map((x) => `M${x} ${top} v${26 + it.heights[0]}`);
  return `${posts.join(" ")} M${it.crestX - 12} ${top} h24`;
}
</script>

<template>
  <svg
    class="settles"
    :class="{ moving }"
    :width="fall.width"
    :height="fall.height"
    role="img"
    :aria-label="`${fall.chain.way.label}: from ${fall.chain.source.label} to ${fall.chain.device.label}`"
  >
    <GroundPatterns :prefix="`fall-${letter}`" />
    <path :d="fall.ground" class="ground" />
    <path :d="fall.ground" :fill="`url(#fall-${letter}-ground)`" />
    <path :d="fall.water" class="water" />
    <g v-for="slot in fall.slots" :key="slot.key">
      <rect :x="slot.x" :y="slot.y" :width="slot.width" :height="slot.height" class="slot" />
      <rect
        :x="slot.x"
        :y="slot.y"
        :width="slot.width"
        :height="slot.height"
        :class="{ full: slot.kind === 'load' || slot.kind === 'lead' }"
        :fill="
          slot.kind === 'idle'
            ? `url(#fall-${letter}-idle)`
            : slot.kind === 'squared'
              ? `url(#fall-${letter}-squared)`
              : undefined
        "
      />
      <path
        :d="`M${slot.x} ${slot.y} V${slot.y + slot.height} M${slot.x + slot.width} ${slot.y} V${slot.y + slot.height}`"
        class="wall"
      />
    </g>
    <path :d="fall.bed" class="bed" />
    <path
      v-for="place in fall.reaches.filter((it) => it.heights[0] > 8)"
      :key="`r${place.reach.to}`"
      :d="`M${place.from.x} ${place.from.y + place.heights[0] / 2} L${place.to.x} ${place.to.y + place.heights[1] / 2}`"
      class="ripple"
    />
    <path :d="fall.surface" class="surface" />
    <g v-for="it in fall.weirs.filter((weir) => weir.weir.on)" :key="`s${it.weir.id}`" class="sluice">
      <path :d="frame(it)" class="frame" />
      <rect
        :x="it.crestX - 9"
        :y="it.from.y - 14"
        width="18"
        :height="14 + it.heights[0] * 0.55"
        class="gate"
      />
    </g>
    <g v-for="place in fall.reaches" :key="place.reach.to">
      <path
        v-if="place.reach.collapsed"
        :d="`M${(place.from.x + place.to.x) / 2 - 10} ${place.from.y - 8} l8 22 l6 -10 l9 24`"
        class="broken"
      />
    </g>
    <rect :x="1" :y="level" :width="basin.width - 1" :height="bottom - level" class="water" />
    <line :x1="1" :x2="basin.width" :y1="level" :y2="level" class="surface" />
    <line v-if="floor !== undefined" :x1="1" :x2="basin.width" :y1="floor" :y2="floor" class="floor" />
    <path :d="`M1 ${basin.y} V${bottom} H${basin.width} V${firstBed}`" class="wall-ink" />
    <line :x1="fall.width - 2" :x2="fall.width - 2" :y1="fall.end.y - 26" :y2="bottom" class="post" />
  </svg>
</template>

<style scoped>
svg {
  position: absolute;
  inset: 0;
  overflow: visible;
}
.ground {
  fill: var(--ground);
}
.water {
  fill: var(--water);
}
.surface {
  fill: none;
  stroke: var(--surface);
  stroke-width: 2.4;
}
.bed,
.wall-ink {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
.post {
  stroke: var(--ink);
  stroke-width: 4;
}
.floor {
  stroke: var(--trips);
  stroke-width: 1.4;
  stroke-dasharray: 5 3;
}
.slot {
  fill: var(--page);
}
.full {
  fill: var(--loss);
}
.frame {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.gate {
  fill: var(--ground);
  stroke: var(--ink);
  stroke-width: 1.4;
}
.wall {
  stroke: var(--ink);
  stroke-width: 1;
}
.broken {
  fill: none;
  stroke: var(--trips);
  stroke-width: 3;
}
</style>
