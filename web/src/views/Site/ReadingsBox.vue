<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import AddMeter from "./AddMeter.vue";
import BandPlot from "./BandPlot.vue";
import { exact } from "../../format/number";

/** Meters that answer by themselves: whether their readings are kept, what was kept, and for how long. */
const HOUR = 3_600_000;
const SPANS: [string, string, number | undefined][] = [
  ["hour", "the last hour", HOUR],
  ["day", "the last day", 24 * HOUR],
  ["month", "the last 30 days", 720 * HOUR],
  ["all", "all that is kept", undefined],
];
const meters = shallowRef<Schemas["LiveMeter"][]>([]);
const readings = shallowRef<Schemas["Readings"]>();
const plots = shallowRef<Record<number, Schemas["ReadingSpan"][]>>({});
const span = ref("day");
const trouble = ref("");

async function attempt(work: () => Promise<void>) {
  try {
    await work();
    trouble.value = "";
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}

/** Why what a person did was refused; it stays until they do the next thing, however often it is looked meanwhile. */
const refused = ref("");
let acts = 0;
async function act(work: () => Promise<void>) {
  const number = (acts += 1);
  let why = "";
  try {
    await work();
  } catch (error) {
    why = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
  // What was answered to an older act is no answer to this one.
  if (number !== acts) return;
  refused.value = why;
  if (!why) await look();
}

async function look() {
  await attempt(async () => {
    meters.value = taken(await api.GET("/meters")).meters;
    readings.value = taken(await api.GET("/readings"));
    await draw();
  });
}

async function draw() {
  const width = SPANS.find(([key]) => key === span.value)?.[2];
  const now = Date.now();
  const asked = (readings.value?.series ?? []).map(async (it) => {
    const query = width ? { from_ms: now - width, to_ms: now, points: 200 } : { points: 200 };
    const told = taken(await api.GET("/readings/{series}", { params: { path: { series: it.id }, query } }));
    return [it.id, told.spans] as const;
  });
  plots.value = Object.fromEntries(await Promise.all(asked));
}
onMounted(look);
watch(span, () => void attempt(draw));
const asking = setInterval(() => document.visibilityState === "visible" && void look(), 10_000);
onBeforeUnmount(() => clearInterval(asking));

function record(it: Schemas["LiveMeter"], records: boolean) {
  const body = { label: it.label, speaks: it.speaks, address: it.address, records };
  const params = { path: { id: it.id } };
  void act(async () => {
    const answer = await api.PUT("/meters/{id}", { params, body });
    if (!answer.response.ok) throw new Refused(answer.error?.detail ?? "It is not changed.", "", undefined);
  });
}

/** Takes a meter away; what was kept of it stays. */
function remove(id: string) {
  void act(async () => {
    const answer = await api.DELETE("/meters/{id}", { params: { path: { id } } });
    if (!answer.response.ok) throw new Refused(answer.error?.detail ?? "It is not removed.", "", undefined);
  });
}

function keep(change: Partial<Schemas["ReadingsKept"]>) {
  const kept = readings.value?.kept;
  if (!kept) return;
  const body = { ...kept, ...change };
  void act(async () => {
    const answer = await api.POST("/readings/kept", { body });
    if (!answer.response.ok) throw new Refused(answer.error?.detail ?? "It is not changed.", "", undefined);
  });
}

/** Series by meter, those of meters that were removed too. */
const groups = computed(() => {
  const known = new Map(meters.value.map((it) => [it.id, it]));
  const ids = new Set([...known.keys(), ...(readings.value?.series ?? []).map((it) => it.meter)]);
  return [...ids].map((id) => ({
    id,
    meter: known.get(id),
    series: (readings.value?.series ?? []).filter((it) => it.meter === id),
  }));
});
/** What a series showed in the stretch that is plotted. */
function shown(series: Schemas["ReadingSeries"]) {
  const spans = plots.value[series.id] ?? [];
  if (!spans.length) return "nothing in this time";
  const low = Math.min(...spans.map((it) => it.low));
  const high = Math.max(...spans.map((it) => it.high));
  const text = (it: number) => exact(Number(it.toPrecision(4)), true);
  return low === high ? `${text(low)} ${series.unit}` : `${text(low)} to ${text(high)} ${series.unit}`;
}
const STATE = { answers: "answers", silent: "is silent", not_understood: "is not understood" };
</script>

<template>
  <div class="readings">
    <p v-if="refused || trouble" class="trouble" role="alert">{{ refused || trouble }}</p>
    <p v-if="readings?.trouble" class="trouble" role="alert">{{ readings.trouble }}</p>
    <p v-if="!groups.length" class="faint">
      No meter is connected yet. Say where one listens that speaks SCPI or Modbus TCP.
    </p>
    <p v-if="readings?.series.length" class="label span">
      <ChoiceEntry
        :value="span"
        name="time that is plotted"
        :choices="SPANS.map(([key, words]): [string, string] => [key, words])"
        @change="(it) => (span = it)"
      />
    </p>
    <section v-for="group in groups" :key="group.id" data-test="recorded">
      <h3>
        {{ group.meter?.label ?? group.id }}
        <span v-if="group.meter" class="faint label">{{ STATE[group.meter.state] }}</span>
        <span v-else class="faint label">removed</span>
        <button
          v-if="group.meter"
          type="button"
          class="label remove"
          :aria-label="`remove ${group.meter.label}`"
          @click="remove(group.id)"
        >
          remove
        </button>
      </h3>
      <label v-if="group.meter" class="label keep">
        <input
          type="checkbox"
          :checked="group.meter.records"
          data-test="records"
          @change="record(group.meter, ($event.target as HTMLInputElement).checked)"
        />
        keep what it shows, also while no page is open
      </label>
      <dl v-if="group.series.length">
        <div v-for="it in group.series" :key="it.id">
          <dt class="label">{{ it.name }}</dt>
          <dd>
            <BandPlot :spans="plots[it.id] ?? []" :label="`${it.name}: ${shown(it)}`" />
            <span class="shown">{{ shown(it) }}</span>
            <a :href="`/api/readings/${it.id}/csv`" download class="label" :aria-label="`${it.name} as CSV`"
              >CSV</a
            >
          </dd>
        </div>
      </dl>
    </section>
    <AddMeter @added="look" />
    <p v-if="readings" class="label kept">
      Every reading stays
      <InlineNumber
        :value="readings.kept.all_days"
        name="how long every reading is kept"
        unit="days"
        @settle="() => {}"
        @change="(it) => keep({ all_days: Math.round(it) })"
      />, the least, the most and the mean of each minute
      <InlineNumber
        :value="readings.kept.minute_days"
        name="how long minutes are kept"
        unit="days"
        @settle="() => {}"
        @change="(it) => keep({ minute_days: Math.round(it) })"
      />, of each hour for ever.
    </p>
  </div>
</template>

<style scoped>
h3 {
  font-size: var(--size-text);
  font-weight: 600;
  padding-top: 6px;
}
.keep {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 32px;
}
.keep input {
  width: 18px;
  height: 18px;
  accent-color: var(--primary);
}
dl {
  margin: 0 0 6px;
}
dl > div {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 0 12px;
  align-items: center;
}
dd {
  margin: 0;
  display: grid;
  grid-template-columns: minmax(80px, 220px) minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
}
.span {
  max-width: 240px;
}
.shown {
  white-space: nowrap;
}
a {
  color: var(--primary);
  text-underline-offset: 3px;
  padding: 6px 0;
}
.remove {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  margin-left: 12px;
}
.kept {
  padding-top: 8px;
}
.trouble {
  color: var(--trips);
}
@media (--phone) {
  dl > div {
    grid-template-columns: minmax(0, 1fr);
  }
  dd {
    grid-template-columns: minmax(60px, 150px) minmax(0, 1fr) auto;
  }
}
</style>
