<script setup lang="ts">
import { computed, ref } from "vue";
import { useKeys } from "../../composables/useKeys";
import AlarmBar from "./AlarmBar.vue";
import ActPanel from "./ActPanel.vue";
import DrillBar from "./DrillBar.vue";
import ReadingEntry from "./ReadingEntry.vue";
import ReturnList from "./ReturnList.vue";
import WatchBelow from "./WatchBelow.vue";
import WatchPicture from "./WatchPicture.vue";
import WatchSide from "./WatchSide.vue";
import { useAlarm } from "./useAlarm";
import { worthDropping } from "./picture";
import type { Entry, Told } from "./useWatch";

/** The outage that is happening, read from two metres. */
const props = defineProps<{
  told: Told;
  question: { text: string; again: Entry } | undefined;
  took: Entry | undefined;
  refused: string;
}>();
const emit = defineEmits<{
  enter: [entry: Entry];
  back: [entry: number, undone: boolean];
  clock: [body: { speed?: number; paused?: boolean; step_s?: number }];
  end: [];
  unasked: [];
}>();
const told = computed(() => props.told);
const labelOf = (id: string) =>
  told.value.devices.find((it) => it.id === id)?.label ??
  told.value.stores.find((it) => it.id === id)?.label ??
  id;
const alarm = useAlarm(told);
const entry = ref<InstanceType<typeof ReadingEntry>>();
type Panel = "over" | "charge" | "checked" | "note" | "lost" | "rings" | "back";
const panel = ref<Panel>();
const open = (name: Panel) => (panel.value = panel.value === name ? undefined : name);

const best = computed(() => worthDropping(told.value)[0]);
const off = computed(() => told.value.devices.filter((it) => it.state !== "on"));
/** What was switched off last. */
const last = computed(() => {
  const drops = told.value.entries.filter((it) => it.kind === "did" && !it.undone && it.item);
  return drops.map((it) => off.value.find((device) => device.id === it.item)).find((it) => it !== undefined);
});
const act = (did: Entry["did"], item?: string, more: Partial<Entry> = {}) => {
  emit("enter", { did, ...(item ? { item } : {}), ...more });
  panel.value = undefined;
};
/** A step of the return is done. */
function tick(step: NonNullable<Told["returning"]>["steps"][number]) {
  if (step.kind === "plug") return act("over", step.item, step.outlet ? { outlet: step.outlet } : {});
  if (step.kind === "charge") return act("charge", step.item, { watts: 0 });
  act(step.kind === "look" ? "checked" : "started", step.item);
}
const lastEntry = computed(() => told.value.entries.find((it) => it.number != null && !it.undone));
const undo = () => lastEntry.value?.number != null && emit("back", lastEntry.value.number, true);
const ending = ref(false);
function end() {
  if (ending.value) emit("end");
  ending.value = true;
}
useKeys({
  d: () => best.value && act("drop", best.value.device),
  b: () => (off.value.length > 1 ? open("back") : last.value && act("restore", last.value.id)),
  p: () => open("over"),
  o: () => open("lost"),
  c: () => open("charge"),
  k: () => open("checked"),
  n: () => open("note"),
  a: () => open("rings"),
  m: alarm.mute,
  t: alarm.tone,
  u: undo,
  r: () => act(told.value.mains_back ? "mains_gone" : "mains_back"),
  e: end,
  "/": () => entry.value?.focus(),
  " ": () => told.value.drill && emit("clock", { paused: !told.value.drill.paused }),
  ".": () => told.value.drill && emit("clock", { step_s: 900 }),
  escape: () => {
    panel.value = undefined;
    ending.value = false;
  },
});
const KEYS: [string, string, () => unknown][] = [
  ["b", "back on", () => open("back")],
  ["p", "plugged over", () => open("over")],
  ["o", "went off by itself", () => open("lost")],
  ["c", "charging from", () => open("charge")],
  ["k", "checked", () => open("checked")],
  ["n", "note", () => open("note")],
  ["a", "alarms", () => open("rings")],
];
/** Long names share the line with the time on a smaller scale, so that both are read at once. */
const size = computed(() => (told.value.headline.text.length > 22 ? "long" : "short"));
const doubts = computed(() => told.value.estimate.doubts.slice(0, 3));
</script>

