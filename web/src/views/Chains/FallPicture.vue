<script setup lang="ts">
import { computed } from "vue";
import FigureText from "../../components/FigureText.vue";
import { volts, watts } from "../../format/number";
import type { Reach } from "./chain";
import GaugeStaff from "./GaugeStaff.vue";
import type { Fall } from "./layout";
import LeadEditor from "./LeadEditor.vue";

/** One fall: a section through the ground from the store to the device, with everything that is read from it. */
const props = defineProps<{ fall: Fall; compact: boolean; letter: string }>();
defineEmits<{ working: [key: string] }>();
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
const boards = computed(() => [
  ...props.fall.weirs.map((it) => ({
    key: it.weir.id,
    x: it.crestX,
    y: it.from.y,
    board: it.weir.board,
    name: it.weir.label,
  })),
  ...props.fall.reaches
    .filter((it) => it.boardX !== undefined)
    .map((it) => ({
      key: `lead-${it.reach.to}`,
      x: it.boardX ?? 0,
      y: it.from.y + (it.to.y - it.from.y) / 2,
      board: it.reach.board,
      name: "fuse",
    })),
]);
const leadOf = (reach: Reach) => (reach.feed.cable ? reach : undefined);
const word = { idle: "switched on", load: "with load", lead: "lead" } as const;
</script>
<template>
  <div class="fall" :class="{ compact }" :style="{ height: `${fall.height}px` }" data-test="fall">
    <svg
      :width="fall.width"
      :height="fall.height"
      role="img"
      :aria-label="`${fall.chain.way.label}: from ${fall.chain.source.label} to ${fall.chain.device.label}`"
    >
      <defs>
        <pattern
          :id="`earth-${letter}`"
          width="9"
          height="9"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(-35)"
        >
          <line x1="0" y1="0" x2="0" y2="9" class="hatch" />
        </pattern>
        <pattern
          :id="`idle-${letter}`"
          width="5"
          height="5"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line x1="0" y1="0" x2="0" y2="5" class="idle-line" />
        </pattern>
      </defs>
      <path :d="fall.ground" class="ground" />
      <path :d="fall.ground" :fill="`url(#earth-${letter})`" />
      <path :d="fall.water" class="water" />
      <g v-for="slot in fall.slots" :key="slot.key">
        <rect :x="slot.x" :y="slot.y" :width="slot.width" :height="slot.height" class="slot" />
        <rect
          :x="slot.x"
          :y="slot.y"
          :width="slot.width"
          :height="slot.height"
          :class="{ full: slot.kind !== 'idle' }"
          :fill="slot.kind === 'idle' ? `url(#idle-${letter})` : undefined"
        />
        <path
          :d="`M${slot.x} ${slot.y} V${slot.y + slot.height} M${slot.x + slot.width} ${slot.y} V${slot.y + slot.height}`"
          class="wall"
        />
      </g>
      <path :d="fall.bed" class="bed" />
      <path :d="fall.surface" class="surface" />
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
      <path
        :d="`M1 ${basin.y} V${bottom} H${basin.width} V${(fall.reaches[0]?.from.y ?? 0) + (fall.reaches[0]?.heights[0] ?? 0)}`"
        class="wall-ink"
      />
      <line :x1="fall.width - 2" :x2="fall.width - 2" :y1="fall.end.y - 26" :y2="bottom" class="post" />
    </svg>

    <div class="over" :style="{ left: '8px', top: `${basin.y + 4}px`, maxWidth: `${basin.width - 10}px` }">
      <strong>{{ fall.chain.source.label }}</strong>
      <span class="label note">{{ fall.chain.source.note }}</span>
    </div>
    <span
      v-if="floor !== undefined"
      class="over label floor-word"
      :style="{ left: '8px', top: `${floor - 17}px` }"
      >floor</span
    >

    <div
      v-for="place in fall.reaches"
      :key="place.reach.to"
      class="over in-water"
      :class="{ beside: place.heights[0] < 22 }"
      :style="{
        left: `${place.from.x + 10}px`,
        top: `${place.heights[0] < 22 ? place.from.y - 24 : place.from.y + (place.to.y - place.from.y) * 0.1 + place.heights[0] / 2 - 11}px`,
      }"
    >
      <FigureText
        :text="watts(place.reach.nearW)"
        unit="W"
        :name="`into the lead to ${place.reach.to}`"
        class="watts"
        @working="$emit('working', `ports.${place.reach.feed.from.item}/${place.reach.feed.from.port}.watts`)"
      />
      <FigureText
        :text="volts(place.reach.nearV)"
        unit="V"
        :name="`voltage into the lead to ${place.reach.to}`"
        @working="$emit('working', `feeds.${place.reach.to}.near_v`)"
      />
    </div>
    <template v-if="!compact">
      <LeadEditor
        v-for="place in fall.reaches.filter((it) => leadOf(it.reach))"
        :key="`edit-${place.reach.to}`"
        class="over"
        :way="fall.chain.way.id"
        :reach="place.reach"
        :narrow="place.to.x - place.from.x < (place.boardX === undefined && place.reach.board ? 330 : 230)"
        :fuse="place.boardX === undefined"
        :style="{
          left: `${place.from.x + 10}px`,
          top: `${place.from.y + (place.to.y - place.from.y) * 0.3 + place.heights[0] + 8}px`,
        }"
        @working="$emit('working', $event)"
      />
    </template>
    <div
      v-for="slot in fall.slots"
      :key="`w-${slot.key}`"
      class="over label loss"
      :style="{ left: `${slot.label.x}px`, top: `${slot.label.y}px` }"
    >
      <FigureText
        :text="`${word[slot.kind]} ${watts(slot.watts)}`"
        unit="W"
        :name="word[slot.kind]"
        @working="$emit('working', slot.key)"
      />
    </div>
    <template v-for="it in boards" :key="it.key">
      <GaugeStaff
        v-if="it.board"
        :board="it.board"
        :name="it.name"
        :compact="compact"
        :style="{ left: `${it.x - 32}px`, top: `${it.y - 100}px` }"
      />
      <span
        v-else-if="it.name !== 'fuse'"
        class="over label plain"
        :style="{ left: `${it.x}px`, top: `${it.y - 22}px` }"
        >{{ it.name }}</span
      >
    </template>
  </div>
</template>

<style scoped>
.fall {
  position: relative;
}
svg {
  position: absolute;
  inset: 0;
  overflow: visible;
}
.over {
  position: absolute;
  line-height: 1.2;
}
.over strong {
  display: block;
  font-weight: 600;
}
.note {
  font-size: 13px;
}
.ground {
  fill: var(--ground);
}
.hatch {
  stroke: var(--hatch);
  stroke-width: 1.5;
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
.floor-word {
  color: var(--trips);
  font-size: 13px;
}
.slot {
  fill: var(--page);
}
.full {
  fill: var(--loss);
}
.idle-line {
  stroke: var(--loss);
  stroke-width: 4;
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
.in-water {
  display: flex;
  gap: 14px;
  align-items: baseline;
  white-space: nowrap;
}
.watts {
  font-weight: 700;
  font-size: 17px;
  color: var(--ink);
}
.loss {
  color: var(--loss);
  font-size: 13.5px;
  font-weight: 600;
  line-height: 16px;
}
.plain {
  font-size: 13px;
  font-weight: 600;
  white-space: nowrap;
}
.compact .in-water {
  flex-direction: column;
  gap: 0;
  margin-left: -6px;
  font-size: 13px;
}
.compact .watts {
  font-size: 14px;
}
.compact .loss {
  font-size: 12px;
}
</style>
