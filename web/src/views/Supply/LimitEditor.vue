<script setup lang="ts">
import { computed } from "vue";
import type { Figure, Limit } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";

/** A limit: for ever, and above that for a while that is known or is not. */
const props = defineProps<{
  limit: Limit | null | undefined;
  name: string;
  refused: (name: string) => string | undefined;
}>();
const emit = defineEmits<{ change: [name: string, how: (limit: Limit) => void] }>();
type Level = NonNullable<Limit["overload"]>[number];
const levels = computed<Level[]>(() => props.limit?.overload ?? []);
const inAmps = (it: Level) => it.up_to_a != null;

function setFor(key: "continuous_a" | "continuous_w", value: Figure | null) {
  emit("change", key, (it) => {
    if (value === null) Reflect.deleteProperty(it, key);
    else it[key] = value;
  });
}
function setLevel(index: number, how: (level: Level) => void) {
  emit("change", `overload.${index}`, (it) => {
    const level = it.overload?.[index];
    if (level) how(level);
  });
}
function setUpTo(index: number, value: Figure | null) {
  if (value === null) return;
  setLevel(index, (it) => {
    if (inAmps(it)) it.up_to_a = value;
    else it.up_to_w = value;
  });
}
function setUnit(index: number, unit: string) {
  setLevel(index, (it) => {
    const value = it.up_to_a ?? it.up_to_w ?? 0;
    Reflect.deleteProperty(it, unit === "A" ? "up_to_w" : "up_to_a");
    if (unit === "A") it.up_to_a = value;
    else it.up_to_w = value;
  });
}
/** A level half above what is carried for ever, for a time that nobody knows yet. */
function add() {
  emit("change", "overload", (it) => {
    const raw = (figure: Figure | null | undefined) =>
      figure == null ? undefined : typeof figure === "number" ? figure : figure.value;
    const amps = raw(it.continuous_a);
    const made =
      amps !== undefined ? { up_to_a: amps * 1.5 } : { up_to_w: (raw(it.continuous_w) ?? 100) * 1.5 };
    it.overload = [...(it.overload ?? []), made];
  });
}
function drop(index: number) {
  emit("change", "overload", (it) => {
    it.overload?.splice(index, 1);
    if (it.overload?.length === 0) Reflect.deleteProperty(it, "overload");
  });
}
const stated = computed(() => props.limit?.continuous_a != null || props.limit?.continuous_w != null);
</script>

<template>
  <div class="limits" role="group" :aria-label="`limits of ${name}`">
    <FieldLabel name="carries for ever">
      <FigureEntry
        :figure="limit?.continuous_a"
        :at="[limit, 'continuous_a']"
        :name="`${name} carries, amperes`"
        target="amps"
        unit="A"
        optional
        :refused="refused('continuous_a')"
        @change="(v) => setFor('continuous_a', v)"
      />
    </FieldLabel>
    <FieldLabel name="and in watts">
      <FigureEntry
        :figure="limit?.continuous_w"
        :at="[limit, 'continuous_w']"
        :name="`${name} carries, watts`"
        target="watts"
        unit="W"
        optional
        :refused="refused('continuous_w')"
        @change="(v) => setFor('continuous_w', v)"
      />
    </FieldLabel>
    <div v-for="(level, index) in levels" :key="index" class="level">
      <FieldLabel name="for a while up to">
        <FigureEntry
          :figure="level.up_to_a ?? level.up_to_w"
          :at="[level, level.up_to_a != null ? 'up_to_a' : 'up_to_w']"
          :name="`${name} for a while, ${index + 1}`"
          :target="inAmps(level) ? 'amps' : 'watts'"
          :unit="''"
          :refused="refused(`overload.${index}`)"
          @change="(v) => setUpTo(index, v)"
        />
      </FieldLabel>
      <FieldLabel name="in">
        <ChoiceEntry
          :value="inAmps(level) ? 'A' : 'W'"
          :name="`unit of overload ${index + 1}`"
          :choices="[
            ['A', 'A'],
            ['W', 'W'],
          ]"
          @change="(unit) => setUnit(index, unit)"
        />
      </FieldLabel>
      <FieldLabel name="for">
        <FigureEntry
          :figure="level.for_s"
          :at="[level, 'for_s']"
          :name="`${name} for how long, ${index + 1}`"
          target="seconds"
          unit="s"
          silent="nobody knows"
          optional
          @change="(v) => setLevel(index, (it) => (v === null ? delete it.for_s : (it.for_s = v)))"
        />
      </FieldLabel>
      <button
        type="button"
        class="label"
        :aria-label="`remove overload ${index + 1} of ${name}`"
        @click="drop(index)"
      >
        remove
      </button>
    </div>
    <button v-if="stated" type="button" class="label add" @click="add">it bears more for a while</button>
  </div>
</template>

<style scoped>
.limits {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 8px 20px;
  align-items: end;
}
.level {
  grid-column: 1 / -1;
  display: grid;
  grid-template-columns: minmax(90px, 1fr) 52px minmax(110px, 1fr) auto;
  gap: 8px 16px;
  align-items: end;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
.add {
  justify-self: start;
  white-space: nowrap;
}
</style>
