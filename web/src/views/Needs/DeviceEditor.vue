<script setup lang="ts">
import { computed } from "vue";
import type { Device, Figure } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { raw } from "../../format/figure";
import PhaseEditor from "./PhaseEditor.vue";
import { useDevices } from "./useDevices";

/** The opened row: everything about a device, edited where it stands. */
const props = defineProps<{ device: Device; place: number; count: number }>();
const emit = defineEmits<{ close: []; copied: [id: string] }>();
const { change, move, remove, add } = useDevices();
const { refusedAt } = useEdits();

const volts = computed(() => raw(props.device.input.rated_v));
const field = (name: string) => `${props.device.id}.${name}`;
const set = (name: string, how: (device: Device) => void) => change(props.device.id, field(name), how);
const refused = (name: string) => refusedAt(field(name));

/** A field that may be left out: gone where nothing is given. */
function optional<T extends object, K extends keyof T>(place: T, key: K, value: T[K] | null | "") {
  if (value === null || value === "") Reflect.deleteProperty(place, key);
  else place[key] = value as T[K];
}

type Cycle = NonNullable<Device["cycle"]>;
type After = NonNullable<Device["after_loss"]>;

function setCycle(kind: string) {
  const made: Record<string, Cycle> = {
    continuous: { kind: "continuous" },
    hours: { kind: "hours", from: "18:00", to: "23:00" },
    thermostat: { kind: "thermostat", on_fraction: 0.35, period_s: 1800 },
  };
  set("cycle", (it) => optional(it, "cycle", made[kind] ?? null));
}

function setAfter(kind: string) {
  const made: Record<string, After> = {
    resumes: { kind: "resumes" },
    restarts: { kind: "restarts" },
    latches: { kind: "latches" },
  };
  set("after_loss", (it) => optional(it, "after_loss", made[kind] ?? null));
}

function setDeadline(minutes: Figure | null) {
  set("deadline", (it) => {
    if (minutes === null) optional(it, "deadline", null);
    else it.deadline = { ...(it.deadline ?? {}), minutes };
  });
}

async function copy() {
  const made = await add({ ...props.device, label: `${props.device.label}, another` });
  if (made) emit("copied", made);
}
</script>