<template>
  <DrillBar
    v-if="told.drill"
    :drill="told.drill"
    :now="told.now"
    :label-of="labelOf"
    @clock="emit('clock', $event)"
  />
  <AlarmBar :alarm="alarm" />
  <div class="watch">
    <div class="main">
      <h1 :class="size" data-test="watch-headline">{{ told.headline.text }}</h1>
      <p class="why" data-test="watch-why">{{ told.headline.left }} {{ told.headline.why }}</p>
      <ReturnList v-if="told.returning" :returning="told.returning" @tick="tick" />
      <WatchPicture v-else :told="told" />
      <ul class="tides" aria-label="Deadlines that run">
        <li v-for="it in told.deadlines" :key="it.device" data-test="deadline">
          <strong>{{ labelOf(it.device) }}</strong>
          <span class="staff" aria-hidden="true"
            ><span class="tide" :style="{ width: `${Math.min(1, it.share) * 100}%` }"
          /></span>
          <span class="harm">{{ it.text }}</span>
        </li>
      </ul>
      <ul class="doubts" aria-label="Doubts">
        <li v-for="it in doubts" :key="it.sentence"><strong>Doubt</strong> {{ it.sentence }}</li>
        <li v-if="told.worth_words" class="faint"><strong>Read next</strong> {{ told.worth_words }}</li>
        <li v-for="it in told.notes" :key="it" class="faint">{{ it }}</li>
      </ul>
      <ReadingEntry
        ref="entry"
        class="reading"
        :told="told"
        :question="question"
        :took="took"
        @enter="emit('enter', $event)"
        @drop="emit('unasked')"
      />
      <p v-if="refused" class="refused" role="alert" data-test="refused">{{ refused }}</p>
      <ActPanel
        v-if="panel"
        :panel="panel"
        :told="told"
        :alarm="alarm"
        @act="act"
        @leave="panel = undefined"
      />
    </div>
    <WatchSide class="side" :told="told" :label-of="labelOf" @drop="act('drop', $event)" />
    <WatchBelow
      class="below"
      :told="told"
      @act="act"
      @back="(entry, undone) => emit('back', entry, undone)"
    />
  </div>
  <footer class="keys label">
    <button
      v-for="[key, words, run] in KEYS"
      :key="key"
      type="button"
      :data-test="`key-${key}`"
      @click="run()"
    >
      <kbd>{{ key }}</kbd> {{ words }}
    </button>
    <button type="button" data-test="mute" :aria-pressed="alarm.muted.value" @click="alarm.mute">
      <kbd>m</kbd> {{ alarm.muted.value ? "muted" : "mute 30 min" }}
    </button>
    <button v-if="lastEntry" type="button" data-test="undo-last" @click="undo">
      <kbd>u</kbd> take back the last
    </button>
    <span class="right">
      <button type="button" data-test="end" @click="end">
        <kbd>e</kbd> {{ ending ? "press again to end the watch" : "end" }}
      </button>
      <button type="button" data-test="mains" @click="act(told.mains_back ? 'mains_gone' : 'mains_back')">
        <kbd>r</kbd> {{ told.mains_back ? "the mains has gone again" : "the mains is back" }}
      </button>
    </span>
  </footer>
</template>

<style scoped>
.watch {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  grid-template-rows: auto 1fr;
  gap: 0 40px;
  flex: 1;
}
.side {
  grid-row: span 2;
}
h1 {
  font-weight: 600;
  line-height: 1.02;
  letter-spacing: -0.01em;
  margin: 10px 0 6px;
  overflow-wrap: anywhere;
}
h1.short {
  font-size: var(--size-hours);
}
h1.long {
  font-size: var(--size-hours-long);
}
.why {
  font-size: var(--size-title);
  line-height: 1.35;
  margin-bottom: 12px;
}
.tides,
.doubts {
  list-style: none;
  margin: 0;
  padding: 0;
}
.tides li {
  display: grid;
  grid-template-columns: 150px 150px minmax(0, 1fr);
  gap: 12px;
  align-items: center;
  padding: 5px 0;
  font-size: var(--size-line);
}
.staff {
  height: 18px;
  border: 1px solid var(--ink);
  border-right: 3px solid var(--trips);
}
.tide {
  display: block;
  height: 100%;
  background: var(--surface);
}
.harm {
  color: var(--trips);
}
.doubts li {
  padding: 3px 0;
}
.doubts strong {
  font-family: var(--font-label);
  margin-right: 8px;
}
.reading {
  margin-top: 12px;
  padding-top: 8px;
}
.refused {
  color: var(--trips);
}
kbd {
  font: 600 var(--size-line) var(--font-label);
  color: var(--primary);
  margin-right: 7px;
}
.keys {
  position: sticky;
  bottom: 0;
  background: var(--page);
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  margin-top: 14px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
.keys button {
  min-height: 34px;
}
.right {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
}
@media (--tablet) {
  .side {
    grid-row: auto;
  }
  .watch {
    grid-template-columns: minmax(0, 1fr);
  }
  .why {
    font-size: var(--size-line);
  }
  .keys {
    position: static;
  }
  .tides li {
    grid-template-columns: 1fr;
    gap: 3px;
  }
  .keys button {
    min-height: 44px;
  }
  .right {
    margin-left: 0;
  }
}
</style>
