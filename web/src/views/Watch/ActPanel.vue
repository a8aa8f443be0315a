<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import OutletList from "./OutletList.vue";
import type { useAlarm } from "./useAlarm";
import { who, type Entry, type Told } from "./useWatch";

/** What a key opened: what it is about is chosen, and it is done. */
const props = defineProps<{
  panel: "over" | "charge" | "checked" | "note" | "lost" | "rings" | "back";
  told: Told;
  alarm: ReturnType<typeof useAlarm>;
}>();
const emit = defineEmits<{
  act: [did: Entry["did"], item: string | undefined, more: Partial<Entry>];
  leave: [];
}>();
const box = ref<HTMLElement>();
onMounted(() => void nextTick(() => box.value?.querySelector<HTMLElement>("input, button, select")?.focus()));
const moved = ref<string>();
const movedLabel = computed(() => props.told.devices.find((it) => it.id === moved.value)?.label);
const watts = ref<number>();
const store = ref(props.told.stores[0]?.id ?? "");
const text = ref("");
const on = computed(() => props.told.devices.filter((it) => it.state === "on"));
const off = computed(() => props.told.devices.filter((it) => it.state !== "on"));
const rings = props.alarm.rings;
/** When somebody noticed it, where it was told; else now. */
function when(id: string): Partial<Entry> {
  const it = props.told.entries.find((entry) => entry.kind === "noticed" && entry.item === id);
  return it ? { at_s: it.at_h * 3600 } : {};
}
const number = (value: string) => (value === "" ? undefined : Number(value));
</script>

<template>
  <section ref="box" class="panel" :aria-label="panel" @keydown.escape.stop="emit('leave')">
    <template v-if="panel === 'back'">
      <h2>What is on again?</h2>
      <button
        v-for="it in off"
        :key="it.id"
        type="button"
        class="pick"
        @click="emit('act', 'restore', it.id, {})"
      >
        {{ it.label }} <span class="faint">{{ it.until }}</span>
      </button>
      <p v-if="!off.length" class="faint">Nothing is off.</p>
    </template>
    <template v-else-if="panel === 'over'">
      <h2>{{ movedLabel ? `${movedLabel}: plugged over to which outlet?` : "What is plugged over?" }}</h2>
      <template v-if="!moved">
        <button
          v-for="it in told.devices"
          :key="it.id"
          type="button"
          class="pick"
          :data-test="`moved-${it.id}`"
          @click="moved = it.id"
        >
          {{ it.label }} <span class="faint">{{ it.until }}</span>
        </button>
      </template>
      <OutletList
        v-else
        :told="told"
        :device="moved"
        @over="emit('act', 'over', moved, { outlet: $event })"
      />
    </template>
    <template v-else-if="panel === 'lost'">
      <h2>What went off by itself?</h2>
      <button
        v-for="it in on"
        :key="it.id"
        type="button"
        class="pick"
        :data-test="`lost-${it.id}`"
        @click="emit('act', 'lost', it.id, when(it.id))"
      >
        {{ it.label }}
      </button>
    </template>
    <template v-else-if="panel === 'checked'">
      <h2>What was looked at, or refuelled?</h2>
      <button
        v-for="it in [...told.devices, ...told.stores]"
        :key="it.id"
        type="button"
        class="pick"
        @click="emit('act', 'checked', it.id, {})"
      >
        {{ it.label }}
      </button>
    </template>
    <form
      v-else-if="panel === 'charge'"
      @submit.prevent="emit('act', 'charge', store, { watts: watts ?? 0 })"
    >
      <h2>What charges which store?</h2>
      <label class="label"
        >store
        <ChoiceEntry
          :value="store"
          name="store"
          :choices="told.stores.map((it) => [it.id, it.label])"
          @change="store = $event"
      /></label>
      <label class="label"
        >watts into it
        <input
          v-model.number="watts"
          type="number"
          min="0"
          max="1000000"
          placeholder="0 ends it"
          data-test="charge-watts"
      /></label>
      <button type="submit" class="door" data-test="charge-send">it is so</button>
    </form>
    <form v-else-if="panel === 'note'" @submit.prevent="emit('act', 'note', undefined, { text })">
      <h2>A note</h2>
      <input v-model="text" maxlength="500" aria-label="note" class="wide" data-test="note" />
      <button type="submit" class="door">keep it</button>
    </form>
    <div v-else class="rings label">
      <h2>What rings on this machine</h2>
      <label
        >less than
        <input
          type="number"
          min="0"
          step="0.5"
          :value="rings.left"
          aria-label="hours left"
          @change="rings.left = number(($event.target as HTMLInputElement).value)"
        />
        h left of what matters most</label
      >
      <label
        >a deadline within
        <input
          type="number"
          min="0"
          :value="rings.deadline"
          aria-label="minutes before a deadline"
          @change="rings.deadline = number(($event.target as HTMLInputElement).value)"
        />
        min</label
      >
      <label><input v-model="rings.silent" type="checkbox" /> a meter that falls silent</label>
      <label><input v-model="rings.lost" type="checkbox" /> something that goes off</label>
      <label><input v-model="rings.back" type="checkbox" /> the mains that is back</label>
      <label>who acts here <input v-model="who" maxlength="40" class="wide" /></label>
      <button type="button" class="door" data-test="try-tone" @click="alarm.tone">
        <kbd>t</kbd> try the tone
      </button>
    </div>
    <button type="button" class="door leave" @click="emit('leave')">close</button>
  </section>
</template>

<style scoped>
.panel {
  margin-top: 10px;
  padding: 10px 16px;
  border: 1px solid var(--primary);
  background: var(--sheet);
}
h2 {
  font-size: var(--size-line);
  font-weight: 600;
  margin-bottom: 6px;
}
.pick {
  display: inline-block;
  margin: 0 22px 4px 0;
  min-height: 40px;
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
form,
.rings {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 22px;
  align-items: baseline;
}
form h2,
.rings h2 {
  flex-basis: 100%;
}
input:not([type="checkbox"]) {
  font: inherit;
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  width: 9ch;
  min-height: 32px;
}
input.wide {
  width: min(480px, 100%);
}
.leave {
  display: block;
  margin-top: 4px;
}
:deep(select) {
  width: auto;
}
</style>
