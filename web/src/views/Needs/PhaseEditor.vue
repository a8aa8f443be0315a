<script setup lang="ts">
import type { Device, Phase } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { raw } from "../../format/figure";
import { optional } from "./useDeviceFields";
import { useDevices } from "./useDevices";

/** The phases of a device: what it draws while it starts, runs, works hard and stops. */
const props = defineProps<{ device: Device; volts: number | undefined }>();
const { change } = useDevices();
const { refusedAt } = useEdits();
const KINDS: [string, string][] = [
  ["starting", "starting"],
  ["running", "running"],
  ["busy", "busy"],
  ["stopping", "stopping"],
];

const field = (index: number, name: string) => `${props.device.id}.phases.${index}.${name}`;
function set(index: number, name: string, how: (phase: Phase) => void) {
  change(props.device.id, field(index, name), (it) => {
    const phase = it.phases[index];
    if (phase) how(phase);
  });
}
function setKind(index: number, kind: string) {
  set(index, "when", (it) => {
    it.when = kind as Phase["when"];
    delete it.share;
    delete it.seconds;
    if (kind === "busy") it.share = 0.2;
    if (kind === "starting" || kind === "stopping") it.seconds = 30;
  });
}
function addPhase(when: Phase["when"]) {
  change(props.device.id, "phases", (it) => {
    const most = Math.max(
      ...it.phases.map((phase) => (typeof phase.watts === "number" ? phase.watts : phase.watts.value)),
      1,
    );
    it.phases.push(when === "busy" ? { when, watts: most, share: 0.2 } : { when, watts: most, seconds: 30 });
  });
}
function removePhase(index: number) {
  change(props.device.id, "phases", (it) => it.phases.splice(index, 1));
}
/** How a phase answers another voltage: its own way, or that of the device. */
const DRAWS: [string, string][] = [
  ["", "as the device"],
  ["power", "the same watts"],
  ["current", "the same amperes"],
  ["resistance", "as an element: more"],
];
const takesTime = (phase: Phase) => phase.when === "starting" || phase.when === "stopping";
</script>

<template>
  <div class="phases" role="group" aria-label="phases">
    <div v-for="(phase, index) in device.phases" :key="index" class="phase">
      <FieldLabel name="when">
        <span v-if="phase.when === 'running'" class="fixed">running</span>
        <ChoiceEntry
          v-else
          :value="phase.when"
          :name="`phase ${index + 1}: when`"
          :choices="KINDS.filter(([key]) => key !== 'running')"
          @change="(v) => setKind(index, v)"
        />
      </FieldLabel>
      <FieldLabel name="what happens">
        <TextEntry
          :value="phase.label ?? ''"
          :name="`phase ${index + 1}: what happens`"
          @change="(v) => set(index, 'label', (it) => (v ? (it.label = v) : delete it.label))"
        />
      </FieldLabel>
      <FieldLabel class="watts" name="draws">
        <FigureEntry
          :figure="phase.watts"
          :at="[phase, 'watts']"
          :name="`${phase.when} draws`"
          target="watts"
          unit="W"
          :volts="raw(phase.at_v) ?? volts"
          :running="phase.when === 'running'"
          :refused="refusedAt(field(index, 'watts'))"
          @change="(v) => v !== null && set(index, 'watts', (it) => (it.watts = v))"
        />
      </FieldLabel>
      <FieldLabel name="stated at">
        <FigureEntry
          :figure="phase.at_v"
          :at="[phase, 'at_v']"
          :name="`${phase.when}: the voltage of its watts`"
          target="volts"
          unit="V"
          optional
          :silent="raw(device.input.rated_v)"
          :refused="refusedAt(field(index, 'at_v'))"
          @change="(v) => set(index, 'at_v', (it) => optional(it, 'at_v', v))"
        />
      </FieldLabel>
      <FieldLabel name="at another voltage">
        <ChoiceEntry
          :value="phase.draw ?? ''"
          :name="`${phase.when}: at another voltage it draws`"
          :choices="DRAWS"
          @change="(v) => set(index, 'draw', (it) => optional(it, 'draw', v as 'power' | ''))"
        />
      </FieldLabel>
      <FieldLabel v-if="device.input.current === 'ac'" name="power factor">
        <FigureEntry
          :figure="phase.power_factor"
          :at="[phase, 'power_factor']"
          :name="`${phase.when}: power factor`"
          target="plain"
          unit=""
          optional
          :silent="raw(device.input.power_factor) ?? 1"
          :refused="refusedAt(field(index, 'power_factor'))"
          @change="(v) => set(index, 'power_factor', (it) => optional(it, 'power_factor', v))"
        />
      </FieldLabel>
      <FieldLabel v-if="takesTime(phase)" name="for">
        <FigureEntry
          :figure="phase.seconds"
          :at="[phase, 'seconds']"
          :name="`${phase.when} lasts`"
          target="seconds"
          unit="s"
          optional
          :refused="refusedAt(field(index, 'seconds'))"
          @change="(v) => set(index, 'seconds', (it) => (v === null ? delete it.seconds : (it.seconds = v)))"
        />
      </FieldLabel>
      <FieldLabel v-else-if="phase.when === 'busy'" name="for a share of">
        <FigureEntry
          :figure="phase.share"
          :at="[phase, 'share']"
          name="busy for a share of"
          target="share"
          unit=""
          :refused="refusedAt(field(index, 'share'))"
          @change="(v) => v !== null && set(index, 'share', (it) => (it.share = v))"
        />
      </FieldLabel>
      <span v-else />
      <button
        v-if="phase.when !== 'running'"
        type="button"
        class="label remove"
        :aria-label="`remove phase ${index + 1}`"
        @click="removePhase(index)"
      >
        remove
      </button>
    </div>
    <p class="label add">
      <button type="button" @click="addPhase('starting')">add a start</button>
      <button type="button" @click="addPhase('busy')">add a busy time</button>
      <button type="button" @click="addPhase('stopping')">add a stop</button>
    </p>
  </div>
</template>

<style scoped>
.phases {
  border-left: 2px solid var(--line);
  padding-left: 14px;
  display: grid;
  gap: 8px;
}
.phase {
  display: grid;
  grid-template-columns: 100px minmax(100px, 180px) minmax(150px, 220px) minmax(90px, 120px) 170px 130px auto;
  gap: 6px 18px;
  align-items: start;
}
.fixed {
  padding: 4px 0;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
.phase .remove {
  align-self: end;
}
.add {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
}
@media (--wide) {
  .phase {
    grid-template-columns: 1fr 1fr;
    padding-bottom: 8px;
    border-bottom: 1px solid var(--line);
  }
}
</style>
