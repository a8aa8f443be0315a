<script setup lang="ts">
import { computed } from "vue";
import type { Device, Need } from "../../api/client";
import { duration, raw } from "../../format/figure";
import { plain, wattHours } from "../../format/number";
import { clockText } from "../../format/units";
import FillingStrip from "./FillingStrip.vue";
import PhaseStrip from "./PhaseStrip.vue";
import VoltWindow from "./VoltWindow.vue";

/** One device as a row that reads like a sentence. */
const props = defineProps<{ device: Device; need: Need | undefined; place: number; open: boolean }>();
defineEmits<{ toggle: [] }>();

const input = computed(() => props.device.input);
const fed = computed(() => `${raw(input.value.rated_v)} V ${input.value.current.toUpperCase()}`);
const plug = computed(() =>
  [input.value.connector, input.value.polarity, input.value.needs_sine ? "needs a sine" : ""]
    .filter(Boolean)
    .join(", "),
);
const count = computed(() => raw(props.device.quantity) ?? 1);
const rides = computed(() => {
  const gap = raw(props.device.ride_through_ms);
  return gap === undefined ? "not known" : `${gap} ms`;
});
const after = computed(() => {
  const it = props.device.after_loss;
  if (!it) return "not known";
  if (it.kind === "latches") return "latches: a hand";
  if (it.kind === "resumes") return "resumes";
  const seconds = raw(it.seconds);
  return seconds === undefined ? "restarts" : `restarts, ${duration(seconds)}`;
});
const harm = computed(() => {
  const minutes = raw(props.device.deadline?.minutes);
  return minutes === undefined ? "" : `after ${duration(minutes * 60)}`;
});
const cycle = computed(() => {
  const it = props.device.cycle;
  if (!it || it.kind === "continuous") return "";
  if (it.kind === "hours") return `${clockText(it.from)} to ${clockText(it.to)}`;
  if (it.kind === "charge") {
    const days = raw(it.every_days) ?? 1;
    const often = days === 1 ? "a day" : `every ${days} days`;
    return `${plain(raw(it.wh) ?? 0)} Wh ${often}, from ${clockText(it.from)}`;
  }
  return `on ${Math.round((raw(it.on_fraction) ?? 0) * 100)} % of the time`;
});
const wet = computed(
  () => props.device.input.current === "ac" && /aquarium|water|pump|fish|pond/i.test(props.device.role ?? ""),
);
/** What burns fuel and is fed with a little direct current for its fan and its glow plug. */
const burns = computed(
  () => props.device.input.current === "dc" && /heater|stove|boiler/i.test(props.device.role ?? ""),
);
const medical = computed(() => /medical|breathing|oxygen|medicine/i.test(props.device.role ?? ""));
</script>

<template>
  <div class="row" :class="{ open }">
    <span class="place label" aria-hidden="true">{{ place }}</span>
    <button type="button" class="name" :aria-expanded="open" data-test="device" @click="$emit('toggle')">
      <strong
        >{{ device.label }}<template v-if="count > 1">, {{ count }}</template></strong
      >
      <span v-if="need" class="basis label" :class="need.basis">{{ need.basis }}</span>
      <span v-if="cycle" class="faint label cycle">{{ cycle }}</span>
    </button>
    <span class="fed">
      <span>{{ fed }}</span>
      <VoltWindow :rated="raw(input.rated_v) ?? 0" :low="raw(input.min_v)" :high="raw(input.max_v)" />
      <span v-if="plug" class="faint label plug">{{ plug }}</span>
    </span>
    <FillingStrip
      v-if="need && device.cycle?.kind === 'charge'"
      class="phases"
      :watts="need.running_w"
      :hours="need.filling_h ?? 0"
      :from="device.cycle.from"
      :name="device.label"
    />
    <PhaseStrip v-else-if="need" class="phases" :steps="need.strip" :name="device.label" />
    <strong class="day">{{ need ? wattHours(need.day_wh) : "" }}<span class="unit"> Wh</span></strong>
    <span class="cell" data-label="survives">{{ rides }}</span>
    <span class="cell" data-label="after a loss">{{ after }}</span>
    <span v-if="harm" class="harm">
      <strong>{{ harm }}</strong>
      <span class="faint label">
        {{ device.deadline?.consequence
        }}<template v-if="device.deadline?.then">; look before restarting</template>
      </span>
    </span>
    <p v-for="it in need?.fillings ?? []" :key="it.arrangement" class="filled label" data-test="filled">
      {{ it.sentence }}
    </p>
    <p v-if="wet" class="caution">
      Mains near water: a residual-current device before it, which does nothing on a first fault where the
      outlet is bonded to no earth, as many inverters and sets are; the lead hung so that drops do not run
      into the plug.
    </p>
    <p v-if="burns" class="caution">
      It burns fuel: its flue outside and tight, an alarm for carbon monoxide where people sleep, and never
      its feed cut while it is hot.
    </p>
    <p v-if="medical" class="caution">
      A medical device: its maker and the care team decide how it is backed up. These figures are no medical
      assurance.
    </p>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns:
    26px minmax(120px, 1.1fr) 150px minmax(200px, 1.7fr) 82px 86px minmax(90px, 0.8fr)
    minmax(120px, 1fr);
  gap: 4px 14px;
  align-items: start;
  padding: 9px 0 7px;
}
.place {
  font-size: var(--size-head);
  font-weight: 600;
  color: var(--faint);
}
.name {
  display: grid;
  gap: 2px;
  min-height: 44px;
  align-content: start;
}
.name strong {
  font-weight: 600;
  font-size: var(--size-word);
}
.name:hover strong {
  text-decoration: underline dotted;
  text-underline-offset: 4px;
}
.basis {
  color: var(--unproven);
  font-weight: 600;
  font-size: var(--size-small);
}
.measured {
  color: var(--holds);
}
.label.label.label.datasheet,
.datasheet {
  color: var(--primary);
}
.basis.label.label {
  font-size: var(--size-small);
}
.cycle,
.plug {
  font-size: var(--size-small);
}
.fed {
  display: grid;
  gap: 2px;
}
.day {
  text-align: right;
  font-weight: 600;
  font-size: var(--size-word);
  white-space: nowrap;
}
.unit {
  font-weight: 400;
  font-size: var(--size-small);
  color: var(--faint);
}
.harm {
  display: grid;
}
.harm strong {
  color: var(--trips);
  font-weight: 600;
}
.harm .faint {
  font-size: var(--size-small);
}
.filled {
  grid-column: 3 / -1;
}
.caution {
  grid-column: 2 / -1;
  color: var(--tight);
  font-size: var(--size-small);
}
@media (--desk) {
  .harm strong::before {
    content: "harm ";
    font-weight: 400;
    font-family: var(--font-label);
  }
  .row {
    grid-template-columns: 26px 1fr auto;
  }
  .fed,
  .phases,
  .harm,
  .caution {
    grid-column: 2 / -1;
  }
  .fed {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 12px;
  }
  .day {
    grid-column: 3;
    grid-row: 1;
  }
  .cell {
    grid-column: 2 / -1;
  }
  .cell::before {
    content: attr(data-label) " ";
    color: var(--faint);
    font-family: var(--font-label);
  }
}
</style>
