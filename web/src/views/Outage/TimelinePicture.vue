<script setup lang="ts">
import { computed, ref, toRef } from "vue";
import type { Plan, Schemas } from "../../api/client";
import { useElementSize } from "../../composables/useElementSize";
import { useSite } from "../../composables/useSite";
import { fixed, watts } from "../../format/number";
import DeviceRow from "./DeviceRow.vue";
import SluiceRow from "./SluiceRow.vue";
import { flags, hoursAt, indexAt, path, seen, short, WORDS, x, type Frame } from "./timeline";
import type { Told } from "./useOutage";

/** An outage over time: the charge of each store, a row for each device, night, mains and charging behind. */
const props = defineProps<{
  told: Told;
  bands: Record<string, Schemas["ChargeBand"]> | undefined;
  /** Hours that are seen. */
  from: number;
  to: number;
  cursor: number;
  /** The device whose row is at hand. */
  row: string | undefined;
  dropped: string[];
  name: string;
}>();
const emit = defineEmits<{
  move: [hours: number];
  pick: [device: string];
  zoom: [by: number, at: number];
  pan: [share: number];
}>();
const { plan } = useSite();
const holder = ref<HTMLElement>();
const { width } = useElementSize(holder, 960);
const told = toRef(props, "told");
const label = (id: string) => labelOf(plan.value, id);
function labelOf(found: Plan | undefined, id: string) {
  const kit = found?.kit;
  return (
    [...(kit?.devices ?? []), ...(kit?.sources ?? []), ...(kit?.converters ?? [])].find((it) => it.id === id)
      ?.label ?? id
  );
}
const compact = computed(() => width.value < 560);
const frame = computed<Frame>(() => ({
  left: compact.value ? 34 : 158,
  right: width.value - (compact.value ? 4 : 112),
  from: props.from,
  to: props.to,
}));

const stores = computed(() => Object.keys(told.value.simulation.sources));
/** Lines of words above the stores: three, and up to two more where much happens at once. */
const LEAST = 3;
const MOST = 5;
const events = computed(() => flags(told.value, frame.value, label, MOST));
const lines = computed(() => Math.max(LEAST, ...events.value.map((it) => it.row + 1)));
const HEAD = computed(() => lines.value * 15 + (compact.value ? 28 : 8));
const storeHeight = computed(() => (stores.value.length > 2 ? 50 : 74));
const gap = 22;
const rowHeight = computed(() => (compact.value ? 40 : 25));
const rowsTop = computed(() => HEAD.value + stores.value.length * (storeHeight.value + gap) + 2);
/** What is on only while it is needed, below the devices. */
const SLUICE = 19;
const switches = computed(() => Object.entries(told.value.simulation.switching ?? {}));
const sluicesTop = computed(() => rowsTop.value + told.value.order.length * rowHeight.value);
const bottom = computed(() => sluicesTop.value + switches.value.length * SLUICE);
const height = computed(() => bottom.value + 22);

const nights = computed(() => told.value.nights.map((it) => seen(frame.value, it[0] ?? 0, it[1] ?? 0)));
const mains = computed(() => told.value.mains.map((it) => seen(frame.value, it[0] ?? 0, it[1] ?? 0)));
const at = computed(() => indexAt(told.value.simulation.series?.at_h ?? [], props.cursor));

const drawn = computed(() =>
  stores.value.map((id, index) => {
    const top = HEAD.value + index * (storeHeight.value + gap);
    const y = (soc: number) => top + (1 - soc) * storeHeight.value;
    const series = told.value.simulation.series;
    const soc = series?.soc[id] ?? [];
    const line = path(frame.value, series?.at_h ?? [], soc, y);
    const base = y(0);
    const band = props.bands?.[id];
    let shade = "";
    if (band) {
      const high = path(frame.value, band.at_h, band.p95, y);
      const low = path(frame.value, [...band.at_h].reverse(), [...band.p5].reverse(), y);
      if (high && low) shade = `${high}L${low.slice(1)}Z`;
    }
    const begins = line.slice(1).split("L")[0]?.split(" ")[0];
    const ends = x(frame.value, Math.min(frame.value.to, series?.at_h.at(-1) ?? 0)).toFixed(1);
    const area = line ? `${line}L${ends} ${base}L${begins} ${base}Z` : "";
    const floor = told.value.floors[id] ?? 0;
    const run = told.value.simulation.sources[id];
    const charging = (told.value.charging[id] ?? []).map((it) => ({
      ...seen(frame.value, it[0] ?? 0, it[1] ?? 0),
      watts: it[2] ?? 0,
    }));
    const now = {
      soc: soc[at.value] ?? 0,
      watts: series?.source_w[id]?.[at.value] ?? 0,
      volts: series?.source_v[id]?.[at.value],
    };
    return {
      id,
      top,
      base,
      line,
      area,
      shade,
      floor: y(floor),
      floorShare: floor,
      full: y(1),
      run,
      charging,
      now,
      dot: y(now.soc),
    };
  }),
);

