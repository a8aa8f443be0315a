<script setup lang="ts">
import { ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import type { Figure } from "../../api/client";
import { raw } from "../../format/figure";
import { monthsText, readMonths } from "./months";
import { inside, useSiteFacts } from "./useSiteFacts";

/** The place: what it is called, where it is, its mains, its air, its prices and its margins. */
const { facts, set, refused } = useSiteFacts();

const MAINS: [string, string][] = [
  ["230/50", "230 V, 50 Hz"],
  ["240/50", "240 V, 50 Hz"],
  ["120/60", "120 V, 60 Hz"],
  ["127/60", "127 V, 60 Hz"],
  ["220/60", "220 V, 60 Hz"],
  ["100/50", "100 V, 50 Hz"],
  ["100/60", "100 V, 60 Hz"],
];
function mains(): string {
  const it = facts.value?.mains;
  return it ? `${raw(it.voltage_v)}/${raw(it.frequency_hz)}` : "230/50";
}
function mainsChoices(): [string, string][] {
  const now = mains();
  const own = now.split("/");
  return MAINS.some(([key]) => key === now) ? MAINS : [...MAINS, [now, `${own[0]} V, ${own[1]} Hz`]];
}
function setMains(value: string) {
  const [voltage = 230, frequency = 50] = value.split("/").map(Number);
  set("mains", (it) => (it.mains = { voltage_v: voltage, frequency_hz: frequency }));
}
function setPlace(key: "latitude_deg" | "longitude_deg", value: Figure | null) {
  set(key, (it) =>
    inside(it, "place", (place) => {
      if (value === null) Reflect.deleteProperty(place, key);
      else place[key] = value;
    }),
  );
}
const monthsTrouble = ref("");
function setMonths(text: string) {
  const shares = readMonths(text);
  monthsTrouble.value = typeof shares === "string" ? shares : "";
  if (typeof shares === "string") return;
  set("clear_share", (it) =>
    inside(it, "place", (place) => {
      if (shares.length) place.clear_share = shares;
      else Reflect.deleteProperty(place, "clear_share");
    }),
  );
}
function setPrice(value: Figure | null) {
  set("per_kwh", (it) => {
    if (value === null) Reflect.deleteProperty(it, "energy_price");
    else it.energy_price = { currency: it.energy_price?.currency ?? "EUR", per_kwh: value };
  });
}
type Policy = "tight_from" | "fuse_factor" | "alternator_share";
function setPolicy(key: Policy, value: Figure | null) {
  set(key, (it) =>
    inside(it, "policy", (policy) => {
      if (value === null) Reflect.deleteProperty(policy, key);
      else policy[key] = value;
    }),
  );
}
</script>

<template>
  <div v-if="facts" class="fields">
    <FieldLabel name="called">
      <TextEntry
        :value="facts.name"
        name="name of the site"
        required
        @change="(v) => set('name', (it) => (it.name = v))"
      />
    </FieldLabel>
    <FieldLabel name="place">
      <TextEntry
        :value="facts.place?.name ?? ''"
        name="place"
        @change="
          (v) => set('place', (it) => inside(it, 'place', (at) => (v ? (at.name = v) : delete at.name)))
        "
      />
    </FieldLabel>
    <FieldLabel name="latitude">
      <FigureEntry
        :figure="facts.place?.latitude_deg"
        :at="[facts.place, 'latitude_deg']"
        name="latitude"
        target="degrees"
        unit="° N"
        silent="for day and night"
        optional
        :refused="refused('latitude_deg')"
        @change="(v) => setPlace('latitude_deg', v)"
      />
    </FieldLabel>
    <FieldLabel name="longitude">
      <FigureEntry
        :figure="facts.place?.longitude_deg"
        :at="[facts.place, 'longitude_deg']"
        name="longitude"
        target="degrees"
        unit="° E"
        silent="for day and night"
        optional
        :refused="refused('longitude_deg')"
        @change="(v) => setPlace('longitude_deg', v)"
      />
    </FieldLabel>
    <FieldLabel name="light of each month, % of a clear day">
      <TextEntry
        :value="monthsText(facts.place?.clear_share)"
        name="light of the months, % of a clear day, January first"
        @change="setMonths"
      />
      <span v-if="monthsTrouble" data-status="trips" role="alert">{{ monthsTrouble }}</span>
    </FieldLabel>
    <FieldLabel name="mains">
      <ChoiceEntry :value="mains()" name="mains" :choices="mainsChoices()" @change="setMains" />
    </FieldLabel>
    <FieldLabel name="air around leads and stores">
      <FigureEntry
        :figure="facts.ambient_c"
        :at="[facts, 'ambient_c']"
        name="temperature"
        target="celsius"
        unit="°C"
        :silent="20"
        optional
        :refused="refused('ambient_c')"
        @change="(v) => set('ambient_c', (it) => (v === null ? delete it.ambient_c : (it.ambient_c = v)))"
      />
    </FieldLabel>
    <FieldLabel name="coldest ever, for panels">
      <FigureEntry
        :figure="facts.record_low_c"
        :at="[facts, 'record_low_c']"
        name="coldest temperature"
        target="celsius"
        unit="°C"
        :silent="(raw(facts.ambient_c) ?? 20) - 25"
        optional
        :refused="refused('record_low_c')"
        @change="
          (v) => set('record_low_c', (it) => (v === null ? delete it.record_low_c : (it.record_low_c = v)))
        "
      />
    </FieldLabel>
    <FieldLabel name="a kilowatt-hour costs">
      <FigureEntry
        :figure="facts.energy_price?.per_kwh"
        :at="[facts.energy_price, 'per_kwh']"
        name="price of a kilowatt-hour"
        target="plain"
        :unit="facts.energy_price?.currency ?? ''"
        optional
        :refused="refused('per_kwh')"
        @change="setPrice"
      />
    </FieldLabel>
    <FieldLabel v-if="facts.energy_price" name="currency">
      <TextEntry
        :value="facts.energy_price.currency"
        name="currency"
        required
        @change="(v) => set('currency', (it) => it.energy_price && (it.energy_price.currency = v))"
      />
    </FieldLabel>
    <FieldLabel name="tight from this share of a limit">
      <FigureEntry
        :figure="facts.policy?.tight_from"
        :at="[facts.policy, 'tight_from']"
        name="tight from"
        target="share"
        nominal
        unit=""
        silent="80 %"
        optional
        :refused="refused('tight_from')"
        @change="(v) => setPolicy('tight_from', v)"
      />
    </FieldLabel>
    <FieldLabel name="a fuse is at least so many times the current">
      <FigureEntry
        :figure="facts.policy?.fuse_factor"
        :at="[facts.policy, 'fuse_factor']"
        name="fuse factor"
        target="plain"
        unit=""
        silent="1.25"
        optional
        :refused="refused('fuse_factor')"
        @change="(v) => setPolicy('fuse_factor', v)"
      />
    </FieldLabel>
    <FieldLabel name="of an alternator, a load takes at most">
      <FigureEntry
        :figure="facts.policy?.alternator_share"
        :at="[facts.policy, 'alternator_share']"
        name="alternator share"
        target="share"
        nominal
        unit=""
        silent="50 %"
        optional
        :refused="refused('alternator_share')"
        @change="(v) => setPolicy('alternator_share', v)"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 12px 26px;
  align-items: end;
}
@media (--narrow) {
  .fields {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