<template>
  <section class="editor" :aria-label="`Everything about ${device.label}`" @keydown.esc.stop="$emit('close')">
    <div class="fields">
      <label
        ><span class="label">name</span>
        <TextEntry
          :value="device.label"
          name="name"
          required
          @change="(v) => set('label', (it) => (it.label = v))"
      /></label>
      <label
        ><span class="label">what for</span>
        <TextEntry
          :value="device.role ?? ''"
          name="what for"
          @change="(v) => set('role', (it) => optional(it, 'role', v))"
      /></label>
      <label
        ><span class="label">how many</span>
        <FigureEntry
          :figure="device.quantity ?? 1"
          name="how many"
          target="plain"
          unit=""
          :refused="refused('quantity')"
          @change="(v) => set('quantity', (it) => optional(it, 'quantity', v))"
      /></label>
      <label
        ><span class="label">fed with</span>
        <ChoiceEntry
          :value="device.input.current"
          name="fed with"
          :choices="[
            ['dc', 'DC'],
            ['ac', 'AC'],
          ]"
          @change="(v) => set('current', (it) => (it.input.current = v as 'ac' | 'dc'))"
      /></label>
      <label
        ><span class="label">rated</span>
        <FigureEntry
          :figure="device.input.rated_v"
          name="rated volts"
          target="volts"
          unit="V"
          :refused="refused('rated_v')"
          @change="(v) => v !== null && set('rated_v', (it) => (it.input.rated_v = v))"
      /></label>
      <label
        ><span class="label">resets below</span>
        <FigureEntry
          :figure="device.input.min_v"
          name="resets below, volts"
          target="volts"
          unit="V"
          optional
          :refused="refused('min_v')"
          @change="(v) => set('min_v', (it) => optional(it.input, 'min_v', v))"
      /></label>
      <label
        ><span class="label">bears at most</span>
        <FigureEntry
          :figure="device.input.max_v"
          name="bears at most, volts"
          target="volts"
          unit="V"
          optional
          :refused="refused('max_v')"
          @change="(v) => set('max_v', (it) => optional(it.input, 'max_v', v))"
      /></label>
      <label
        ><span class="label">plug</span>
        <TextEntry
          :value="device.input.connector ?? ''"
          name="plug"
          @change="(v) => set('connector', (it) => optional(it.input, 'connector', v))"
      /></label>
      <label v-if="device.input.current === 'dc'"
        ><span class="label">polarity</span>
        <TextEntry
          :value="device.input.polarity ?? ''"
          name="polarity"
          @change="(v) => set('polarity', (it) => optional(it.input, 'polarity', v))"
      /></label>
      <label v-if="device.input.current === 'ac'"
        ><span class="label">power factor</span>
        <FigureEntry
          :figure="device.input.power_factor"
          name="power factor"
          target="plain"
          unit=""
          optional
          :refused="refused('power_factor')"
          @change="(v) => set('power_factor', (it) => optional(it.input, 'power_factor', v))"
      /></label>
      <label v-if="device.input.current === 'ac'"
        ><span class="label">wave</span>
        <ChoiceEntry
          :value="String(device.input.needs_sine ?? '')"
          name="wave"
          :choices="[
            ['', 'not known'],
            ['true', 'needs a sine'],
            ['false', 'bears a stepped one'],
          ]"
          @change="
            (v) => set('needs_sine', (it) => optional(it.input, 'needs_sine', v === '' ? null : v === 'true'))
          "
      /></label>
      <label
        ><span class="label">at another voltage</span>
        <ChoiceEntry
          :value="device.draw ?? 'power'"
          name="at another voltage it draws"
          :choices="[
            ['power', 'the same watts'],
            ['current', 'the same amperes'],
            ['resistance', 'as an element: more'],
          ]"
          @change="(v) => set('draw', (it) => (it.draw = v as 'power'))"
      /></label>
    </div>

    <PhaseEditor :device="device" :volts="volts" />

    <div class="fields">
      <label
        ><span class="label">is on</span>
        <ChoiceEntry
          :value="device.cycle?.kind ?? 'continuous'"
          name="is on"
          :choices="[
            ['continuous', 'all the time'],
            ['hours', 'between two hours'],
            ['thermostat', 'on and off by itself'],
          ]"
          @change="setCycle"
      /></label>
      <template v-if="device.cycle?.kind === 'hours'">
        <label
          ><span class="label">from</span>
          <TextEntry
            :value="device.cycle.from"
            name="on from"
            required
            @change="(v) => set('from', (it) => it.cycle?.kind === 'hours' && (it.cycle.from = v))"
        /></label>
        <label
          ><span class="label">to</span>
          <TextEntry
            :value="device.cycle.to"
            name="on to"
            required
            @change="(v) => set('to', (it) => it.cycle?.kind === 'hours' && (it.cycle.to = v))"
        /></label>
      </template>
      <template v-if="device.cycle?.kind === 'thermostat'">
        <label
          ><span class="label">on for</span>
          <FigureEntry
            :figure="device.cycle.on_fraction"
            name="share of the time on"
            target="share"
            unit=""
            :refused="refused('on_fraction')"
            @change="
              (v) =>
                v !== null &&
                set('on_fraction', (it) => it.cycle?.kind === 'thermostat' && (it.cycle.on_fraction = v))
            "
        /></label>
        <label
          ><span class="label">once every</span>
          <FigureEntry
            :figure="device.cycle.period_s"
            name="period"
            target="seconds"
            unit="s"
            :refused="refused('period_s')"
            @change="
              (v) =>
                v !== null &&
                set('period_s', (it) => it.cycle?.kind === 'thermostat' && (it.cycle.period_s = v))
            "
        /></label>
      </template>
      <label
        ><span class="label">survives a gap of</span>
        <FigureEntry
          :figure="device.ride_through_ms"
          name="survives a gap of"
          target="milliseconds"
          unit="ms"
          optional
          :refused="refused('ride_through_ms')"
          @change="(v) => set('ride_through_ms', (it) => optional(it, 'ride_through_ms', v))"
      /></label>
      <label
        ><span class="label">after a loss</span>
        <ChoiceEntry
          :value="device.after_loss?.kind ?? ''"
          name="after a loss"
          :choices="[
            ['', 'not known'],
            ['resumes', 'goes on'],
            ['restarts', 'restarts'],
            ['latches', 'waits for a hand'],
          ]"
          @change="setAfter"
      /></label>
      <label v-if="device.after_loss?.kind === 'restarts'"
        ><span class="label">back after</span>
        <FigureEntry
          :figure="device.after_loss.seconds"
          name="back after"
          target="seconds"
          unit="s"
          optional
          @change="
            (v) =>
              set('back', (it) => it.after_loss?.kind === 'restarts' && optional(it.after_loss, 'seconds', v))
          "
      /></label>
      <label
        ><span class="label">harm after</span>
        <FigureEntry
          :figure="device.deadline?.minutes"
          name="harm after"
          target="minutes"
          unit="min"
          optional
          :refused="refused('deadline')"
          @change="setDeadline"
      /></label>
      <template v-if="device.deadline">
        <label
          ><span class="label">the harm</span>
          <TextEntry
            :value="device.deadline.consequence ?? ''"
            name="the harm"
            @change="
              (v) => set('consequence', (it) => it.deadline && optional(it.deadline, 'consequence', v))
            "
        /></label>
        <label
          ><span class="label">then</span>
          <ChoiceEntry
            :value="device.deadline.then ?? ''"
            name="then"
            :choices="[
              ['', 'it may restart'],
              ['inspect-before-restart', 'look before restarting'],
            ]"
            @change="
              (v) =>
                set(
                  'then',
                  (it) => it.deadline && optional(it.deadline, 'then', v as 'inspect-before-restart'),
                )
            "
        /></label>
      </template>
      <label class="wide"
        ><span class="label">remark</span>
        <TextEntry
          :value="device.note ?? ''"
          name="remark"
          @change="(v) => set('note', (it) => optional(it, 'note', v))"
      /></label>
    </div>

    <p class="actions label">
      <button type="button" :disabled="place === 1" @click="move(device.id, place - 2)">move up</button>
      <button type="button" :disabled="place === count" @click="move(device.id, place)">move down</button>
      <button type="button" @click="copy">copy</button>
      <button type="button" class="remove" @click="remove(device.id)">remove</button>
      <button type="button" class="close" @click="$emit('close')">close</button>
    </p>
  </section>
</template>

<style scoped>
.editor {
  padding: 6px 0 14px 40px;
  display: grid;
  gap: 14px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 10px 22px;
}
label {
  display: grid;
  gap: 1px;
  align-content: start;
}
label > .label {
  font-size: 13px;
  color: var(--faint);
}
.wide {
  grid-column: span 2;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
}
.actions button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
}
.actions button:disabled {
  color: var(--faint);
  text-decoration: none;
  cursor: default;
}
.actions .remove {
  color: var(--trips);
}
.close {
  margin-left: auto;
}
@media (max-width: 720px) {
  .editor {
    padding-left: 0;
  }
  .fields {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
