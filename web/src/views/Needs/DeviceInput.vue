<script setup lang="ts">
import type { Device } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { optional, useDeviceFields } from "./useDeviceFields";

/** What a device is, and what it must be fed with. */
const props = defineProps<{ device: Device }>();
const { set, refused } = useDeviceFields(props);
</script>

<template>
  <div class="fields">
    <FieldLabel name="name">
      <TextEntry
        :value="device.label"
        name="name"
        required
        @change="(v) => set('label', (it) => (it.label = v))"
      />
    </FieldLabel>
    <FieldLabel name="what for">
      <TextEntry
        :value="device.role ?? ''"
        name="what for"
        @change="(v) => set('role', (it) => optional(it, 'role', v))"
      />
    </FieldLabel>
    <FieldLabel name="the need it meets">
      <TextEntry
        :value="device.service ?? ''"
        name="the need it meets"
        @change="(v) => set('service', (it) => optional(it, 'service', v))"
      />
    </FieldLabel>
    <FieldLabel name="is there">
      <ChoiceEntry
        :value="device.owned === false ? 'false' : ''"
        name="is there"
        :choices="[
          ['', 'yes'],
          ['false', 'would be bought'],
        ]"
        @change="(v) => set('owned', (it) => optional(it, 'owned', v === '' ? null : false))"
      />
    </FieldLabel>
    <FieldLabel name="costs">
      <FigureEntry
        :figure="device.price"
        :at="[device, 'price']"
        name="costs"
        target="plain"
        unit=""
        optional
        nominal
        :refused="refused('price')"
        @change="(v) => set('price', (it) => optional(it, 'price', v))"
      />
    </FieldLabel>
    <FieldLabel name="how many">
      <FigureEntry
        :figure="device.quantity ?? 1"
        :at="[device, 'quantity']"
        name="how many"
        target="plain"
        unit=""
        :refused="refused('quantity')"
        @change="(v) => set('quantity', (it) => optional(it, 'quantity', v))"
      />
    </FieldLabel>
    <FieldLabel name="fed with">
      <ChoiceEntry
        :value="device.input.current"
        name="fed with"
        :choices="[
          ['dc', 'DC'],
          ['ac', 'AC'],
        ]"
        @change="(v) => set('current', (it) => (it.input.current = v as 'ac' | 'dc'))"
      />
    </FieldLabel>
    <FieldLabel name="rated">
      <FigureEntry
        :figure="device.input.rated_v"
        :at="[device.input, 'rated_v']"
        name="rated volts"
        target="volts"
        unit="V"
        :refused="refused('rated_v')"
        @change="(v) => v !== null && set('rated_v', (it) => (it.input.rated_v = v))"
      />
    </FieldLabel>
    <FieldLabel name="resets below">
      <FigureEntry
        :figure="device.input.min_v"
        :at="[device.input, 'min_v']"
        name="resets below, volts"
        target="volts"
        unit="V"
        optional
        :refused="refused('min_v')"
        @change="(v) => set('min_v', (it) => optional(it.input, 'min_v', v))"
      />
    </FieldLabel>
    <FieldLabel name="bears at most">
      <FigureEntry
        :figure="device.input.max_v"
        :at="[device.input, 'max_v']"
        name="bears at most, volts"
        target="volts"
        unit="V"
        optional
        :refused="refused('max_v')"
        @change="(v) => set('max_v', (it) => optional(it.input, 'max_v', v))"
      />
    </FieldLabel>
    <FieldLabel name="plug">
      <TextEntry
        :value="device.input.connector ?? ''"
        name="plug"
        @change="(v) => set('connector', (it) => optional(it.input, 'connector', v))"
      />
    </FieldLabel>
    <FieldLabel v-if="device.input.current === 'dc'" name="polarity">
      <TextEntry
        :value="device.input.polarity ?? ''"
        name="polarity"
        @change="(v) => set('polarity', (it) => optional(it.input, 'polarity', v))"
      />
    </FieldLabel>
    <FieldLabel v-if="device.input.current === 'ac'" name="power factor">
      <FigureEntry
        :figure="device.input.power_factor"
        :at="[device.input, 'power_factor']"
        name="power factor"
        target="plain"
        unit=""
        optional
        :refused="refused('power_factor')"
        @change="(v) => set('power_factor', (it) => optional(it.input, 'power_factor', v))"
      />
    </FieldLabel>
    <FieldLabel v-if="device.input.current === 'ac'" name="wave">
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
      />
    </FieldLabel>
    <FieldLabel v-if="device.input.current === 'ac'" name="watts on a stepped wave, over a sine">
      <FigureEntry
        :figure="device.input.stepped_watts_factor"
        :at="[device.input, 'stepped_watts_factor']"
        name="watts on a stepped wave over a sine"
        target="plain"
        unit=""
        silent="1"
        optional
        :refused="refused('stepped_watts_factor')"
        @change="(v) => set('stepped_watts_factor', (it) => optional(it.input, 'stepped_watts_factor', v))"
      />
    </FieldLabel>
    <FieldLabel v-if="device.input.current === 'ac'" name="earth pin">
      <ChoiceEntry
        :value="String(device.input.earthed ?? '')"
        name="earth pin"
        :choices="[
          ['', 'not known'],
          ['true', 'has one'],
          ['false', 'has none'],
        ]"
        @change="(v) => set('earthed', (it) => optional(it.input, 'earthed', v === '' ? null : v === 'true'))"
      />
    </FieldLabel>
    <FieldLabel name="at another voltage">
      <ChoiceEntry
        :value="device.draw ?? 'power'"
        name="at another voltage it draws"
        :choices="[
          ['power', 'the same watts'],
          ['current', 'the same amperes'],
          ['resistance', 'as an element: more'],
        ]"
        @change="(v) => set('draw', (it) => (it.draw = v as 'power'))"
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
