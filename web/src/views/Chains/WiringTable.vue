<script setup lang="ts">
import { ref } from "vue";
import type { Arrangement, Feed, Figure } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { raw } from "../../format/figure";
import { areaOfGauge, gaugeWithin } from "../../format/units";
import WiringMore from "./WiringMore.vue";
import { useWays } from "./useWays";

/** Every lead of an arrangement: its length, its area or gauge, its metal, its contacts, its fuse. */
const props = defineProps<{ way: Arrangement; contacts?: Record<string, Figure> }>();
defineEmits<{ change: [to: string] }>();
/** The lead of which everything is shown. */
const opened = ref("");
const { plan } = useSite();
const { changeFeed } = useWays();
const { refusedAt } = useEdits();
function label(id: string): string {
  const [item = id, input] = id.split("/");
  const kit = plan.value?.kit;
  const all = kit ? [...kit.devices, ...kit.converters, ...kit.sources] : [];
  return `${all.find((it) => it.id === item)?.label ?? item}${input ? `, ${input}` : ""}`;
}
type Cable = NonNullable<Feed["cable"]>;
/** A lead where there was none: what nobody typed is assumed, as in every lead that is offered. */
function begun(to: string): Cable {
  // A bare number is assumed; a lead that can be bent is of class 5.
  const cable: Cable = { length_m: 1, area_mm2: 1.5, strand: "class5" };
  const contacts = props.contacts?.[to];
  return contacts ? { ...cable, contact_ohm: contacts } : cable;
}
function setCable(feed: Feed, name: string, how: (cable: Cable) => void) {
  changeFeed(props.way.id, feed.to, name, (it) => {
    const cable: Cable = it.cable ?? begun(feed.to);
    how(cable);
    it.cable = cable;
  });
}
function setSize(feed: Feed, key: "area_mm2" | "awg", value: Figure | null) {
  if (value === null) return;
  setCable(feed, "size", (it) => {
    Reflect.deleteProperty(it, key === "awg" ? "area_mm2" : "awg");
    Reflect.deleteProperty(it, "pairs");
    it[key] = value;
  });
}
function setUnit(feed: Feed, unit: string) {
  setCable(feed, "size", (it) => {
    // The lead stays what it is; a gauge that stands for an area is never thicker than it.
    const area = raw(it.area_mm2);
    const gauge = raw(it.awg);
    if (unit === "awg") {
      Reflect.deleteProperty(it, "area_mm2");
      it.awg = gauge ?? gaugeWithin(area ?? 2.1);
    } else {
      Reflect.deleteProperty(it, "awg");
      it.area_mm2 = area ?? Math.floor(areaOfGauge(gauge ?? 13) * 100) / 100;
    }
  });
}
function setFuse(feed: Feed, value: Figure | null) {
  changeFeed(props.way.id, feed.to, "fuse", (it) => {
    if (value === null) Reflect.deleteProperty(it, "fuse");
    else it.fuse = { ...(it.fuse ?? {}), rating_a: value };
  });
}
const isGauge = (feed: Feed) => feed.cable?.awg != null;
const refused = (feed: Feed, name: string) => refusedAt(`${props.way.id}.${feed.to}.${name}`);
</script>

