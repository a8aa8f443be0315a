<script setup lang="ts">
import { computed, ref } from "vue";
import type { Figure, Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { CHEMISTRIES, isLead } from "../../format/chemistry";
import { raw } from "../../format/figure";
import { FUSE_CHOICES } from "../../format/fuses";
import BuyingFields from "./BuyingFields.vue";
import FullModel from "./FullModel.vue";
import { readShade, shadeText } from "./shade";
import WearFields from "./WearFields.vue";
import { useSupply } from "./useSupply";

/** The opened source: its name, and what is inside. */
const props = defineProps<{ source: Source }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
type Battery = NonNullable<Source["battery"]>;
type Key =
  | "cells"
  | "strings"
  | "rated_hours"
  | "internal_ohm"
  | "internal_ohm_at_c"
  | "cut_off_v"
  | "max_discharge_a"
  | "max_charge_a";
const battery = computed(() => props.source.battery);
const FIELDS: [Key, string, string, string][] = [
  ["cells", "cells in series", "plain", ""],
  ["strings", "strings side by side", "plain", ""],
  ["rated_hours", "rated over", "plain", "h"],
  ["internal_ohm", "resistance inside", "ohms", "Ω"],
  ["internal_ohm_at_c", "that was at", "celsius", "°C"],
  ["cut_off_v", "cuts itself off at", "volts", "V"],
  ["max_discharge_a", "gives at most", "amps", "A"],
  ["max_charge_a", "takes at most", "amps", "A"],
];
/** A store that is known by its energy has no cells to count. */
const OF_CELLS: Key[] = ["cells", "strings", "internal_ohm_at_c"];
const fields = computed(() =>
  FIELDS.filter(([key]) => battery.value?.cells != null || !OF_CELLS.includes(key)),
);
const SILENT: Partial<Record<Key, number>> = { strings: 1, internal_ohm_at_c: 25 };
const gasses = computed(() => battery.value?.cells != null && isLead(battery.value.chemistry));
const several = computed(
  () => (raw(battery.value?.strings) ?? 1) > 1 || (raw(props.source.panel?.strings) ?? 1) > 1,
);
/** What has strings: the panel, or the battery. */
const stringFuse = computed(() => (props.source.panel ?? battery.value)?.string_fuse);
type PanelKey = "open_v" | "strings" | "in_series" | "tilt_deg" | "azimuth_deg";
function setPanel(key: PanelKey, value: Figure | null) {
  changeSource(props.source.id, `panel.${key}`, (it) => {
    if (!it.panel) return;
    if (value !== null) it.panel[key] = value;
    else if (key !== "open_v") Reflect.deleteProperty(it.panel, key);
  });
}
const PANEL: [key: PanelKey, words: string, unit: string, silent: number | string][] = [
  ["in_series", "panels in a string", "", 1],
  ["strings", "strings side by side", "", 1],
  ["tilt_deg", "tilt from level", "°", 50],
  ["azimuth_deg", "faces, from north by east", "°", "to the equator"],
];
const shadeTrouble = ref("");
function setShade(text: string) {
  const spans = readShade(text);
  shadeTrouble.value = typeof spans === "string" ? spans : "";
  if (typeof spans === "string") return;
  changeSource(props.source.id, "panel.shade", (it) => {
    if (!it.panel) return;
    if (spans.length) it.panel.shade = spans;
    else Reflect.deleteProperty(it.panel, "shade");
  });
}
function setStringFuse(value: Figure | null) {
  changeSource(props.source.id, "string_fuse", (it) => {
    const whole = it.panel ?? it.battery;
    if (!whole) return;
    if (value === null) Reflect.deleteProperty(whole, "string_fuse");
    else whole.string_fuse = { ...(whole.string_fuse ?? {}), rating_a: value };
  });
}
function setStringType(value: string) {
  changeSource(props.source.id, "string_fuse.type", (it) => {
    const fuse = (it.panel ?? it.battery)?.string_fuse;
    if (!fuse) return;
    if (value === "") Reflect.deleteProperty(fuse, "type");
    else fuse.type = value as "blade";
  });
}
function setIndoors(value: string) {
  changeSource(props.source.id, "indoors", (it) => {
    if (value === "") Reflect.deleteProperty(it, "indoors");
    else it.indoors = value === "in";
  });
}
function setRoom(value: Figure | null) {
  changeSource(props.source.id, "room_m3", (it) => {
    if (value === null) Reflect.deleteProperty(it, "room_m3");
    else it.room_m3 = value;
  });
}
function setFuel(value: string) {
  changeSource(props.source.id, "engine.fuel", (it) => {
    if (!it.engine) return;
    if (value === "") Reflect.deleteProperty(it.engine, "fuel");
    else it.engine.fuel = value as "diesel";
  });
}
function setAlternator(key: "running_v" | "cranking_v", value: Figure | null) {
  changeSource(props.source.id, `alternator.${key}`, (it) => {
    if (!it.alternator) return;
    if (value === null) Reflect.deleteProperty(it.alternator, key);
    else it.alternator[key] = value;
  });
}
const set = (name: string, how: (battery: Battery) => void) =>
  changeSource(props.source.id, `battery.${name}`, (it) => it.battery && how(it.battery));
function setField(key: Key, value: Figure | null) {
  set(key, (it) => {
    if (value === null) Reflect.deleteProperty(it, key);
    else it[key] = value;
  });
}
const chemistries = computed<[string, string][]>(() => {
  const own = battery.value?.chemistry ?? "lfp";
  return CHEMISTRIES.some(([key]) => key === own) ? CHEMISTRIES : [...CHEMISTRIES, [own, own]];
});
</script>

<template>
  <div class="fields" :data-test="`editor-${source.id}`">
    <FieldLabel name="called">
      <TextEntry
        :value="source.label"
        :name="`name of ${source.label}`"
        required
        @change="(v) => changeSource(source.id, 'label', (it) => (it.label = v))"
      />
    </FieldLabel>
    <FieldLabel v-if="battery" name="chemistry">
      <ChoiceEntry
        :value="battery.chemistry"
        :name="`chemistry of ${source.label}`"
        :choices="chemistries"
        @change="(v) => set('chemistry', (it) => (it.chemistry = v))"
      />
    </FieldLabel>
    <template v-if="battery">
      <FieldLabel v-for="[key, name, target, unit] in fields" :key="key" :name="name">
        <FigureEntry
          :figure="battery[key]"
          :at="[battery, key]"
          :name="`${source.label}, ${name}`"
          :target="target"
          :unit="unit"
          :silent="SILENT[key] ?? 'not told'"
          :optional="key !== 'cells'"
          :refused="refusedAt(`${source.id}.battery.${key}`)"
          @change="(v) => setField(key, v)"
        />
      </FieldLabel>
    </template>
    <template v-if="several">
      <FieldLabel name="each string has a fuse of">
        <FigureEntry
          :figure="stringFuse?.rating_a"
          :at="[stringFuse, 'rating_a']"
          :name="`${source.label}, fuse of each string`"
          target="amps"
          unit="A"
          nominal
          silent="no fuse"
          optional
          :refused="refusedAt(`${source.id}.string_fuse`)"
          @change="setStringFuse"
        />
      </FieldLabel>
      <FieldLabel v-if="stringFuse" name="of the type">
        <ChoiceEntry
          :value="stringFuse.type ?? ''"
          :name="`${source.label}, type of the string fuses`"
          :choices="FUSE_CHOICES"
          @change="setStringType"
        />
      </FieldLabel>
    </template>
    <template v-if="gasses">
      <FieldLabel name="stands">
        <ChoiceEntry
          :value="source.indoors == null ? '' : source.indoors ? 'in' : 'out'"
          :name="`${source.label} stands`"
          :choices="[
            ['', 'nobody knows'],
            ['in', 'indoors'],
            ['out', 'in the open'],
          ]"
          @change="setIndoors"
        />
      </FieldLabel>
      <FieldLabel v-if="source.indoors" name="in a room of">
        <FigureEntry
          :figure="source.room_m3"
          :at="[source, 'room_m3']"
          :name="`${source.label}, its room`"
          target="plain"
          unit="m³"
          silent="not told"
          optional
          :refused="refusedAt(`${source.id}.room_m3`)"
          @change="setRoom"
        />
      </FieldLabel>
    </template>
    <template v-if="source.alternator && battery?.cells != null">
      <FieldLabel name="with its engine running">
        <FigureEntry
          :figure="source.alternator.running_v"
          :at="[source.alternator, 'running_v']"
          :name="`${source.label}, volts with its engine running`"
          target="volts"
          unit="V"
          :silent="14.8"
          supposed
          optional
          :refused="refusedAt(`${source.id}.alternator.running_v`)"
          @change="(v) => setAlternator('running_v', v)"
        />
      </FieldLabel>
      <FieldLabel name="while it is cranked">
        <FigureEntry
          :figure="source.alternator.cranking_v"
          :at="[source.alternator, 'cranking_v']"
          :name="`${source.label}, volts while it is cranked`"
          target="volts"
          unit="V"
          :silent="7"
          supposed
          optional
          :refused="refusedAt(`${source.id}.alternator.cranking_v`)"
          @change="(v) => setAlternator('cranking_v', v)"
        />
      </FieldLabel>
    </template>
    <template v-if="source.panel">
      <FieldLabel name="open, as on its label">
        <FigureEntry
          :figure="source.panel.open_v"
          :at="[source.panel, 'open_v']"
          :name="`${source.label}, open volts`"
          target="volts"
          unit="V"
          :refused="refusedAt(`${source.id}.panel.open_v`)"
          @change="(v) => v !== null && setPanel('open_v', v)"
        />
      </FieldLabel>
      <FieldLabel v-for="[key, words, unit, silent] in PANEL" :key="key" :name="words">
        <FigureEntry
          :figure="source.panel[key]"
          :at="[source.panel, key]"
          :name="`${source.label}, ${words}`"
          target="plain"
          :unit="unit"
          :silent="silent"
          optional
          :refused="refusedAt(`${source.id}.panel.${key}`)"
          @change="(v) => setPanel(key, v)"
        />
      </FieldLabel>
      <FieldLabel name="in the shade">
        <TextEntry
          :value="shadeText(source.panel.shade)"
          :name="`${source.label}, in the shade, as 08:00-09:30`"
          @change="setShade"
        />
        <span v-if="shadeTrouble" data-status="trips" role="alert">{{ shadeTrouble }}</span>
      </FieldLabel>
    </template>
    <FieldLabel v-if="source.engine" name="burns">
      <ChoiceEntry
        :value="source.engine.fuel ?? ''"
        :name="`${source.label} burns`"
        :choices="[
          ['', 'not told'],
          ['petrol', 'petrol'],
          ['diesel', 'diesel'],
          ['gas', 'gas'],
        ]"
        @change="setFuel"
      />
    </FieldLabel>
    <BuyingFields v-if="source.kind !== 'mains'" kind="source" :item="source" />
    <WearFields v-if="battery" :source="source" />
    <FullModel v-if="battery" class="wide" :source="source" />
    <FieldLabel class="wide" name="remark">
      <TextEntry
        :value="source.note ?? ''"
        :name="`remark on ${source.label}`"
        @change="(v) => changeSource(source.id, 'note', (it) => (v ? (it.note = v) : delete it.note))"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 20px;
  max-width: 360px;
  border-left: 2px solid var(--line);
  padding: 4px 0 6px 12px;
  align-items: end;
}
.wide {
  grid-column: 1 / -1;
}
</style>