const placed = (place: string) => {
  const [item = "", port] = place.split("/");
  const source = plan.value?.kit.sources.find((it) => it.id === item);
  const name = source?.ports.find((it) => it.id === port)?.label ?? port;
  return name === undefined ? label(item) : `${label(item)}, ${name}`;
};
const sluices = computed(() =>
  switches.value.map(([place, run], index) => {
    const by = run.by_hand ? " by hand" : "";
    return {
      place,
      name: placed(place),
      top: sluicesTop.value + index * SLUICE,
      spans: (run.spans ?? []).flatMap((it) => seen(frame.value, it[0] ?? 0, it[1] ?? 0) ?? []),
      turns: run.by_hand ? `${run.turns} by hand` : `${run.turns} turns`,
      says: `${placed(place)} is on for ${fixed(run.on_h, 1)} h, switched ${run.turns} times${by}`,
    };
  }),
);
const rows = computed(() =>
  told.value.order.map((id, index) => {
    const run = told.value.simulation.devices[id];
    const top = rowsTop.value + index * rowHeight.value + (compact.value ? 16 : 0);
    const spans = (run?.spans ?? []).flatMap((it) => {
      const part = seen(frame.value, it.from_h, it.to_h);
      return part
        ? [
            {
              ...part,
              state: it.state,
              words: part.width > WORDS[it.state].length * 6.4 + 8 ? WORDS[it.state] : "",
            },
          ]
        : [];
    });
    const lost = run?.down_at_h;
    const end = props.dropped.includes(id) ? "dropped" : lost == null ? "lasts" : short(lost);
    const series = told.value.simulation.series;
    // What was dropped on purpose is no loss.
    const isLost = lost != null && run?.why !== "shed by rule" && !props.dropped.includes(id);
    return { id, top, spans, end, lost: isLost, watts: series?.device_w[id]?.[at.value] ?? 0 };
  }),
);
const ticks = computed(() => {
  const least = compact.value ? 44 : 52;
  const shown: { x: number; label: string; day: boolean }[] = [];
  for (const { at_h: hours, of_day_h: shows, label: text } of told.value.ticks) {
    if (hours < props.from - 1e-9 || hours > props.to + 1e-9) continue;
    const place = x(frame.value, hours);
    const day = shows < 0.5;
    const last = shown.at(-1);
    if (last && place - last.x < least) {
      if (!day || last.day) continue;
      shown.pop();
    }
    shown.push({ x: place, label: text, day });
  }
  return shown;
});
const cursorX = computed(() => x(frame.value, Math.min(props.to, Math.max(props.from, props.cursor))));

function point(event: PointerEvent | WheelEvent): number {
  const box = holder.value?.getBoundingClientRect();
  return hoursAt(frame.value, event.clientX - (box?.left ?? 0));
}
function press(event: PointerEvent) {
  emit("move", point(event));
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
}
function drag(event: PointerEvent) {
  if (event.buttons & 1) emit("move", point(event));
}
/** With Ctrl it comes nearer, sideways or with Shift it goes on; else it scrolls the page. */
function wheel(event: WheelEvent) {
  const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.deltaY;
  const pans = event.shiftKey || sideways === event.deltaX;
  if (!event.ctrlKey && !pans) return;
  event.preventDefault();
  if (event.ctrlKey) emit("zoom", event.deltaY < 0 ? 1.25 : 0.8, point(event));
  else emit("pan", sideways / (frame.value.right - frame.value.left));
}
</script>

