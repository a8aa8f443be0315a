<script setup lang="ts">
import { computed, ref } from "vue";
import type { Source, SourceFacts } from "../../api/client";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { isLead } from "../../format/chemistry";
import { idFrom } from "../../format/figure";
import CapacityEntry from "./CapacityEntry.vue";
import FillingPlace from "./FillingPlace.vue";
import InputRow from "./InputRow.vue";
import PortRow from "./PortRow.vue";
import SourceEditor from "./SourceEditor.vue";
import StoreBar from "./StoreBar.vue";
import { useSupply } from "./useSupply";

/** A source: what its store really gives, its outlets, and how it is charged. */
const props = defineProps<{ source: Source; facts: SourceFacts }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();
const { remove } = useKit();
const KINDS: Record<string, string> = {
  battery: "battery",
  power_station: "power station",
  backup_unit: "backup unit",
  vehicle: "vehicle",
  generator: "generator",
  mains: "mains",
  panel: "panel",
};
function addOutlet() {
  changeSource(props.source.id, "ports", (it) => {
    const id = idFrom(
      "outlet",
      it.ports.map((port) => port.id),
    );
    it.ports = [
      ...it.ports,
      { id, label: `outlet ${it.ports.length + 1}`, current: "dc", voltage: { regulated_v: 12 } },
    ];
  });
}
const open = ref(false);
type Battery = NonNullable<Source["battery"]>;
const battery = computed(() => props.source.battery);
const set = (name: string, how: (battery: Battery) => void) =>
  changeSource(props.source.id, `battery.${name}`, (it) => it.battery && how(it.battery));
const refused = (name: string) => refusedAt(`${props.source.id}.battery.${name}`);
/** What is kept where the plan says nothing: the chemistry's habit, told by the sum. */
const habit = computed(() => {
  const floor = props.facts.stored?.steps.find((it) => it.name === "floor")?.words.split(" is kept")[0];
  return floor ? `${floor}, by habit` : "";
});
const cautions = computed(() => {
  const kind = props.source.kind;
  const lead = isLead(battery.value?.chemistry);
  const words = [];
  if (kind === "battery" || kind === "vehicle")
    words.push("A fuse at the positive terminal, sized for the lead; insulated tools.");
  if (lead) words.push("Lead-acid gives off gas while it charges: ventilate.");
  else if (battery.value)
    words.push(
      "A lithium pack that is swollen, hot, hissing, was dropped or wet is neither charged nor used:",
      "outside, away from what burns, and its maker is asked.",
    );
  if (kind === "generator" || kind === "vehicle")
    words.push(
      "An engine runs outside only, its exhaust led away, with a carbon-monoxide alarm indoors.",
      "Fuel stands outside and away from flames; fill up with the engine off and cold.",
    );
  if (kind === "mains" || kind === "generator")
    words.push("Never feed a house through a socket: a transfer switch, fitted by a licensed electrician.");
  return words.join(" ");
});
/** The test that the store's size was measured by. */
const sizeTest = computed(() => {
  const battery = props.source.battery;
  const size = battery?.energy_wh ?? battery?.capacity_ah;
  return typeof size === "object" && size !== null ? size.test : undefined;
});
</script>

<template>
  <section :id="`source-${source.id}`" class="source" data-test="source">
    <header>
      <h2>
        <button
          type="button"
          class="toggle"
          :aria-expanded="open"
          :aria-label="`${source.label}, ${open ? 'close' : 'open'} it`"
          @click="open = !open"
        >
          {{ source.label }}
        </button>
      </h2>
      <span class="faint label">{{ KINDS[source.kind] }}</span>
      <StoreBar v-if="facts.stored" :stored="facts.stored" :test="sizeTest" />
      <div v-if="battery" class="fields">
        <FieldLabel class="size" name="capacity: Ah, Wh or mAh">
          <CapacityEntry
            :source="source"
            :refused="refused('size')"
            @change="(key, v) => set('size', (it) => (it[key] = v))"
          />
        </FieldLabel>
        <FieldLabel name="kept to spare it">
          <FigureEntry
            :figure="battery.floor_soc"
            :at="[battery, 'floor_soc']"
            :silent="habit"
            :name="`${source.label}, floor`"
            target="share"
            unit=""
            nominal
            optional
            :refused="refused('floor_soc')"
            @change="(v) => set('floor_soc', (it) => (v === null ? delete it.floor_soc : (it.floor_soc = v)))"
          />
        </FieldLabel>
      </div>
      <SourceEditor v-if="open" :source="source" />
      <InputRow v-for="input in facts.inputs" :key="input.input" :source="source" :facts="input" />
      <p v-if="cautions" class="caution label">{{ cautions }}</p>
    </header>
    <div class="ports">
      <PortRow v-for="port in facts.ports" :key="port.port" :source="source" :facts="port" />
      <p class="actions label">
        <button type="button" class="add" :aria-label="`add an outlet to ${source.label}`" @click="addOutlet">
          add an outlet
        </button>
        <button type="button" @click="remove('source', source.id)">remove {{ source.label }}</button>
      </p>
    </div>
    <FillingPlace :source="source" />
  </section>
</template>

<style scoped>
.source {
  display: grid;
  grid-template-columns: minmax(280px, 0.7fr) minmax(0, 1.3fr);
  gap: 6px 34px;
  padding: 14px 0 12px;
  border-bottom: 1px solid var(--line);
}
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
.toggle {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 20px;
  padding-top: 8px;
  max-width: 360px;
}
.size {
  grid-column: span 1;
}
.caution {
  padding-top: 6px;
  color: var(--tight);
  font-size: var(--size-note);
  max-width: 46ch;
}
.ports > :first-child {
  border-top: 0;
}
.actions {
  display: flex;
  gap: 24px;
}
.actions .add {
  color: var(--primary);
}
.actions button {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
@media (--desk) {
  .source {
    grid-template-columns: 1fr;
  }
}
</style>
