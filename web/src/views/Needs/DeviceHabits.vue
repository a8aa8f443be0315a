<script setup lang="ts">
import type { Device, Figure } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import MomentEntry from "../../components/MomentEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { optional, useDeviceFields } from "./useDeviceFields";

/** When a device is on, what a gap does to it, and when harm begins. */
const props = defineProps<{ device: Device }>();
const { set, refused } = useDeviceFields(props);

type Cycle = NonNullable<Device["cycle"]>;
type After = NonNullable<Device["after_loss"]>;

function setCycle(kind: string) {
  const made: Record<string, Cycle> = {
    continuous: { kind: "continuous" },
    hours: { kind: "hours", from: "18:00", to: "23:00" },
    thermostat: { kind: "thermostat", on_fraction: 0.35, period_s: 1800 },
    charge: { kind: "charge", wh: 15, from: "21:30" },
  };
  set("cycle", (it) => optional(it, "cycle", made[kind] ?? null));
}

function setJob(wh: Figure | null) {
  set("job", (it) => {
    if (it.cycle?.kind !== "charge") return;
    if (wh === null) optional(it.cycle, "job", null);
    else it.cycle.job = { label: it.cycle.job?.label ?? "miles", wh };
  });
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
</script>

<template>
  <div class="fields">
    <FieldLabel name="is on">
      <ChoiceEntry
        :value="device.cycle?.kind ?? 'continuous'"
        name="is on"
        :choices="[
          ['continuous', 'all the time'],
          ['hours', 'between two hours'],
          ['thermostat', 'on and off by itself'],
          ['charge', 'until it is filled'],
        ]"
        @change="setCycle"
      />
    </FieldLabel>
    <template v-if="device.cycle?.kind === 'hours'">
      <FieldLabel name="from">
        <MomentEntry
          :value="device.cycle.from"
          name="on from"
          @change="(v) => set('from', (it) => it.cycle?.kind === 'hours' && (it.cycle.from = v))"
        />
      </FieldLabel>
      <FieldLabel name="to">
        <MomentEntry
          :value="device.cycle.to"
          name="on to"
          @change="(v) => set('to', (it) => it.cycle?.kind === 'hours' && (it.cycle.to = v))"
        />
      </FieldLabel>
    </template>
    <template v-if="device.cycle?.kind === 'thermostat'">
      <FieldLabel name="on for">
        <FigureEntry
          :figure="device.cycle.on_fraction"
          :at="[device.cycle, 'on_fraction']"
          name="share of the time on"
          target="share"
          unit=""
          :refused="refused('on_fraction')"
          @change="
            (v) =>
              v !== null &&
              set('on_fraction', (it) => it.cycle?.kind === 'thermostat' && (it.cycle.on_fraction = v))
          "
        />
      </FieldLabel>
      <FieldLabel name="once every">
        <FigureEntry
          :figure="device.cycle.period_s"
          :at="[device.cycle, 'period_s']"
          name="period"
          target="seconds"
          unit="s"
          :refused="refused('period_s')"
          @change="
            (v) =>
              v !== null &&
              set('period_s', (it) => it.cycle?.kind === 'thermostat' && (it.cycle.period_s = v))
          "
        />
      </FieldLabel>
    </template>
    <template v-if="device.cycle?.kind === 'charge'">
      <FieldLabel name="one filling takes">
        <FigureEntry
          :figure="device.cycle.wh"
          :at="[device.cycle, 'wh']"
          name="one filling takes"
          target="watt-hours"
          unit="Wh"
          :refused="refused('wh')"
          @change="(v) => v !== null && set('wh', (it) => it.cycle?.kind === 'charge' && (it.cycle.wh = v))"
        />
      </FieldLabel>
      <FieldLabel name="from">
        <MomentEntry
          :value="device.cycle.from"
          name="filled from"
          @change="(v) => set('from', (it) => it.cycle?.kind === 'charge' && (it.cycle.from = v))"
        />
      </FieldLabel>
      <FieldLabel name="every so many days">
        <FigureEntry
          :figure="device.cycle.every_days"
          :at="[device.cycle, 'every_days']"
          name="every so many days"
          target="plain"
          unit=""
          silent="1"
          optional
          nominal
          :refused="refused('every_days')"
          @change="
            (v) =>
              set('every_days', (it) => it.cycle?.kind === 'charge' && optional(it.cycle, 'every_days', v))
          "
        />
      </FieldLabel>
      <FieldLabel name="given less">
        <ChoiceEntry
          :value="device.input.takes ?? ''"
          name="given less"
          :choices="[
            ['', 'it trips what feeds it'],
            ['what_it_gets', 'it fills more slowly'],
          ]"
          @change="(v) => set('takes', (it) => optional(it.input, 'takes', v === '' ? null : 'what_it_gets'))"
        />
      </FieldLabel>
      <FieldLabel name="one use, such as a mile, takes">
        <FigureEntry
          :figure="device.cycle.job?.wh"
          :at="[device.cycle.job, 'wh']"
          name="one use takes"
          target="watt-hours"
          unit="Wh"
          optional
          :refused="refused('job')"
          @change="setJob"
        />
      </FieldLabel>
      <FieldLabel v-if="device.cycle.job" name="uses are called">
        <TextEntry
          :value="device.cycle.job.label"
          name="uses are called"
          required
          @change="
            (v) =>
              set(
                'job.label',
                (it) => it.cycle?.kind === 'charge' && it.cycle.job && (it.cycle.job.label = v),
              )
          "
        />
      </FieldLabel>
    </template>
    <FieldLabel name="survives a gap of">
      <FigureEntry
        :figure="device.ride_through_ms"
        :at="[device, 'ride_through_ms']"
        name="survives a gap of"
        target="milliseconds"
        unit="ms"
        optional
        :refused="refused('ride_through_ms')"
        @change="(v) => set('ride_through_ms', (it) => optional(it, 'ride_through_ms', v))"
      />
    </FieldLabel>
    <FieldLabel name="after a loss">
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
      />
    </FieldLabel>
    <FieldLabel v-if="device.after_loss?.kind === 'restarts'" name="back after">
      <FigureEntry
        :figure="device.after_loss.seconds"
        :at="[device.after_loss, 'seconds']"
        name="back after"
        target="seconds"
        unit="s"
        optional
        @change="
          (v) =>
            set('back', (it) => it.after_loss?.kind === 'restarts' && optional(it.after_loss, 'seconds', v))
        "
      />
    </FieldLabel>
    <FieldLabel name="harm after">
      <FigureEntry
        :figure="device.deadline?.minutes"
        :at="[device.deadline, 'minutes']"
        name="harm after"
        target="minutes"
        unit="min"
        optional
        :refused="refused('deadline')"
        @change="setDeadline"
      />
    </FieldLabel>
    <template v-if="device.deadline">
      <FieldLabel name="the harm">
        <TextEntry
          :value="device.deadline.consequence ?? ''"
          name="the harm"
          @change="(v) => set('consequence', (it) => it.deadline && optional(it.deadline, 'consequence', v))"
        />
      </FieldLabel>
      <FieldLabel name="then">
        <ChoiceEntry
          :value="device.deadline.then ?? ''"
          name="then"
          :choices="[
            ['', 'it may restart'],
            ['inspect-before-restart', 'look before restarting'],
          ]"
          @change="
            (v) =>
              set('then', (it) => it.deadline && optional(it.deadline, 'then', v as 'inspect-before-restart'))
          "
        />
      </FieldLabel>
    </template>
    <FieldLabel class="wide" name="remark">
      <TextEntry
        :value="device.note ?? ''"
        name="remark"
        @change="(v) => set('note', (it) => optional(it, 'note', v))"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 10px 22px;
}
.wide {
  grid-column: 1 / -1;
  max-width: 720px;
}
@media (--narrow) {
  .fields {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
