<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { plain } from "../../format/number";
import { shownIn, unitOf } from "../../format/spoken";
import LivePanel from "./LivePanel.vue";
import { filled, readRow } from "./rows";
import { useInstruments, type Instrument } from "./useInstruments";
import { meters as live } from "./useLive";
import { useTests, type Test, type Tested } from "./useTests";

/** The readings: a row a line, typed in one go; struck with a reason, never lost; each column beside its meter. */
const props = defineProps<{ tested: Tested }>();
const { keep } = useTests();
const { instruments } = useInstruments();
const typed = ref("");
const trouble = ref("");
const striking = ref<number>();
const reason = ref("");
const field = ref<HTMLInputElement>();
const columns = computed(() => props.tested.readings);
const rows = computed(() => props.tested.test.rows);
const meters = computed(() => columns.value.map((_, index) => props.tested.test.meters[index] ?? NONE));
const NONE: Instrument = { share: 0, fixed: 0, step: 0 };
const question = (index: number) => props.tested.outcome?.questions.find((it) => it.row === index)?.sentence;
const copy = (): Test => ({ ...(JSON.parse(JSON.stringify(props.tested.test)) as Test), file: null });

/** When a run began on the meter's own clock, kept in the browser, so that a reload loses none of it. */
const key = `ash-pond.run.${props.tested.id}`;
const shown = computed(() => live.value.flatMap((it) => it.values));
async function readMeters() {
  const since = Number(localStorage.getItem(key));
  const from = localStorage.getItem(key) === null || !Number.isFinite(since) ? undefined : since;
  const now = filled(typed.value, columns.value, shown.value, from);
  const clock = shown.value.find((it) => it.unit === "h")?.value;
  if (now.filled === 0) trouble.value = "No meter shows what is read here; type it.";
  else {
    trouble.value = "";
    const read = now.text.trim().split(/\s+/).length;
    const starts = columns.value.findIndex((it) => it.name === "at the start");
    if (clock != null && starts >= 0 && read === starts + 1) localStorage.setItem(key, String(clock));
    typed.value = now.text;
  }
  await nextTick();
  field.value?.focus();
}
function pressed(event: KeyboardEvent) {
  // The key reads the meters; a unit with an m in it, as in 550 mA, is pasted.
  if (event.key !== "m" || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  void readMeters();
}
/** The instruments that a column can be read with. */
const OWN = "by hand";
const kinds = computed((): [string, string][] => [
  ["", OWN],
  ...instruments.value.map((it): [string, string] => [it.name ?? "", it.name ?? ""]),
]);
async function choose(index: number, name: string) {
  const found = instruments.value.find((it) => it.name === name);
  const test = copy();
  test.meters = meters.value.map((it) => ({ ...it }));
  test.meters[index] = found ? { ...found } : { ...(test.meters[index] ?? NONE), name: null };
  await keep(props.tested.id, test);
}
/** What the entry shows before anything is typed: numbers as they come. */
const example = computed(() =>
  columns.value
    .map((it, index) => plain(it.unit === "" ? 1 : ([12.62, 9.31, 24.1, 4.42][index % 4] ?? 1)))
    .join("  "),
);

async function add() {
  const found = readRow(typed.value, columns.value);
  if (typeof found === "string") {
    trouble.value = found;
    return;
  }
  trouble.value = "";
  const test = copy();
  test.rows.push({ values: found });
  if (await keep(props.tested.id, test)) typed.value = "";
  await nextTick();
  field.value?.focus();
}
async function strike(index: number) {
  const test = copy();
  const row = test.rows[index];
  if (!row) return;
  if (row.struck != null) row.struck = null;
  else if (reason.value.trim() === "") return;
  else row.struck = reason.value.trim();
  if (await keep(props.tested.id, test)) {
    striking.value = undefined;
    reason.value = "";
  }
}
async function setMeter(index: number, key: "share" | "fixed" | "step", value: number) {
  if (value < 0) return;
  const test = copy();
  test.meters = meters.value.map((it) => ({ ...it }));
  const meter = test.meters[index];
  if (!meter) return;
  meter[key] = key === "share" ? value / 100 : value;
  // What was changed here is no longer what was described.
  delete meter.name;
  await keep(props.tested.id, test);
}
</script>

<template>
  <section class="rows" aria-label="Readings">
    <div class="table">
      <table>
        <thead>
          <tr class="label">
            <th scope="col">row</th>
            <th v-for="it in columns" :key="it.name" scope="col">
              {{ it.name }}{{ it.unit ? `, ${unitOf(it.unit)}` : "" }}
              <span v-if="it.unit && it.digits" class="faint digits">to {{ plain(10 ** -it.digits) }}</span>
            </th>
            <th scope="col"><span class="hidden">strike</span></th>
          </tr>
          <tr class="label meter">
            <th scope="row">its meter</th>
            <td v-for="(it, index) in columns" :key="it.name">
              <ChoiceEntry
                v-if="instruments.length && it.unit"
                :value="
                  kinds.some((one) => one[0] === meters[index]?.name) ? (meters[index]?.name ?? '') : ''
                "
                :name="`the meter of ${it.name}`"
                :choices="kinds"
                @change="(v) => choose(index, v)"
              />
              <template v-if="it.unit">
                ±
                <InlineNumber
                  v-if="it.unit === '°C' || meters[index]?.fixed"
                  :value="meters[index]?.fixed ?? 0"
                  :name="`what the meter of ${it.name} may be off`"
                  :unit="it.unit"
                  difference
                  @change="(v) => setMeter(index, 'fixed', v)"
                />
                <InlineNumber
                  v-else
                  :value="Number(((meters[index]?.share ?? 0) * 100).toPrecision(6))"
                  :name="`what the meter of ${it.name} may be off`"
                  unit="%"
                  @change="(v) => setMeter(index, 'share', v)"
                />
                <br />step
                <InlineNumber
                  :value="meters[index]?.step ?? 0"
                  :name="`display step of the meter of ${it.name}`"
                  :unit="it.unit"
                  difference
                  @change="(v) => setMeter(index, 'step', v)"
                />
              </template>
            </td>
            <td />
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(row, index) in rows"
            :key="index"
            :class="{ struck: row.struck != null }"
            data-test="row"
          >
            <th scope="row">{{ index + 1 }}</th>
            <td v-for="(it, column) in columns" :key="it.name">
              {{ row.values[column] == null ? "–" : shownIn(row.values[column]!, it.unit) }}
            </td>
            <td class="label">
              <template v-if="striking === index">
                <input
                  v-model="reason"
                  placeholder="why"
                  :aria-label="`why row ${index + 1} does not count`"
                  @keydown.enter.prevent="strike(index)"
                  @keydown.escape.stop="striking = undefined"
                />
                <button type="button" class="door" @click="strike(index)">strike it</button>
              </template>
              <button v-else-if="row.struck != null" type="button" class="door" @click="strike(index)">
                struck: {{ row.struck }}. Count it again
              </button>
              <button
                v-else
                type="button"
                class="door"
                :aria-label="`strike row ${index + 1}`"
                @click="striking = index"
              >
                strike
              </button>
              <span v-if="question(index)" class="question" data-status="unproven" data-test="question">{{
                question(index)
              }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <LivePanel :columns="columns" @read="readMeters" />
    <p class="entry">
      <label
        ><span class="label faint"
          >{{ columns.map((it) => unitOf(it.unit) || "0 or 1").join(" ") }}, Enter</span
        >
        <input
          ref="field"
          v-model="typed"
          autocomplete="off"
          inputmode="text"
          :placeholder="example"
          aria-label="a row of readings"
          data-test="row-entry"
          @keydown="pressed"
          @keydown.enter.prevent="add"
      /></label>
      <button type="button" class="door label" @click="add">add the row</button>
    </p>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.table {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
}
th,
td {
  text-align: right;
  padding: 4px 18px 4px 0;
  border-top: 1px solid var(--line);
  font-weight: 400;
}
thead th {
  font-weight: 600;
  border-top: 0;
}
th:first-child {
  text-align: left;
}
td:last-child {
  text-align: left;
}
.meter td,
.meter th {
  color: var(--faint);
  font-size: var(--size-note);
  font-weight: 400;
}
.digits {
  display: block;
  font-weight: 400;
  font-size: var(--size-small);
}
.struck td:not(:last-child) {
  text-decoration: line-through;
  color: var(--faint);
}
.question {
  margin-left: 10px;
}
.entry {
  display: flex;
  gap: 14px;
  align-items: end;
  padding: 8px 0;
}
.entry label {
  display: grid;
  flex: 0 1 340px;
}
input {
  font: inherit;
  font-size: var(--size-head);
  min-height: 40px;
  color: var(--ink);
  background: var(--sheet);
  border: 0;
  border-bottom: 2px solid var(--primary);
  min-width: 0;
}
td input {
  font-size: var(--size-text);
  min-height: 30px;
}
.hidden {
  position: absolute;
  clip-path: inset(50%);
}
</style>
