<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import { useElementSize } from "../../composables/useElementSize";
import { useSite } from "../../composables/useSite";
import { momentScale } from "./timeline";

/** The moment of the switch, or of the return, magnified: milliseconds, then seconds. */
const props = defineProps<{ switchover: Schemas["Switchover"]; back: boolean; order: string[] }>();
const { plan } = useSite();
const holder = ref<HTMLElement>();
const { width } = useElementSize(holder, 960);
const label = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const narrow = computed(() => width.value < 560);
const left = computed(() => (narrow.value ? 0 : 158));
const room = computed(() => (narrow.value ? width.value - 8 : Math.max(200, width.value - 158 - 350)));
const scale = computed(() => momentScale(room.value));
const ROW = computed(() => (narrow.value ? 56 : 27));

type At = Schemas["AtSwitch"];
const list = computed(() => {
  const found = props.back ? props.switchover.return : props.switchover.switch;
  return props.order.flatMap((id) => found.filter((it) => it.device === id));
});
const FATES: Record<Schemas["Fate"], { words: string; status: string }> = {
  no_gap: { words: "no gap", status: "holds" },
  rides_through: { words: "rides through", status: "holds" },
  resumes: { words: "goes on by itself", status: "brief" },
  reboots: { words: "reboots", status: "brief" },
  latches: { words: "latched: needs a person", status: "trips" },
  by_hand: { words: "plugged over by hand", status: "unproven" },
  unknown: { words: "nobody measured it", status: "unproven" },
  dark: { words: "without a feed", status: "trips" },
  inspect: { words: "look at it before it starts", status: "trips" },
  dropped: { words: "dropped: switch it back on", status: "unproven" },
};
function words(it: At): string {
  const fate = FATES[it.fate].words;
  const back = it.back_s != null && it.back_s > 0.5 ? `, back after ${seconds(it.back_s)}` : "";
  const gap = it.gap_ms > 0 || it.held_ms > 0 ? `: ${Math.round(it.gap_ms)} ms` : "";
  const most = it.survives_ms != null && gap ? `, survives ${Math.round(it.survives_ms)}` : "";
  return `${fate}${gap}${most}${back}`;
}
const seconds = (value: number) => (value < 90 ? `${Math.round(value)} s` : `${Math.round(value / 60)} min`);
const TICKS: [number, string][] = [
  [0, "0"],
  [20, "20"],
  [50, "50"],
  [100, "100 ms"],
  [1000, "1 s"],
  [10_000, "10 s"],
  [60_000, "1 min"],
  [600_000, "10 min"],
];
const shown = computed(() => TICKS.filter(([ms]) => !narrow.value || [0, 100, 1000, 60_000].includes(ms)));
const height = computed(() => list.value.length * ROW.value + 26);
</script>

<template>
  <section class="moment" data-test="switch-strip">
    <p>
      <strong>{{ back ? "The return" : "The switch" }}.</strong>
      {{ back ? switchover.return_headline : switchover.headline }}
    </p>
    <div ref="holder">
      <svg
        :width="width"
        :height="height"
        role="img"
        :aria-label="back ? switchover.return_headline : switchover.headline"
      >
        <g v-for="[ms, text] in shown" :key="ms">
          <path :d="`M${left + scale(ms)} 0V${height - 20}`" class="grid" />
          <text :x="left + scale(ms)" :y="height - 5" class="tick" :class="{ first: ms === 0 }">
            {{ text }}
          </text>
        </g>
        <g
          v-for="(it, index) in list"
          :key="it.device"
          :transform="`translate(0 ${index * ROW + (narrow ? 18 : 0)})`"
          :data-fate="it.fate"
        >
          <text x="0" :y="narrow ? -3 : 17" class="name">{{ label(it.device) }}</text>
          <path :d="`M${left} 21h${room}`" class="line" />
          <rect
            v-if="it.transfer_ms > 0"
            :x="left"
            :width="Math.max(1.5, scale(it.transfer_ms))"
            y="5"
            height="16"
            class="without"
          />
          <rect
            v-if="it.held_ms > 0"
            :x="left"
            :width="Math.max(1.5, scale(it.held_ms))"
            y="5"
            height="16"
            class="held"
          />
          <path
            v-if="it.back_s != null && it.back_s * 1000 > it.gap_ms + 1"
            :d="`M${left + scale(it.transfer_ms)} 13H${left + scale(it.back_s * 1000)}`"
            class="boot"
          />
          <path
            v-if="it.back_s == null"
            :d="`M${left + scale(it.transfer_ms)} 13H${left + room}`"
            class="latch"
          />
          <path v-if="it.survives_ms != null" :d="`M${left + scale(it.survives_ms)} 2v20`" class="survives" />
          <text
            :x="narrow ? width - 4 : left + room + 12"
            :y="narrow ? -3 : 17"
            :class="{ end: narrow }"
            class="fate"
            :data-status="FATES[it.fate].status"
          >
            {{ narrow ? FATES[it.fate].words : words(it) }}
          </text>
        </g>
      </svg>
    </div>
    <p class="label faint key">
      <span class="box without" /> gets nothing <span class="box held" /> carried by what is between
      <span class="box survives" /> survives up to here <span class="box boot" /> coming back
    </p>
  </section>
</template>

<style scoped>
.moment {
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
svg {
  display: block;
  margin-top: 6px;
}
text {
  font: var(--size-note) var(--font-label);
  fill: var(--ink);
}
.name {
  font: 600 var(--size-text) var(--font-text);
}
.tick {
  font-size: var(--size-small);
  fill: var(--faint);
  text-anchor: middle;
}
.tick.first {
  text-anchor: start;
}
.end {
  text-anchor: end;
}
.fate[data-status="holds"] {
  fill: var(--holds);
}
.fate[data-status="brief"] {
  fill: var(--tight);
}
.fate[data-status="unproven"] {
  fill: var(--unproven);
}
.fate[data-status="trips"] {
  fill: var(--trips);
}
.grid {
  stroke: var(--line);
}
.line {
  stroke: var(--line);
}
.without {
  fill: var(--ground);
  stroke: var(--ink);
}
.held {
  fill: var(--water);
}
.boot {
  stroke: var(--tight);
  stroke-width: 2;
  stroke-dasharray: 6 3;
}
.latch {
  stroke: var(--trips);
  stroke-width: 2;
  stroke-dasharray: 2 4;
}
.survives {
  stroke: var(--holds);
  stroke-width: 2.5;
}
.key {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 8px;
  font-size: var(--size-small);
}
.box {
  display: inline-block;
  width: 14px;
  height: 12px;
  margin-left: 10px;
  border: 1px solid var(--ink);
  background: var(--ground);
}
.box.held {
  background: var(--water);
}
.box.survives {
  width: 3px;
  border: 0;
  background: var(--holds);
}
.box.boot {
  height: 0;
  border: 0;
  border-top: 2px dashed var(--tight);
}
</style>
