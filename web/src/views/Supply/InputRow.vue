<script setup lang="ts">
import { computed, ref } from "vue";
import type { Figure, Schemas, Source, SourceInput } from "../../api/client";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import UnknownMark from "./UnknownMark.vue";
import { useSupply } from "./useSupply";
import { inputWords } from "./words";

/** A charging input: what it takes, what of it arrives, how long that is. */
const props = defineProps<{ source: Source; facts: Schemas["InputFacts"] }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
const open = ref(false);
const input = computed(() => props.source.inputs?.find((it) => it.id === props.facts.input));
const field = (name: string) => `inputs.${props.facts.input}.${name}`;
const set = (name: string, how: (input: SourceInput) => void) =>
  changeSource(props.source.id, field(name), (source) => {
    const found = source.inputs?.find((it) => it.id === props.facts.input);
    if (found) how(found);
  });
const refused = (name: string) => refusedAt(`${props.source.id}.${field(name)}`);
type Key = "min_v" | "max_v" | "max_w" | "max_a" | "efficiency";
const FIELDS: [Key, string, string, string][] = [
  ["min_v", "takes from", "volts", "V"],
  ["max_v", "bears at most", "volts", "V"],
  ["max_w", "at most", "watts", "W"],
  ["max_a", "at most", "amps", "A"],
  ["efficiency", "of it arrives", "share", ""],
];
function setField(key: Key, value: Figure | null) {
  set(key, (it) => {
    if (value === null) Reflect.deleteProperty(it, key);
    else it[key] = value;
  });
}
function setBand(index: number, key: "from_v" | "max_a", value: Figure | null) {
  if (value === null) return;
  set(`bands.${index}`, (it) => {
    const band = it.bands?.[index];
    if (band) band[key] = value;
  });
}
function addBand() {
  set("bands", (it) => (it.bands = [...(it.bands ?? []), { from_v: it.min_v ?? 11, max_a: 8 }]));
}
function dropBand(index: number) {
  set("bands", (it) => {
    it.bands?.splice(index, 1);
    if (it.bands?.length === 0) Reflect.deleteProperty(it, "bands");
  });
}
</script>

<template>
  <div class="input" data-test="input">
    <button
      type="button"
      class="toggle"
      :aria-expanded="open"
      :aria-label="`input ${facts.input}, ${open ? 'close' : 'open'} it`"
      @click="open = !open"
    >
      {{ facts.input }}
    </button>
    <span>{{ inputWords(facts) }}</span>
    <span class="faint label takes">{{ facts.takes }}</span>
    <UnknownMark v-if="facts.unknown.length > 0" class="takes" :unknown="facts.unknown" />
    <div v-if="open && input" class="fields takes">
      <FieldLabel v-for="[key, name, target, unit] in FIELDS" :key="key" :name="name">
        <FigureEntry
          :figure="input[key]"
          :at="[input, key]"
          :name="`${facts.input}, ${name} (${unit || 'share'})`"
          :target="target"
          :unit="unit"
          silent="not told"
          optional
          :refused="refused(key)"
          @change="(v) => setField(key, v)"
        />
      </FieldLabel>
      <div v-for="(band, index) in input.bands ?? []" :key="index" class="band">
        <FieldLabel name="takes">
          <FigureEntry
            :figure="band.max_a"
            :at="[band, 'max_a']"
            :name="`band ${index + 1}, amperes`"
            target="amps"
            unit="A"
            @change="(v) => setBand(index, 'max_a', v)"
          />
        </FieldLabel>
        <FieldLabel name="from">
          <FigureEntry
            :figure="band.from_v"
            :at="[band, 'from_v']"
            :name="`band ${index + 1}, volts`"
            target="volts"
            unit="V"
            @change="(v) => setBand(index, 'from_v', v)"
          />
        </FieldLabel>
        <button type="button" class="label toggle" @click="dropBand(index)">remove</button>
      </div>
      <button type="button" class="label toggle" @click="addBand">add a band</button>
    </div>
  </div>
</template>

<style scoped>
.input {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 8px;
  align-items: baseline;
  padding-top: 4px;
}
.takes {
  grid-column: 1 / -1;
  font-size: var(--size-note);
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(96px, 1fr));
  gap: 6px 16px;
  align-items: end;
  border-left: 2px solid var(--line);
  padding: 4px 0 6px 12px;
  font-size: var(--size-text);
}
.band {
  grid-column: 1 / -1;
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 6px 16px;
  align-items: end;
}
.toggle {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
  justify-self: start;
}
</style>
