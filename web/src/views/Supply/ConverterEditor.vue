<script setup lang="ts">
import { computed } from "vue";
import type { Converter, Figure, Limit, Port } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { raw } from "../../format/figure";
import BuyingFields from "./BuyingFields.vue";
import LabelLaw from "./LabelLaw.vue";
import LimitEditor from "./LimitEditor.vue";
import PortSafety from "./PortSafety.vue";
import { useSupply } from "./useSupply";

/** The opened converter: its law, its window, its outputs, how it warms. */
const props = defineProps<{ converter: Converter }>();
const { changeConverter } = useSupply();
const { refusedAt } = useEdits();
const name = computed(() => props.converter.label);
const set = (field: string, how: (converter: Converter) => void) =>
  changeConverter(props.converter.id, field, how);
const refused = (field: string) => refusedAt(`${props.converter.id}.${field}`);

type Part = "input" | "thermal" | "hold_up" | "loss" | "charger";
type Row = [part: Part, key: string, name: string, target: string, unit: string];
const WINDOW: Row[] = [
  ["input", "min_v", "works from", "volts", "V"],
  ["input", "max_v", "bears at most", "volts", "V"],
  ["input", "cut_out_v", "cuts out at", "volts", "V"],
  ["input", "cut_in_v", "back in at", "volts", "V"],
  ["input", "max_a", "takes at most", "amps", "A"],
];
/** For how long it bears a sag, and what it takes when it is switched on: of the kinds that state it. */
const own = computed<Row[]>(() => {
  const rows: Row[] = [];
  if (props.converter.input.cut_out_v != null) {
    rows.push(["input", "cut_out_delay_s", "bears less than that for", "seconds", "s"]);
  }
  if (props.converter.kind === "ac_adapter") {
    rows.push(["input", "inrush_a", "switched on cold it takes", "amps", "A"]);
    rows.push(["input", "power_factor", "power factor", "plain", ""]);
    rows.push(["input", "crest", "peak over RMS of its current", "plain", ""]);
  }
  return rows;
});
/** What a charger or a panel controller charges at. */
const charges = computed<Row[]>(() => {
  if (props.converter.kind !== "charger") return [];
  const rows: Row[] = [
    ["charger", "charge_v", "charges at", "volts", "V"],
    ["charger", "float_v", "keeps full at", "volts", "V"],
    ["charger", "equalise_v", "equalises at", "volts", "V"],
  ];
  if (props.converter.input.current === "dc")
    rows.push(["charger", "night_w", "draws from the battery by night", "watts", "W"]);
  return rows;
});
const WARMS: Row[] = [
  ["thermal", "full_load_rise_c", "warmer at full load by", "plain", "K"],
  ["thermal", "time_constant_s", "two thirds of it in", "seconds", "s"],
  ["thermal", "max_case_c", "its case bears", "celsius", "°C"],
];
const REST: Row[] = [["loss", "quadratic_per_w", "with the square of it", "plain", "/W"]];

function figure(part: Part, key: string): Figure | undefined {
  if (part === "charger") return props.converter[key as "charge_v"] ?? undefined;
  return (props.converter[part] as Record<string, Figure> | null | undefined)?.[key];
}
function setFigure(part: Part, key: string, value: Figure | null) {
  set(key, (it) => {
    if (part === "charger") {
      if (value === null) Reflect.deleteProperty(it, key);
      else Object.assign(it, { [key]: value });
      return;
    }
    const made = { ...((it[part] as Record<string, Figure> | null | undefined) ?? {}) };
    if (value === null) Reflect.deleteProperty(made, key);
    else made[key] = value;
    if (part !== "input" && Object.keys(made).length === 0) Reflect.deleteProperty(it, part);
    else Object.assign(it, { [part]: made });
  });
}
function setLimit(id: string, field: string, how: (limit: Limit) => void) {
  set(`${id}.limit.${field}`, (it) => {
    const output = it.outputs.find((known) => known.id === id);
    if (!output) return;
    const limit = output.limit ?? {};
    how(limit);
    if (Object.keys(limit).length === 0) Reflect.deleteProperty(output, "limit");
    else output.limit = limit;
  });
}
function setOutput(id: string, field: string, how: (port: Port) => void) {
  set(`${id}.${field}`, (it) => {
    const output = it.outputs.find((known) => known.id === id);
    if (output) how(output);
  });
}
function setEarthed(value: string) {
  set("earthed", (it) => {
    if (value === "") Reflect.deleteProperty(it.input, "earthed");
    else it.input.earthed = value === "true";
  });
}
function setHolds(value: string) {
  set("holds_panel", (it) => {
    if (value === "") Reflect.deleteProperty(it, "holds_panel");
    else it.holds_panel = true;
  });
}
function setTakes(value: string) {
  set("takes", (it) => {
    if (value === "") Reflect.deleteProperty(it.input, "takes");
    else it.input.takes = value as "what_it_gets";
  });
}
const rated = computed(() => {
  const of = (it: Converter["outputs"][number]) => {
    const watts = raw(it.limit?.continuous_w);
    const at = "regulated_v" in it.voltage ? raw(it.voltage.regulated_v) : undefined;
    const amps = raw(it.limit?.continuous_a);
    return watts ?? (amps !== undefined && at !== undefined ? amps * at : 0);
  };
  const sum = props.converter.outputs.reduce((total, it) => total + of(it), 0);
  return sum > 0 ? sum : undefined;
});
const alternating = computed(() => props.converter.outputs.some((it) => it.current === "ac"));
</script>

