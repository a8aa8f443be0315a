<script setup lang="ts">
import { computed } from "vue";
import FigureText from "../../components/FigureText.vue";
import { volts, watts } from "../../format/number";
import type { Reach } from "./chain";
import FallGround from "./FallGround.vue";
import GaugeStaff from "./GaugeStaff.vue";
import type { Fall, ReachPlace } from "./layout";
import LeadEditor from "./LeadEditor.vue";
import MiniStaff from "./MiniStaff.vue";
import { LOSS_WORDS } from "./losses";
import { flagOn } from "./siteFlag";
import { useSpot } from "./useSpot";

/** One fall: a section through the ground from the store to the device, with everything that is read from it. */
const props = defineProps<{ fall: Fall; compact: boolean; letter: string }>();
defineEmits<{ working: [key: string]; boards: [place: string] }>();
const { placeIn } = useSpot();
const store = computed(() =>
  props.fall.chain.way.boards.filter((it) => it.where === props.fall.chain.source.id),
);
const flag = computed(() => {
  const place = placeIn(props.fall.chain.way.id);
  return place === undefined ? undefined : flagOn(props.fall, place);
});
const basin = computed(() => props.fall.basin);
/** Whether the water is too shallow for words in it: they stand above it. */
const isShallow = (place: ReachPlace) => place.heights[0] < 22;
function wordsTop(place: ReachPlace): number {
  if (isShallow(place)) return place.from.y - 24;
  return place.from.y + (place.to.y - place.from.y) * 0.1 + place.heights[0] / 2 - 11;
}
const floor = computed(() => {
  const { y, height } = basin.value;
  const share = props.fall.chain.source.floor;
  return share === undefined ? undefined : y + height * (1 - share);
});
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
</script>
<template>
  <div class="fall" :class="{ compact }" :style="{ height: `${fall.height}px` }" data-test="fall">
    <FallGround :fall="fall" :letter="letter" />

    <div class="over" :style="{ left: '8px', top: `${basin.y + 4}px`, maxWidth: `${basin.width - 10}px` }">
      <strong>{{ fall.chain.source.label }}</strong>
      <span class="label note">{{ fall.chain.source.note }}</span>
      <MiniStaff
        v-if="store.length"
        :boards="store"
        :name="fall.chain.source.label"
        @open="$emit('boards', fall.chain.source.id)"
      />
    </div>
    <div
      v-if="flag"
      class="over flag label"
      data-test="flag"
      :style="{ left: `${flag.x}px`, top: `${flag.y}px` }"
    >
      here
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
      :class="{ beside: isShallow(place) }"
      :style="{
        left: `${place.from.x + 10}px`,
        top: `${wordsTop(place)}px`,
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
        :text="`${LOSS_WORDS[slot.kind]} ${watts(slot.watts)}`"
        unit="W"
        :name="LOSS_WORDS[slot.kind]"
        @working="$emit('working', slot.key)"
      />
    </div>
    <span
      v-for="it in fall.weirs.filter((weir) => weir.weir.on)"
      :key="`on-${it.weir.id}`"
      class="over label shut"
      data-test="sluice"
      :style="{ left: `${it.crestX + 14}px`, top: `${it.from.y - 40}px` }"
      >{{ it.weir.on?.words }}</span
    >
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
.over {
  position: absolute;
  line-height: 1.2;
}
.over strong {
  display: block;
  font-weight: 600;
}
.note {
  font-size: var(--size-small);
}
.floor-word {
  color: var(--trips);
  font-size: var(--size-small);
}
.in-water {
  display: flex;
  gap: 14px;
  align-items: baseline;
  white-space: nowrap;
}
.watts {
  font-weight: 700;
  font-size: var(--size-line);
  color: var(--ink);
}
.loss {
  color: var(--loss);
  font-size: var(--size-note);
  font-weight: 600;
  line-height: 16px;
}
.shut {
  font-size: var(--size-small);
  font-weight: 600;
  white-space: nowrap;
  background: var(--page);
}
.plain {
  font-size: var(--size-small);
  font-weight: 600;
  white-space: nowrap;
}
.compact .in-water {
  flex-direction: column;
  gap: 0;
  margin-left: -6px;
  font-size: var(--size-small);
}
.compact .watts {
  font-size: var(--size-note);
}
.compact .loss {
  font-size: var(--size-mark);
}
</style>