<template>
  <div class="wiring">
    <p v-if="way.feeds.length === 0" class="faint">
      Nothing is connected yet. Pick a device at the left; what can feed it is told with its lead and its
      fuse.
    </p>
    <div v-else class="feed head label faint" aria-hidden="true">
      <span>lead</span><span>length</span><span>size</span><span /><span>metal</span><span>contacts</span
      ><span>fuse</span><span /><span />
    </div>
    <div v-for="feed in way.feeds" :key="feed.to" class="feed" data-test="feed">
      <span class="path"
        ><span class="faint label">{{ label(feed.from.item) }} →</span>
        <strong>{{ label(feed.to) }}</strong></span
      >
      <FigureEntry
        :figure="feed.cable?.length_m"
        :at="[feed.cable, 'length_m']"
        :name="`length of the lead to ${label(feed.to)}`"
        target="metres"
        unit="m"
        silent="no lead"
        :refused="refused(feed, 'length')"
        @change="(v) => v !== null && setCable(feed, 'length', (it) => (it.length_m = v))"
      />
      <FigureEntry
        :figure="isGauge(feed) ? feed.cable?.awg : feed.cable?.area_mm2"
        :at="[feed.cable, isGauge(feed) ? 'awg' : 'area_mm2']"
        :name="`size of the lead to ${label(feed.to)}`"
        target="area"
        :gauge="isGauge(feed)"
        unit="mm²"
        bare
        silent="–"
        :refused="refused(feed, 'size')"
        @change="(v, gauge) => setSize(feed, gauge ? 'awg' : 'area_mm2', v)"
      />
      <ChoiceEntry
        :value="isGauge(feed) ? 'awg' : 'mm2'"
        :name="`unit of the lead to ${label(feed.to)}`"
        :choices="[
          ['mm2', 'mm²'],
          ['awg', 'AWG'],
        ]"
        @change="(v) => setUnit(feed, v)"
      />
      <ChoiceEntry
        :value="feed.cable?.material ?? 'copper'"
        :name="`metal of the lead to ${label(feed.to)}`"
        :choices="[
          ['copper', 'copper'],
          ['aluminium', 'aluminium'],
          ['copper-clad', 'copper-clad'],
        ]"
        @change="(v) => setCable(feed, 'material', (it) => (it.material = v as 'copper'))"
      />
      <FigureEntry
        :figure="feed.cable?.contact_ohm"
        :at="[feed.cable, 'contact_ohm']"
        :name="`contacts of the lead to ${label(feed.to)}`"
        target="ohms"
        unit="Ω"
        silent="contacts"
        optional
        :refused="refused(feed, 'contact')"
        @change="
          (v) =>
            setCable(feed, 'contact', (it) => (v === null ? delete it.contact_ohm : (it.contact_ohm = v)))
        "
      />
      <FigureEntry
        :figure="feed.fuse?.rating_a"
        :at="[feed.fuse, 'rating_a']"
        :name="`fuse of the lead to ${label(feed.to)}`"
        target="amps"
        unit="A"
        nominal
        silent="no fuse"
        optional
        :refused="refused(feed, 'fuse')"
        @change="(v) => setFuse(feed, v)"
      />
      <button
        type="button"
        class="label"
        :aria-label="`change the stage at ${label(feed.to)}: put one in, replace it, take it out`"
        data-test="change-stage"
        @click="$emit('change', feed.to)"
      >
        change
      </button>
      <button
        type="button"
        class="label"
        :aria-expanded="opened === feed.to"
        :aria-label="`${opened === feed.to ? 'less' : 'more'} of the lead to ${label(feed.to)}: wires, bundle, fuses`"
        data-test="lead-more"
        @click="opened = opened === feed.to ? '' : feed.to"
      >
        {{ opened === feed.to ? "less" : "more" }}
      </button>
      <WiringMore
        v-if="opened === feed.to"
        class="more"
        :feed="feed"
        :name="label(feed.to)"
        :refused="(field) => refused(feed, field)"
        @change="(field, how) => changeFeed(way.id, feed.to, field, how)"
      />
    </div>
  </div>
</template>

<style scoped>
.feed {
  display: grid;
  grid-template-columns:
    minmax(170px, 1.6fr) minmax(64px, 0.7fr) minmax(56px, 0.6fr) 62px 92px minmax(76px, 0.8fr)
    minmax(70px, 0.7fr) auto auto;
  gap: 2px 14px;
  align-items: baseline;
  padding: 3px 0;
  border-top: 1px solid var(--line);
}
.head {
  border-top: 0;
  font-size: var(--size-note);
}
.more {
  grid-column: 1 / -1;
}
.path {
  display: grid;
}
strong {
  font-weight: 600;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
  white-space: nowrap;
}
@media (--desk) {
  .feed {
    grid-template-columns: 1fr 1fr;
    padding: 8px 0;
  }
  .head {
    display: none;
  }
  .path {
    grid-column: 1 / -1;
  }
}
</style>
