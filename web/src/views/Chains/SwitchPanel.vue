<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from "vue";
import type { Figure, Way } from "../../api/client";
import BeingOn from "../../components/BeingOn.vue";
import ChainNight from "../../components/ChainNight.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import MomentEntry from "../../components/MomentEntry.vue";
import { placeOf, type Switch } from "../../composables/switching";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { useWays } from "./useWays";

/** What is on only while it is needed: what everything costs for being on, and when it is switched. */
const props = defineProps<{ ways: Way[]; soc: Record<string, number> }>();
defineEmits<{ close: [] }>();
const { plan } = useSite();
const { find } = useWays();
const { edit, refusedAt } = useEdits();
const panel = ref<HTMLElement>();
const LETTERS = ["A", "B", "C", "D"];

const named = (place: string) => {
  const [item = "", port] = place.split("/");
  const kit = plan.value?.kit;
  const source = kit?.sources.find((it) => it.id === item);
  const label = source?.label ?? kit?.converters.find((it) => it.id === item)?.label ?? item;
  return port === undefined
    ? label
    : `${label}, ${source?.ports.find((it) => it.id === port)?.label ?? port}`;
};
const groups = computed(() =>
  props.ways.map((way, index) => ({
    id: way.id,
    label: way.label,
    letter: LETTERS[index] ?? "",
    list: way.being_on.map((on) => ({
      on,
      rows: (find(way.id)?.switching ?? [])
        .map((row, place) => ({ row, place }))
        .filter((it) => placeOf(it.row) === on.place),
    })),
    fillings: way.fillings,
  })),
);
function change(way: string, place: number, name: string, how: (row: Switch) => void) {
  edit({ kind: "arrangement", id: way }, `${way}.switching.${place}.${name}`, (body) => {
    const row = (body as { switching?: Switch[] }).switching?.[place];
    if (row) how(row);
  });
}
/** More hours for what has some already. */
function more(way: string, row: Switch) {
  edit({ kind: "arrangement", id: way }, `${way}.switching`, (body) => {
    const added = { ...row, from: row.to ?? "12:00", to: row.from ?? "13:00" };
    (body as { switching?: Switch[] }).switching?.push(added);
  });
}
function less(way: string, place: number) {
  edit({ kind: "arrangement", id: way }, `${way}.switching`, (body) => {
    (body as { switching?: Switch[] }).switching?.splice(place, 1);
  });
}
function setStandby(way: string, place: number, value: Figure | null) {
  change(way, place, "standby_w", (it) => {
    if (value === null) Reflect.deleteProperty(it, "standby_w");
    else it.standby_w = value;
  });
}
function setHand(way: string, place: number, value: string) {
  change(way, place, "by_hand", (it) => {
    if (value === "hand") it.by_hand = true;
    else Reflect.deleteProperty(it, "by_hand");
  });
}
// The first thing that is worth it is at hand at once.
onMounted(async () => {
  await nextTick();
  panel.value?.querySelector<HTMLElement>("[data-test=switch-with_load]")?.focus();
});
</script>

<template>
  <section ref="panel" class="switches" aria-label="What is switched" data-test="switches">
    <p class="top">
      <strong>On only while it is needed</strong>
      <button type="button" class="label" @click="$emit('close')">close</button>
    </p>
    <div v-for="group in groups" :key="group.id">
      <h3>
        <span class="letter">{{ group.letter }}</span> {{ group.label }}
      </h3>
      <ChainNight :list="group.list.map((it) => it.on)" :name="group.label" :soc="soc" :named="named" />
      <p v-if="group.list.length === 0" class="faint">Nothing here draws anything only for being on.</p>
      <ul>
        <li v-for="{ on, rows } in group.list" :key="on.place" :data-place="on.place">
          <h4>{{ named(on.place) }}</h4>
          <div>
            <BeingOn :on="on" :name="named(on.place)" :soc="soc" />
            <p v-for="{ row, place } in rows" :key="place" class="row label" data-test="switch-row">
              <template v-if="row.when === 'hours'">
                on from
                <MomentEntry
                  :value="row.from ?? ''"
                  :name="`${named(on.place)}, on from`"
                  @change="(v) => change(group.id, place, 'from', (it) => (it.from = v))"
                />
                to
                <MomentEntry
                  :value="row.to ?? ''"
                  :name="`${named(on.place)}, on to`"
                  :refused="refusedAt(`${group.id}.switching.${place}.to`)"
                  @change="(v) => change(group.id, place, 'to', (it) => (it.to = v))"
                />
              </template>
              <span v-else>with its load</span>
              <span class="field">
                standing by at
                <FigureEntry
                  :figure="row.standby_w"
                  :at="[row, 'standby_w']"
                  :name="`${named(on.place)}, standing by at`"
                  target="watts"
                  unit="W"
                  silent="nothing"
                  optional
                  :refused="refusedAt(`${group.id}.switching.${place}.standby_w`)"
                  @change="(v) => setStandby(group.id, place, v)"
                />
              </span>
              <span class="who">
                <ChoiceEntry
                  :value="row.by_hand ? 'hand' : 'self'"
                  :name="`${named(on.place)}, who switches it`"
                  :choices="[
                    ['self', 'by itself'],
                    ['hand', 'by hand'],
                  ]"
                  @change="(v) => setHand(group.id, place, v)"
                />
              </span>
              <template v-if="row.when === 'hours'">
                <button type="button" @click="more(group.id, row)">and other hours</button>
                <button v-if="rows.length > 1" type="button" @click="less(group.id, place)">not these</button>
              </template>
            </p>
          </div>
        </li>
      </ul>
      <p v-for="it in group.fillings" :key="it.device" data-test="filling">{{ it.sentence }}</p>
    </div>
  </section>
</template>

<style scoped>
.switches {
  border-top: 2px solid var(--line);
  padding: 8px 0;
}
.top {
  display: flex;
  justify-content: space-between;
  margin: 0;
}
h3 {
  margin: 8px 0 2px;
  font-size: var(--size-word);
  font-weight: 600;
}
h4 {
  margin: 0;
  font-size: var(--size-text);
  font-weight: 600;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 230px minmax(0, 1fr);
  gap: 0 24px;
  padding: 5px 0;
  border-bottom: 1px solid var(--line);
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  margin: 2px 0 0;
}
.field {
  display: inline-flex;
  align-items: baseline;
  gap: 6px;
}
.who {
  width: 120px;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
@media (--narrow) {
  li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