<template>
  <div ref="holder" class="timeline" data-test="timeline">
    <svg
      :width="width"
      :height="height"
      role="img"
      :aria-label="name"
      @pointerdown="press"
      @pointermove="drag"
      @wheel="wheel"
    >
      <defs>
        <pattern
          id="coming-on"
          width="5"
          height="5"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <path d="M0 0V5" class="hatch" />
        </pattern>
      </defs>
      <template v-for="(it, index) in nights" :key="`n${index}`">
        <rect v-if="it" :x="it.x" :width="it.width" :y="HEAD - 4" :height="bottom - HEAD + 4" class="night" />
      </template>
      <template v-for="(it, index) in mains" :key="`m${index}`">
        <g v-if="it">
          <rect :x="it.x" :width="it.width" :y="HEAD - 4" height="4" class="mains" />
          <rect :x="it.x" :width="it.width" :y="HEAD - 4" :height="bottom - HEAD + 4" class="lit" />
          <text v-if="it.width > 62" :x="it.x + 4" :y="bottom - 5" class="words">mains back</text>
        </g>
      </template>
      <g v-for="store in drawn" :key="store.id" class="store" :data-store="store.id">
        <text v-if="!compact" x="0" :y="store.top + 15" class="name">{{ label(store.id) }}</text>
        <text v-if="!compact" x="0" :y="store.top + 32" class="words">
          {{ fixed(store.now.soc * 100, 0) }} % · {{ watts(store.now.watts) }} W
          <tspan v-if="store.now.volts">· {{ fixed(store.now.volts, 1) }} V</tspan>
        </text>
        <text v-if="compact" :x="frame.left" :y="store.top - 5" class="name">
          {{ label(store.id) }}, {{ fixed(store.now.soc * 100, 0) }} %
        </text>
        <text :x="frame.left - 5" :y="store.full + 4" class="words end">100</text>
        <text :x="frame.left - 5" :y="store.base + 3" class="words end">0</text>
        <template v-for="(it, index) in store.charging" :key="index">
          <rect
            v-if="it.width"
            :x="it.x"
            :width="it.width"
            :y="store.top"
            :height="storeHeight"
            class="charging"
          />
          <text
            v-if="it.width && it.width > 24"
            :x="(it.x ?? 0) + it.width / 2"
            :y="store.top + 12"
            class="words middle"
          >
            +{{ fixed(it.watts, 0) }} W
          </text>
        </template>
        <path :d="store.area" class="water" />
        <path v-if="store.shade" :d="store.shade" class="band" data-test="band" />
        <path :d="store.line" class="surface" />
        <path :d="`M${frame.left} ${store.base}H${frame.right}`" class="bed" />
        <path v-if="store.floorShare > 0" :d="`M${frame.left} ${store.floor}H${frame.right}`" class="floor" />
        <text
          v-if="store.floorShare > 0 && !compact"
          :x="frame.right + 6"
          :y="store.floor + 4"
          class="words bad"
        >
          floor {{ fixed(store.floorShare * 100, 0) }} %
        </text>
        <circle :cx="cursorX" :cy="store.dot" r="3.5" class="dot" />
      </g>
      <g v-for="flag in events" :key="`${flag.words}${flag.at}`" class="flagged" :class="{ bad: flag.bad }">
        <path :d="`M${flag.x} ${3 + flag.row * 15}V${bottom}`" />
        <text
          :x="flag.x + (flag.anchor === 'start' ? 4 : -4)"
          :y="13 + flag.row * 15"
          :class="{ end: flag.anchor === 'end' }"
        >
          {{ flag.words }}
        </text>
      </g>
      <DeviceRow
        v-for="it in rows"
        :key="it.id"
        :at="it"
        :label="label(it.id)"
        :frame="frame"
        :width="width"
        :tall="rowHeight"
        :compact="compact"
        :picked="it.id === row"
        @click="emit('pick', it.id)"
      />
      <SluiceRow
        v-for="it in sluices"
        :key="it.place"
        :at="it"
        :frame="frame"
        :width="width"
        :compact="compact"
      />
      <text v-if="!compact" :x="width - 54" :y="HEAD - 8" class="words end">until</text>
      <text v-if="!compact" :x="width" :y="HEAD - 8" class="words end">at cursor</text>
      <g v-for="tick in ticks" :key="tick.x">
        <path :d="`M${tick.x} ${bottom}v5`" class="axis" />
        <text :x="tick.x" :y="bottom + 18" class="words middle" :class="{ day: tick.day }">
          {{ tick.label }}
        </text>
      </g>
      <path :d="`M${cursorX} ${HEAD - 4}V${bottom + 5}`" class="cursor" />
    </svg>
  </div>
</template>

<style scoped src="./timeline.css"></style>
<style scoped>
.timeline {
  min-width: 0;
}
svg {
  display: block;
  touch-action: pan-y;
  cursor: crosshair;
}
</style>
