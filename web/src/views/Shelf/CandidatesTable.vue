<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { short, span } from "./shelf";
import { inYears } from "../../format/years";
import { type Runs } from "./steps";
import { useNarrow } from "../../composables/useNarrow";

/** Candidates as columns, what is told of them as rows; on a phone the two that are picked. */
const props = defineProps<{
  answer: Schemas["Candidates"];
  runs: Runs[];
  picked: string[];
  currency: string;
}>();
defineEmits<{ pick: [item: string]; take: [it: Runs] }>();
const narrow = useNarrow();
const shown = computed(() =>
  narrow.value ? props.runs.filter((it) => props.picked.includes(it.item)) : props.runs,
);
const money = (value: number | null | undefined) =>
  value == null ? "no price" : `${short(value)} ${props.currency}`.trim();
const or = (value: number | null | undefined, unit: string, else_: string) =>
  value == null ? else_ : `${short(value)} ${unit}`;
/** The store that is worn out first. */
const first = (it: Runs) => [...it.lives].sort((a, b) => a.years - b.years)[0];
const most = computed(() => Math.max(1, ...props.runs.map((it) => it.hours ?? 0)));
interface Row {
  name: string;
  tell: (it: Runs) => string;
  /** Whether it is a part of the row above. */
  part?: boolean;
}
const rows = computed<Row[]>(() => [
  { name: "price of all", tell: (it) => money(it.price) },
  {
    name: "to be bought",
    tell: (it) => (it.buy_price === 0 ? "nothing" : money(it.buy_price)),
    part: true,
  },
  { name: `spent in ${inYears(props.answer.years)}`, tell: (it) => money(it.over_years) },
  { name: "usable at the devices", tell: (it) => or(it.usable_wh, "Wh", "–") },
  { name: "price of a usable kWh", tell: (it) => or(it.price_per_usable_kwh, props.currency, "–") },
  { name: "weight", tell: (it) => or(it.weight_kg, "kg", "not stated") },
  { name: "usable for each kg", tell: (it) => or(it.usable_wh_per_kg, "Wh", "–") },
  { name: "drawn a day", tell: (it) => `${short(it.member.drawn_wh_day)} Wh` },
  {
    name: "store worn out after",
    tell: (it) => {
      const store = first(it);
      return store ? `${inYears(store.years)}, by ${store.ended_by === "use" ? "use" : "the calendar"}` : "–";
    },
  },
  {
    name: "used each time",
    tell: (it) => (first(it) ? `${Math.round((first(it)?.depth ?? 0) * 100)} % of it` : "–"),
    part: true,
  },
]);
</script>

<template>
  <p v-if="narrow && runs.length > 2" class="picks">
    <label v-for="it in runs" :key="it.item"
      ><input type="checkbox" :checked="picked.includes(it.item)" @change="$emit('pick', it.item)" />
      {{ it.label }}</label
    >
  </p>
  <div class="scroll">
    <table>
      <thead>
        <tr>
          <th scope="col" class="label">{{ narrow ? "" : "two to look at" }}</th>
          <th v-for="it in shown" :key="it.item" scope="col" data-test="candidate">
            <span v-if="narrow">{{ it.label }}</span>
            <label v-else
              ><input
                type="checkbox"
                :checked="picked.includes(it.item)"
                :aria-label="`look at ${it.label}`"
                @change="$emit('pick', it.item)"
              />
              {{ it.label }}</label
            >
            <span class="label">{{
              answer.of === "store" ? (it.one_box ? "one box" : "in parts") : ""
            }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row">runs them for</th>
          <td v-for="it in shown" :key="it.item">
            <span v-if="(it.hours ?? 0) < answer.use_h" class="label" data-status="trips"
              >short of {{ span(answer.use_h) }}:
            </span>
            <strong>{{ it.whole ? "the whole time" : span(it.hours ?? 0) }}</strong>
            <span class="staff"
              ><i class="bar" :style="{ width: `${((it.hours ?? 0) / most) * 100}%` }"
            /></span>
          </td>
        </tr>
        <tr v-for="row in rows" :key="row.name">
          <th scope="row" :class="{ part: row.part }">{{ row.name }}</th>
          <td v-for="it in shown" :key="it.item">{{ row.tell(it) }}</td>
        </tr>
        <tr>
          <th scope="row"></th>
          <td v-for="it in shown" :key="it.item">
            <button
              type="button"
              class="door label"
              :aria-label="`make it an arrangement: ${it.label}`"
              data-test="take-candidate"
              @click="$emit('take', it)"
            >
              make it an arrangement
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.picks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.picks label {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 40px;
}
table {
  border-collapse: collapse;
  min-width: min(100%, 560px);
}
th,
td {
  text-align: right;
  padding: 5px 14px 5px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: bottom;
  white-space: nowrap;
}
thead th {
  white-space: normal;
  min-width: 9em;
  max-width: 14em;
}
thead label,
thead span {
  display: block;
}
th:first-child {
  text-align: left;
  font-weight: 400;
  position: sticky;
  left: 0;
  background: var(--page);
}
.part {
  padding-left: 1em;
}
.staff {
  display: block;
  height: 8px;
  position: relative;
}
.bar {
  position: absolute;
  right: 0;
  bottom: 0;
  height: 6px;
  background: var(--primary);
  opacity: 0.6;
}
@media (--phone) {
  th,
  td {
    white-space: normal;
    padding-right: 8px;
  }
  thead th {
    min-width: 6.5em;
  }
  th:first-child {
    min-width: 6em;
    max-width: 6.5em;
  }
}
</style>
