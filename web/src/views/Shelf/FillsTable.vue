<script setup lang="ts">
import { computed, ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import PaperTable from "../../components/PaperTable.vue";
import { useSite } from "../../composables/useSite";
import { watts as inWatts } from "../../format/number";
import { useNarrow } from "../../composables/useNarrow";
import { found, span, type FillCell, type Fills } from "./shelf";

/** Sources and converters down, charging inputs across. */
const props = defineProps<{ fills: Fills; typed: string; worst: boolean }>();
const { plan } = useSite();
function inputLabel(name: string) {
  const [item = "", input = ""] = name.split("/");
  const source = plan.value?.kit.sources.find((it) => it.id === item);
  return { source: source?.label ?? item, input };
}
/** What fills anything at all, the most watts first; what fills nothing is counted below. */
const rows = computed(() => {
  const most = (row: number) => Math.max(0, ...(props.fills.cells[row] ?? []).map((it) => it?.watts ?? 0));
  const all = props.fills.froms
    .map((_, row) => row)
    .filter((row) => found(props.typed, props.fills.froms[row]?.label ?? ""));
  const some = props.worst ? all : all.filter((row) => (props.fills.cells[row] ?? []).some((it) => fits(it)));
  // What empties another store stands behind what does not.
  const empties = (row: number) => {
    const from = plan.value?.kit.sources.find((it) => it.id === props.fills.froms[row]?.item);
    return from?.battery && !from.alternator ? 1 : 0;
  };
  return some.sort(
    (a, b) => empties(a) - empties(b) || (props.worst ? most(a) - most(b) : most(b) - most(a)) || a - b,
  );
});
// On a phone one input at a time.
const narrow = useNarrow();
const picked = ref("");
const shown = computed(() => {
  const all = props.fills.inputs.map((_, column) => column);
  if (!narrow.value) return all;
  const one = Math.max(0, props.fills.inputs.indexOf(picked.value));
  return all.slice(one, one + 1);
});
const inputChoices = computed<[string, string][]>(() =>
  props.fills.inputs.map((it) => [it, `${inputLabel(it).source}, ${inputLabel(it).input}`]),
);
const dark = computed(() => props.fills.froms.length - rows.value.length);
const fits = (cell: FillCell | null | undefined) => cell != null && cell.refusal == null && cell.watts > 0;
const full = (cell: FillCell) => {
  const hours = cell.after_h["1"];
  return hours == null ? "never full" : `full in ${span(hours)}`;
};
// Paper has what is seen, in the same order.
const paper = computed(() => ({
  heads: ["from, by way of", ...inputChoices.value.map(([, label]) => label)],
  rows: rows.value.map((row) => [
    props.fills.froms[row]?.label ?? "",
    ...props.fills.inputs.map((_, column) => {
      const cell = props.fills.cells[row]?.[column];
      if (!cell) return "itself";
      return fits(cell)
        ? `${inWatts(cell.watts)} W, ${full(cell)}, ${cell.limited_by}`
        : `no: ${cell.limited_by}`;
    }),
  ]),
}));
</script>

<template>
  <p v-if="fills.inputs.length === 0" data-test="no-inputs">
    No store has a charging input yet: give one its inputs on
    <RouterLink to="/supply">Supply</RouterLink>, and what could fill it stands here.
  </p>
  <p v-if="narrow && fills.inputs.length" class="label">
    into
    <ChoiceEntry
      :value="fills.inputs[shown[0] ?? 0] ?? ''"
      name="input"
      :choices="inputChoices"
      @change="picked = $event"
    />
  </p>
  <div v-if="fills.inputs.length" role="region" class="scroll" aria-label="what fills what" tabindex="0">
    <table data-test="fills">
      <thead>
        <tr class="label">
          <th scope="col">from, by way of</th>
          <th v-for="it in shown" :key="fills.inputs[it]" scope="col">
            <strong>{{ inputLabel(fills.inputs[it]!).source }}</strong>
            <span class="faint">{{ ` ${inputLabel(fills.inputs[it]!).input}` }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="`${fills.froms[row]!.label} ${row}`" data-test="fills-row">
          <th scope="row">{{ fills.froms[row]!.label }}</th>
          <td
            v-for="{ column, cell } in shown.map((it) => ({ column: it, cell: fills.cells[row]?.[it] }))"
            :key="column"
            :class="{ refused: !fits(cell) }"
          >
            <template v-if="cell">
              <strong v-if="fits(cell)">{{ inWatts(cell.watts) }} W</strong>
              <span v-if="fits(cell)" class="label"> {{ full(cell) }}</span>
              <span class="why label">{{ cell.limited_by }}</span>
            </template>
            <span v-else class="faint label">itself</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <PaperTable v-if="fills.inputs.length" name="What fills what" v-bind="paper" />
  <p v-if="dark > 0" class="faint label">
    {{ dark }} more way{{ dark === 1 ? "" : "s" }} fill{{ dark === 1 ? "s" : "" }} nothing here; w shows them
    with the reason.
  </p>
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: 72vh;
  border-top: 1px solid var(--line);
}
table {
  border-collapse: separate;
  border-spacing: 0;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 5px 10px;
  border-bottom: 1px solid var(--line);
  min-width: 150px;
  max-width: 220px;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--page);
  z-index: 2;
  font-weight: 400;
}
th:first-child {
  position: sticky;
  left: 0;
  background: var(--page);
  z-index: 1;
  font-weight: 600;
}
thead th:first-child {
  z-index: 3;
  font-weight: 400;
}
strong + .label {
  margin-left: 6px;
}
.why {
  display: block;
  font-size: var(--size-note);
  line-height: 1.25;
}
.refused,
.refused .why {
  color: var(--faint);
}
@media (--phone) {
  .scroll {
    overflow: visible;
    max-height: none;
  }
  table {
    width: 100%;
  }
  thead th,
  th:first-child {
    position: static;
  }
  th,
  td {
    min-width: 0;
    max-width: none;
    padding: 5px 6px;
  }
  th:first-child {
    width: 50%;
  }
}
@media print {
  .scroll {
    display: none;
  }
}
</style>
