<script setup lang="ts">
import { computed, ref } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import InlineNumber from "../../components/InlineNumber.vue";
import AnswerState from "../../components/AnswerState.vue";
import { useAsked } from "../../composables/useAsked";
import { fixed, hours, watts, wattHours } from "../../format/number";
import { saveCsv } from "../../format/save";
import { inYears } from "../../format/years";
import CrossingPlot from "./CrossingPlot.vue";
import DecidesList from "./DecidesList.vue";
import { useWays } from "./useWays";

/** The chosen ways as one table: each row a question, each difference with its size; what is equal is faint. */
const props = defineProps<{ soc: Record<string, number> }>();
defineEmits<{ close: [] }>();
type Compared = Schemas["Compared"];
const { chosen } = useWays();
/** How often the day or the outage that is compared comes in a week. */
const uses = ref(1);
const LETTERS = ["A", "B", "C", "D"];
const { answer, trouble, again, follow } = useAsked<Schemas["Comparison"] | undefined>(
  async (site, changes) => {
    if (chosen.value.length < 2) return undefined;
    const body = { arrangements: chosen.value, soc: props.soc, uses_a_week: uses.value, changes };
    return taken(await api.POST("/sites/{site}/compare", { params: { path: { site } }, body }));
  },
  () => `${chosen.value.join()} ${JSON.stringify(props.soc)} ${uses.value}`,
);
follow();

type Row = {
  name: string;
  value: (it: Compared) => number | null | undefined;
  shown: (value: number) => string;
  less: boolean;
};
const plain = (value: number) => fixed(value, 0);
const ROWS: Row[] = [
  {
    name: "drawn in a day",
    value: (it) => it.usage.drawn_wh,
    shown: (v) => `${wattHours(v)} Wh`,
    less: true,
  },
  {
    name: "only for being on",
    value: (it) => it.usage.idle_wh,
    shown: (v) => `${wattHours(v)} Wh`,
    less: true,
  },
  {
    name: "lost in leads",
    value: (it) => it.usage.cables_wh,
    shown: (v) => `${wattHours(v)} Wh`,
    less: true,
  },
  { name: "on average", value: (it) => it.average_w, shown: (v) => `${watts(v)} W`, less: true },
  { name: "efficiency", value: (it) => it.efficiency, shown: (v) => `${fixed(v * 100, 0)} %`, less: false },
  { name: "to the first floor", value: (it) => it.to_floor_h, shown: (v) => `${hours(v)} h`, less: false },
  {
    name: "until something quits",
    value: (it) => it.to_cut_off_h,
    shown: (v) => `${hours(v)} h`,
    less: false,
  },
  { name: "what trips", value: (it) => it.trips, shown: plain, less: true },
  { name: "conversions", value: (it) => it.parts.converters, shown: plain, less: true },
  { name: "leads", value: (it) => it.parts.leads, shown: plain, less: true },
  { name: "fuses", value: (it) => it.parts.fuses, shown: plain, less: true },
  { name: "boxes cost", value: (it) => it.parts.price, shown: plain, less: true },
  { name: "boxes weigh", value: (it) => it.parts.weight_kg, shown: (v) => `${fixed(v, 1)} kg`, less: true },
  { name: "everything in it costs", value: (it) => it.parts.all_price, shown: plain, less: true },
  { name: "of that to be bought", value: (it) => it.parts.buy_price, shown: plain, less: true },
  {
    name: "everything in it weighs",
    value: (it) => it.parts.all_weight_kg,
    shown: (v) => `${fixed(v, 1)} kg`,
    less: true,
  },
  {
    name: "sources cost for a usable kWh",
    value: (it) => it.price_per_usable_kwh,
    shown: plain,
    less: true,
  },
  {
    name: "usable for a kg of sources",
    value: (it) => it.usable_wh_per_kg,
    shown: (v) => `${wattHours(v)} Wh`,
    less: false,
  },
  {
    name: "its first battery is worn out after",
    value: (it) => soonest(it)?.years,
    shown: inYears,
    less: false,
  },
];
/** The battery that is worn out first. */
function soonest(it: Compared) {
  return Object.values(it.lives ?? {}).sort((one, other) => one.years - other.years)[0];
}
const rows = computed(() => {
  const found = answer.value?.ways ?? [];
  return ROWS.map((row) => {
    const values = found.map((it) => row.value(it) ?? undefined);
    const known = values.filter((it) => it !== undefined);
    const best = row.less ? Math.min(...known) : Math.max(...known);
    const cells = values.map((value) => {
      if (value === undefined) return { text: "not known", more: "", best: false };
      const text = row.shown(value);
      const gap =
        text === row.shown(best) ? "" : `${value > best ? "+" : "−"}${row.shown(Math.abs(value - best))}`;
      return { text, more: gap, best: gap === "" };
    });
    return { name: row.name, cells, equal: cells.every((it) => it.text === cells[0]?.text) };
  });
});
/** Ways that meet the same needs by other devices are not set against each other by watts of one of them. */
const sameDevices = computed(() => {
  const lists = (answer.value?.ways ?? []).map((it) => Object.keys(it.usage.devices).sort().join());
  return lists.every((it) => it === lists[0]);
});
/** The table as it stands, every number with all of its digits. */
function table() {
  const found = answer.value?.ways ?? [];
  const head = ["question", ...found.map((it) => it.label)];
  saveCsv("compare", [head, ...ROWS.map((row) => [row.name, ...found.map((it) => row.value(it))])]);
}
</script>

