<script setup lang="ts">
import { computed } from "vue";
import type { Figure, Limit, Port, Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { raw } from "../../format/figure";
import LabelLaw from "./LabelLaw.vue";
import LimitEditor from "./LimitEditor.vue";
import PortSafety from "./PortSafety.vue";
import { useSupply } from "./useSupply";

/** The opened outlet: what it gives, bears, loses, and when it turns itself off. */
const props = defineProps<{ source: Source; port: Port }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
const name = computed(() => props.port.label ?? props.port.id);
const field = (it: string) => `ports.${props.port.id}.${it}`;
const set = (it: string, how: (port: Port) => void) =>
  changeSource(props.source.id, field(it), (source) => {
    const found = source.ports.find((port) => port.id === props.port.id);
    if (found) how(found);
  });
const refused = (it: string) => refusedAt(`${props.source.id}.${field(it)}`);
const bare = computed(() => "follows" in props.port.voltage);
const kind = computed(() => {
  const it = props.port.voltage;
  if ("follows" in it) return "battery";
  if ("regulated_v" in it) return "dc";
  if ("offers_v" in it) return "offers";
  return it.waveform === "stepped" ? "stepped" : "sine";
});
const volts = computed<Figure | undefined>(() => {
  const it = props.port.voltage;
  if ("regulated_v" in it) return it.regulated_v;
  return "ac_v" in it ? it.ac_v : undefined;
});
function setKind(value: string) {
  set("voltage", (it) => {
    const own = raw(volts.value);
    it.current = value === "sine" || value === "stepped" ? "ac" : "dc";
    if (value === "battery") it.voltage = { follows: true };
    else if (value === "dc") it.voltage = { regulated_v: own !== undefined && own < 60 ? own : 12 };
    else if (value === "offers") it.voltage = { offers_v: [5, 9, 15, 20] };
    else it.voltage = { ac_v: own !== undefined && own > 60 ? own : 230, waveform: value as "sine" };
  });
}
function setVolts(value: Figure | null) {
  if (value === null) return;
  set("volts", (it) => {
    if ("regulated_v" in it.voltage) it.voltage.regulated_v = value;
    else if ("ac_v" in it.voltage) it.voltage.ac_v = value;
  });
}
function setLimit(it: string, how: (limit: Limit) => void) {
  set(`limit.${it}`, (port) => {
    const limit = port.limit ?? {};
    how(limit);
    if (Object.keys(limit).length === 0) Reflect.deleteProperty(port, "limit");
    else port.limit = limit;
  });
}
const group = computed(() => props.source.groups?.find((it) => it.id === props.port.group));
function setGroup(it: string, how: (limit: Limit) => void) {
  changeSource(props.source.id, `groups.${group.value?.id}.${it}`, (source) => {
    const found = source.groups?.find((known) => known.id === group.value?.id);
    if (found) how(found.limit);
  });
}
function setSettles(value: string) {
  changeSource(props.source.id, `groups.${group.value?.id}.settles_anew`, (source) => {
    const found = source.groups?.find((known) => known.id === group.value?.id);
    if (!found) return;
    if (value === "") Reflect.deleteProperty(found, "settles_anew");
    else found.settles_anew = value === "true";
  });
}
function setSharing(value: string) {
  changeSource(props.source.id, `groups.${group.value?.id}.sharing`, (source) => {
    const found = source.groups?.find((known) => known.id === group.value?.id);
    if (!found) return;
    if (value === "") Reflect.deleteProperty(found, "sharing");
    else found.sharing = value as "divides";
  });
}
function setOff(key: "below_w" | "after_s", value: Figure | null) {
  set(`auto_off.${key}`, (it) => {
    if (value === null) Reflect.deleteProperty(it, "auto_off");
    else it.auto_off = { below_w: 5, after_s: 7200, ...(it.auto_off ?? {}), [key]: value };
  });
}
const rated = computed(() => {
  const watts = raw(props.port.limit?.continuous_w);
  const amps = raw(props.port.limit?.continuous_a);
  const at = raw(volts.value);
  return watts ?? (amps !== undefined && at !== undefined ? amps * at : undefined);
});
function drop() {
  changeSource(props.source.id, "ports", (it) => {
    it.ports = it.ports.filter((port) => port.id !== props.port.id);
  });
}
</script>

<template>
  <div class="editor" :data-test="`editor-${port.id}`">
    <div class="fields">
      <FieldLabel name="called">
        <TextEntry
          :value="name"
          :name="`name of ${name}`"
          required
          @change="(v) => set('label', (it) => (it.label = v))"
        />
      </FieldLabel>
      <FieldLabel name="gives">
        <ChoiceEntry
          :value="kind"
          :name="`${name} gives`"
          :choices="[
            ['battery', 'the battery’s own voltage'],
            ['dc', 'a steady DC voltage'],
            ['offers', 'DC as asked'],
            ['sine', 'AC, a sine'],
            ['stepped', 'AC, a stepped wave'],
          ]"
          @change="setKind"
        />
      </FieldLabel>
      <FieldLabel v-if="volts != null" name="at">
        <FigureEntry
          :figure="volts"
          :at="[port.voltage, 'regulated_v' in port.voltage ? 'regulated_v' : 'ac_v']"
          :name="`${name}, volts`"
          target="volts"
          unit="V"
          :refused="refused('volts')"
          @change="setVolts"
        />
      </FieldLabel>
      <FieldLabel name="plug">
        <TextEntry
          :value="port.connector ?? ''"
          :name="`plug of ${name}`"
          @change="(v) => set('connector', (it) => (v ? (it.connector = v) : delete it.connector))"
        />
      </FieldLabel>
    </div>
    <LimitEditor
      :limit="port.limit"
      :name="name"
      :refused="(it) => refused(`limit.${it}`)"
      @change="setLimit"
    />
    <LimitEditor
      v-if="group"
      :limit="group.limit"
      :name="`${group.id}, shared`"
      :refused="(it) => refusedAt(`${source.id}.groups.${group?.id}.${it}`)"
      @change="setGroup"
    />
    <FieldLabel v-if="group" name="when something is plugged in, they">
      <ChoiceEntry
        :value="group.settles_anew == null ? '' : String(group.settles_anew)"
        :name="`${group.id}: when something is plugged in`"
        :choices="[
          ['', 'nobody knows'],
          ['true', 'reset each other'],
          ['false', 'go on'],
        ]"
        @change="setSettles"
      />
    </FieldLabel>
    <FieldLabel v-if="group" name="when more is asked, they">
      <ChoiceEntry
        :value="group.sharing === 'divides' ? 'divides' : ''"
        :name="`${group.id}: when more is asked`"
        :choices="[
          ['', 'switch off'],
          ['divides', 'give each less'],
        ]"
        @change="setSharing"
      />
    </FieldLabel>
    <PortSafety :port="port" :name="name" :refused="refused" @change="set" />
    <div v-if="!bare" class="fields">
      <FieldLabel name="lost with its load">
        <FigureEntry
          :figure="port.loss?.proportional"
          :at="[port.loss, 'proportional']"
          :name="`${name}, lost with its load`"
          target="share"
          unit=""
          silent="nobody knows"
          optional
          :refused="refused('proportional')"
          @change="
            (v) =>
              set('proportional', (it) => {
                it.loss = { ...(it.loss ?? {}), proportional: v };
                if (v === null) delete it.loss.proportional;
              })
          "
        />
      </FieldLabel>
      <FieldLabel name="turns itself off below">
        <FigureEntry
          :figure="port.auto_off?.below_w"
          :at="[port.auto_off, 'below_w']"
          :name="`${name} turns itself off below`"
          target="watts"
          unit="W"
          silent="never, or not known"
          optional
          :refused="refused('auto_off.below_w')"
          @change="(v) => setOff('below_w', v)"
        />
      </FieldLabel>
      <FieldLabel v-if="port.auto_off" name="after">
        <FigureEntry
          :figure="port.auto_off.after_s"
          :at="[port.auto_off, 'after_s']"
          :name="`${name} turns itself off after`"
          target="seconds"
          unit="s"
          :refused="refused('auto_off.after_s')"
          @change="(v) => v !== null && setOff('after_s', v)"
        />
      </FieldLabel>
      <LabelLaw
        :name="name"
        :alternating="port.current === 'ac'"
        :rated="rated"
        @law="(law) => set('loss', (it) => (it.loss = law))"
      />
    </div>
    <p class="label">
      <button type="button" class="remove" :aria-label="`remove this outlet: ${name}`" @click="drop">
        remove this outlet
      </button>
    </p>
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
.remove {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
</style>