<template>
  <div class="editor" :data-test="`editor-${converter.id}`">
    <div class="fields">
      <FieldLabel name="called">
        <TextEntry
          :value="name"
          :name="`name of ${name}`"
          required
          @change="(v) => set('label', (it) => (it.label = v))"
        />
      </FieldLabel>
      <FieldLabel
        v-for="[part, key, words, target, unit] in [...WINDOW, ...own, ...charges, ...WARMS, ...REST]"
        :key="key"
        :name="words"
      >
        <FigureEntry
          :figure="figure(part, key)"
          :name="`${name}, ${words}`"
          :target="target"
          :unit="unit"
          silent="nobody knows"
          optional
          :refused="refused(key)"
          @change="(v) => setFigure(part, key, v)"
        />
      </FieldLabel>
      <FieldLabel v-if="converter.input.current === 'ac'" name="earth pin">
        <ChoiceEntry
          :value="String(converter.input.earthed ?? '')"
          :name="`earth pin of ${name}`"
          :choices="[
            ['', 'not known'],
            ['true', 'has one'],
            ['false', 'has none'],
          ]"
          @change="setEarthed"
        />
      </FieldLabel>
      <FieldLabel
        v-if="converter.kind === 'charger' && converter.input.current === 'dc'"
        name="of a panel it takes"
      >
        <ChoiceEntry
          :value="converter.holds_panel ? 'true' : ''"
          :name="`${name}, of a panel it takes`"
          :choices="[
            ['', 'its best power'],
            ['true', 'what it gives at the battery’s voltage'],
          ]"
          @change="setHolds"
        />
      </FieldLabel>
      <FieldLabel v-if="['ac_adapter', 'trigger', 'charger'].includes(converter.kind)" name="given less">
        <ChoiceEntry
          :value="converter.input.takes ?? ''"
          :name="`${name}, given less`"
          :choices="[
            ['', 'it trips what feeds it'],
            ['what_it_gets', 'it takes what it gets'],
          ]"
          @change="setTakes"
        />
      </FieldLabel>
      <BuyingFields kind="converter" :item="converter" />
      <LabelLaw
        :name="name"
        :kind="converter.kind"
        :alternating="alternating"
        :rated="rated"
        @law="(law) => set('loss', (it) => (it.loss = law))"
      />
    </div>
    <LimitEditor
      v-for="output in converter.outputs"
      :key="output.id"
      :limit="output.limit"
      :name="`${name}, ${output.label ?? output.id}`"
      :refused="(it) => refused(`${output.id}.limit.${it}`)"
      @change="(field, how) => setLimit(output.id, field, how)"
    />
    <PortSafety
      v-for="output in converter.outputs"
      :key="`safety ${output.id}`"
      :port="output"
      :name="`${name}, ${output.label ?? output.id}`"
      :refused="(it) => refused(`${output.id}.${it}`)"
      @change="(field, how) => setOutput(output.id, field, how)"
    />
  </div>
</template>

<style scoped>
.editor {
  grid-column: 1 / -1;
  border-left: 2px solid var(--line);
  padding: 4px 0 4px 14px;
  display: grid;
  gap: 12px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(140px, 1fr));
  gap: 8px 20px;
  align-items: end;
}
</style>