<template>
  <section class="compare" aria-label="Compared" data-test="compare">
    <p class="top">
      <strong>Side by side{{ answer ? `, over ${answer.span}` : "" }}</strong>
      <span class="label doors">
        <button v-if="answer" type="button" class="door" data-test="compare-csv" @click="table">CSV</button>
        <button type="button" class="door" @click="$emit('close')">close</button>
      </span>
    </p>
    <p v-if="chosen.length < 2" class="faint">Choose a second arrangement above; two to four are compared.</p>
    <AnswerState v-else :ready="answer !== undefined" :trouble="trouble" @again="again" />
    <template v-if="chosen.length > 1 && answer">
      <div class="beside">
        <table>
          <thead>
            <tr class="label">
              <th scope="col"><span class="hidden">question</span></th>
              <th v-for="(it, index) in answer.ways" :key="it.id" scope="col">
                <span class="letter">{{ LETTERS[index] }}</span> {{ it.label }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.name" :class="{ equal: row.equal }" data-test="compared">
              <th scope="row">{{ row.name }}</th>
              <td v-for="(cell, index) in row.cells" :key="index" :class="{ best: cell.best && !row.equal }">
                {{ cell.text }} <span v-if="cell.more" class="more label">{{ cell.more }}</span>
              </td>
            </tr>
          </tbody>
        </table>
        <CrossingPlot v-if="chosen.length === 2 && sameDevices" :ways="[chosen[0]!, chosen[1]!]" :soc="soc" />
      </div>
      <p class="uses" data-test="wear">
        Used so <InlineNumber :value="uses" name="times a week" unit="" @change="(it) => (uses = it)" /> times
        a week{{ answer.ways.some(soonest) ? ":" : "." }}
      </p>
      <ul v-if="answer.ways.some(soonest)" class="label">
        <li v-for="it in answer.ways.filter(soonest)" :key="it.id">
          <span class="letter">{{ LETTERS[answer.ways.indexOf(it)] }}</span>
          {{ soonest(it)?.sentence }}
        </li>
      </ul>
      <p v-for="it in answer.changes" :key="it.from + it.to" data-test="change-of-way">{{ it.sentence }}</p>
      <DecidesList v-if="sameDevices" :ways="chosen" :soc="soc" />
      <ul class="label">
        <li v-for="it in answer.best" :key="it.aspect">{{ it.sentence }}</li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.compare {
  border-top: 2px solid var(--line);
  padding: 6px 0;
}
.top {
  display: flex;
  justify-content: space-between;
}
.doors {
  display: flex;
  gap: 18px;
}
.beside {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 40px;
  align-items: flex-start;
}
.beside > :last-child:not(:first-child) {
  flex: 1 1 420px;
}
table {
  border-collapse: collapse;
  min-width: min(100%, 560px);
}
th {
  text-align: left;
  font-weight: 400;
  padding: 3px 22px 3px 0;
}
td {
  text-align: right;
  padding: 3px 22px 3px 0;
  border-top: 1px solid var(--line);
}
tbody th {
  border-top: 1px solid var(--line);
}
thead th {
  text-align: right;
  font-size: var(--size-word);
  font-weight: 600;
}
.letter {
  color: var(--primary);
  font-weight: 300;
}
.uses {
  margin: 8px 0 0;
}
.best {
  font-weight: 600;
}
.more {
  color: var(--loss);
  font-size: var(--size-note);
}
.equal {
  color: var(--faint);
}
.hidden {
  position: absolute;
  clip-path: inset(50%);
}
ul {
  margin: 8px 0;
  padding-left: 18px;
}
@media (--narrow) {
  .compare {
    overflow-x: auto;
  }
  th,
  td {
    padding-right: 10px;
  }
}
</style>
