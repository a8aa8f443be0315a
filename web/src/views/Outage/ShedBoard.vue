<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useSite } from "../../composables/useSite";
import { short } from "./timeline";
import type { Told } from "./useOutage";

/** What dropping each device, now or at a charge, buys the one that it is all for, and the best order. */
const props = defineProps<{
  board: Schemas["ShedBoard"];
  told: Told;
  dropped: string[];
  row: string | undefined;
  /** Hours of the outage. */
  whole: number;
}>();
/** The charge of its store below which a device is dropped; now where there is none. */
const below = defineModel<number | undefined>("below", { required: true });
const WHEN: [string, string][] = [
  ["", "now"],
  ...[80, 60, 40, 20].map((it): [string, string] => [String(it / 100), `below ${it} %`]),
];
const emit = defineEmits<{ toggle: [device: string]; pick: [device: string]; follow: [] }>();
const { plan } = useSite();
const label = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const most = computed(() => Math.max(0.1, ...props.board.each.map((it) => wins(it).hours)));
/** Hours won by the device that it is all for, else the most that another one wins. */
function wins(it: Schemas["Dropped"]): { hours: number; whose: string } {
  if (it.wins_h > 0.01) return { hours: it.wins_h, whose: "" };
  const best = Object.entries(it.wins).sort((a, b) => b[1] - a[1])[0];
  return best ? { hours: best[1], whose: label(best[0]) } : { hours: 0, whose: "" };
}
const list = computed(() =>
  props.told.order
    .filter((id) => id !== props.board.keeps)
    .map((id) => {
      const found = props.board.each.find((it) => it.devices[0] === id);
      return { id, ...(found ? wins(found) : { hours: 0, whose: "" }), sentence: found?.sentence ?? "" };
    })
    .sort((a, b) => (a.whose ? 0 : b.whose ? 0 : b.hours - a.hours) || b.hours - a.hours),
);
/** The device that a hand holds, until it lets go of it over the line below, or over the list to take it back. */
const held = ref<string>();
function letGo(drops: boolean) {
  const id = held.value;
  held.value = undefined;
  if (!id || props.dropped.includes(id) === drops) return;
  emit("pick", id);
  emit("toggle", id);
}
const both = computed(() => props.told.both[props.board.keeps]);
const lasting = (hours: number | null | undefined) => (hours == null ? `all ${props.whole} h` : short(hours));
</script>

<template>
  <aside class="board" aria-label="Shed board" data-test="shed-board">
    <h2>
      Dropping it
      <ChoiceEntry
        :value="below === undefined ? '' : String(below)"
        name="dropping it when"
        :choices="WHEN"
        data-test="drop-when"
        @change="below = $event ? Number($event) : undefined"
      />
      wins
    </h2>
    <p class="label faint">for {{ label(board.keeps) }}, unless another is named</p>
    <ul @dragover.prevent @drop.prevent="letGo(false)">
      <li
        v-for="it in list"
        :key="it.id"
        draggable="true"
        :class="{ here: it.id === row }"
        @dragstart="held = it.id"
        @dragend="held = undefined"
      >
        <button
          type="button"
          :aria-pressed="dropped.includes(it.id)"
          :title="it.sentence"
          :data-drop="it.id"
          @click="(emit('pick', it.id), emit('toggle', it.id))"
        >
          <span class="who">{{ label(it.id) }}</span>
          <span
            class="bar"
            :style="{ width: `${(it.hours / most) * 70}px` }"
            :class="{ other: it.whose }"
            aria-hidden="true"
          />
          <span class="won">
            <template v-if="dropped.includes(it.id)">{{
              below === undefined ? "dropped" : "at its charge"
            }}</template>
            <template v-else-if="it.hours > 0.01"
              >+{{ short(it.hours) }}<small v-if="it.whose"> {{ it.whose }}</small></template
            >
            <template v-else>nothing</template>
          </span>
        </button>
      </li>
    </ul>
    <p
      class="sink label faint"
      :class="{ open: held }"
      data-test="sink"
      @dragover.prevent
      @drop.prevent="letGo(true)"
    >
      drag one here to drop it, or press d
    </p>
    <p v-if="board.set" class="together" data-test="together">{{ board.set.sentence }}</p>
    <h2>Spare it, or use it all</h2>
    <p v-if="both" data-test="both">
      {{ label(board.keeps) }}: <strong>{{ lasting(both.spared_h) }}</strong> down to the floors,
      <strong>{{ lasting(both.everything_h) }}</strong> with everything used.
    </p>
    <details v-if="board.best.length">
      <summary>The best order</summary>
      <p class="label faint">
        By what matters most: no other order keeps the first on for longer, nor then the second.
      </p>
      <ol data-test="best-order">
        <li v-for="it in board.best" :key="it.device">
          {{ it.rule }} <span class="label faint">on for {{ short(it.hours) }}</span>
        </li>
      </ol>
      <button
        v-if="board.rules.length"
        type="button"
        class="door"
        data-test="take-rules"
        @click="emit('follow')"
      >
        put these rules into the outage
      </button>
    </details>
  </aside>
</template>

<style scoped>
.board {
  font-size: var(--size-text);
}
h2 {
  font-size: var(--size-text);
  font-weight: 600;
  margin-top: 10px;
}
.sink {
  margin-top: 6px;
  padding: 5px 0;
  border-bottom: 1px dashed var(--line);
}
.sink.open {
  border-color: var(--primary);
  color: var(--primary);
}
h2:first-child {
  margin-top: 0;
}
h2 :deep(select) {
  width: auto;
}
ul,
ol {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
}
ol li {
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
ul button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto minmax(74px, auto);
  gap: 8px;
  align-items: center;
  width: 100%;
  min-height: 30px;
  border-bottom: 1px solid var(--line);
}
.here button {
  background: var(--sheet);
}
[aria-pressed="true"] .who {
  text-decoration: line-through;
  color: var(--faint);
}
.bar {
  height: 11px;
  background: var(--surface);
}
.bar.other {
  background: none;
  border: 1px solid var(--surface);
}
.won {
  text-align: right;
  font-weight: 600;
  white-space: nowrap;
}
small {
  display: block;
  font: var(--size-mark) var(--font-label);
  color: var(--faint);
}
.together {
  padding: 6px 0;
}
summary {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
  cursor: pointer;
}
@media (pointer: coarse) {
  .sink {
    display: none;
  }
  ul button {
    min-height: 44px;
  }
}
</style>
