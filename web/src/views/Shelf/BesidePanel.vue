<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import CrossingPlot from "../Chains/CrossingPlot.vue";
import { useChosen } from "../Outage/useOutage";
import MoneySteps from "./MoneySteps.vue";
import PricesList from "./PricesList.vue";
import WantedDevices from "./WantedDevices.vue";
import { short, span } from "./shelf";
import { inYears } from "./steps";
import { useWanted } from "./useFinder";
import { usePrices } from "./usePrices";
import { useNarrow } from "./useNarrow";
import { useTaking } from "./useShelf";

/** One box or parts, the one store or the other, the small inverter or the big one: candidates side by side. */
type Candidate = Schemas["Candidate"];
type Runs = Candidate & { member: NonNullable<Candidate["member"]> };
const { plan } = useSite();
const { outages } = useChosen();
const { devices } = useWanted();
const { prices, load } = usePrices();
const { takeWith } = useTaking();
const [of, shelf, outage, store] = [ref("store"), ref("site"), ref(""), ref("")];
const [hours, uses, years] = [ref(10), ref(3), ref(10)];
const stores = computed(() => (plan.value?.kit.sources ?? []).filter((it) => it.battery != null));
const picked = ref<string[]>([]);
const currency = computed(() => plan.value?.site.energy_price?.currency ?? "");
onMounted(() => void load());
const asked = computed(() => ({
  devices: devices.value,
  of: of.value,
  shelf: shelf.value,
  hours: hours.value,
  uses_a_week: uses.value,
  years: years.value,
  ...(outage.value ? { outage: outage.value } : {}),
  ...(of.value === "inverter" && store.value ? { sources: [store.value] } : {}),
  ...(shelf.value === "kinds" ? { prices: prices.value } : {}),
}));
const { answer, trouble, again, follow } = useAsked<Schemas["Candidates"] | undefined>(
  async (site, changes, signal) => {
    if (devices.value.length === 0) return undefined;
    const body = { ...asked.value, changes };
    return taken(await api.POST("/sites/{site}/candidates", { params: { path: { site } }, body, signal }));
  },
  () => JSON.stringify(asked.value),
);
follow();
const runs = computed(() => (answer.value?.candidates ?? []).filter((it): it is Runs => it.member != null));
const not = computed(() => (answer.value?.candidates ?? []).filter((it) => it.member == null));
watch(runs, (now) => {
  const known = now.map((it) => it.item);
  const still = picked.value.filter((it) => known.includes(it));
  // The first two stand beside each other until somebody picks others.
  picked.value = still.length > 0 ? still : known.slice(0, 2);
});
const narrow = useNarrow();
const pair = computed(() => runs.value.filter((it) => picked.value.includes(it.item)));
/** On a phone the two that are picked. */
const shown = computed(() => (narrow.value ? pair.value : runs.value));
function pick(item: string) {
  const now = picked.value.filter((it) => it !== item);
  picked.value = now.length < picked.value.length ? now : [...now.slice(-1), item];
}
/** Both put into the plan, unsaved, so that where they cross is computed where every crossing is. */
const put = (it: Runs) => ({
  ...it.member.arrangement,
  id: `beside-${it.item}`.slice(0, 64),
  label: it.label,
});
const both = computed(() => {
  const [one, other] = pair.value;
  if (!one || !other || pair.value.length !== 2) return undefined;
  const added = new Map<string, Schemas["Unsaved"]>();
  for (const it of [one, other]) {
    for (const body of it.member.added.sources) added.set(body.id, { kind: "source", id: body.id, body });
    for (const body of it.member.added.converters)
      added.set(body.id, { kind: "converter", id: body.id, body });
  }
  const [first, second] = [put(one), put(other)];
  return {
    ids: [first.id, second.id] as [string, string],
    names: { [first.id]: one.label, [second.id]: other.label },
    more: [
      ...added.values(),
      { kind: "arrangement", id: first.id, body: first },
      { kind: "arrangement", id: second.id, body: second },
    ],
  };
});
const money = (value: number | null | undefined) =>
  value == null ? "no price" : `${short(value)} ${currency.value}`.trim();
const life = (it: Candidate) =>
  it.lives.reduce<Schemas["Life"] | undefined>((a, b) => (a && a.years <= b.years ? a : b), undefined);
const most = computed(() => Math.max(1, ...runs.value.map((it) => it.hours ?? 0)));
type Row = [name: string, of: (it: Candidate) => string];
const rows = computed<Row[]>(() => [
  ["price of all", (it) => money(it.price)],
  ["  to be bought", (it) => (it.buy_price === 0 ? "nothing" : money(it.buy_price))],
  [
    `spent in ${inYears(answer.value?.years ?? years.value)}`,
    (it) => (it.over_years == null ? "no price" : money(it.over_years)),
  ],
  ["usable at the devices", (it) => (it.usable_wh == null ? "–" : `${short(it.usable_wh)} Wh`)],
  ["price of a usable kWh", (it) => (it.price_per_usable_kwh == null ? "–" : money(it.price_per_usable_kwh))],
  ["weight", (it) => (it.weight_kg == null ? "not stated" : `${short(it.weight_kg)} kg`)],
  ["usable for each kg", (it) => (it.usable_wh_per_kg == null ? "–" : `${short(it.usable_wh_per_kg)} Wh`)],
  ["drawn a day", (it) => `${short(it.member?.drawn_wh_day ?? 0)} Wh`],
  [
    "store worn out after",
    (it) => {
      const first = life(it);
      return first ? `${inYears(first.years)}, by ${first.ended_by === "use" ? "use" : "the calendar"}` : "–";
    },
  ],
  ["  used each time", (it) => (life(it) ? `${Math.round((life(it)?.depth ?? 0) * 100)} % of it` : "–")],
]);
const take = (it: Runs) => void takeWith(it.member.arrangement, it.member.added);
</script>

<template>
  <section class="beside" aria-label="candidates side by side">
    <p class="sentence" data-test="beside-question">
      <ChoiceEntry
        :value="of"
        name="what differs"
        :choices="[
          ['store', 'One box or parts'],
          ['inverter', 'The one inverter or the other'],
        ]"
        @change="of = $event"
      />
      for
      <WantedDevices />
      used for
      <InlineNumber :value="hours" name="hours of one use" unit="h" @change="(it) => (hours = it)" />
      at a time and
      <InlineNumber :value="uses" name="uses a week" unit="" @change="(it) => (uses = it)" />
      times a week, over
      <InlineNumber :value="years" name="years" unit="" @change="(it) => (years = it)" />
      years, in
      <ChoiceEntry
        :value="outage"
        name="outage"
        :choices="[
          ['', 'an outage in which nothing comes'],
          ...outages.map((it): [string, string] => [it.id, it.label]),
        ]"
        @change="outage = $event"
      />
      <template v-if="of === 'inverter'">
        on
        <ChoiceEntry
          :value="store"
          name="store"
          :choices="[
            ['', 'the store on which they last longest'],
            ...stores.map((it): [string, string] => [it.id, it.label]),
          ]"
          @change="store = $event"
        />
      </template>
      with
      <ChoiceEntry
        :value="shelf"
        name="shelf"
        :choices="[
          ['owned', 'what is owned'],
          ['site', 'all of the site’s kit, owned or not'],
          ['kinds', 'that and the ready-made kinds, at your prices'],
        ]"
        @change="shelf = $event"
      />
    </p>
    <PricesList v-if="shelf === 'kinds'" :currency="currency" />
    <template v-if="answer">
      <p class="told" role="status" data-test="beside-answer">{{ answer.sentence }}</p>
      <p v-if="!answer.proven" class="faint label">
        Not all of that is proven: something that lasts longer may have been missed.
      </p>
      <p v-if="narrow && runs.length > 2" class="picks">
        <label v-for="it in runs" :key="it.item"
          ><input type="checkbox" :checked="picked.includes(it.item)" @change="pick(it.item)" />
          {{ it.label }}</label
        >
      </p>
      <div v-if="runs.length" class="scroll">
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
                    @change="pick(it.item)"
                  />
                  {{ it.label }}</label
                >
                <span class="label">{{ of === "store" ? (it.one_box ? "one box" : "in parts") : "" }}</span>
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
            <tr v-for="[name, tell] in rows" :key="name">
              <th scope="row" :class="{ part: name.startsWith('  ') }">{{ name.trim() }}</th>
              <td v-for="it in shown" :key="it.item">{{ tell(it) }}</td>
            </tr>
            <tr>
              <th scope="row"></th>
              <td v-for="it in shown" :key="it.item">
                <button
                  type="button"
                  class="door label"
                  :aria-label="`make it an arrangement: ${it.label}`"
                  data-test="take-candidate"
                  @click="take(it)"
                >
                  make it an arrangement
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div v-for="it in pair" :key="it.item" class="whole" data-test="candidate-parts">
        <h2>{{ it.label }}</h2>
        <ul>
          <li v-for="part in it.parts" :key="part.item">{{ part.sentence }}</li>
          <li v-for="(worn, at) in it.lives" :key="`l${at}`">{{ worn.sentence }}</li>
          <li v-if="it.grows">{{ it.grows.sentence }}</li>
        </ul>
      </div>
      <template v-if="runs.some((it) => it.spent.length > 1)">
        <h2>Money over the years</h2>
        <MoneySteps
          :candidates="pair.length ? pair : runs"
          :years="answer.years"
          :currency="currency"
          data-test="money-steps"
        />
        <p class="faint label">
          A step is a store bought anew when it is worn out, at the price of its whole box where it is one;
          the slope is what is put back at the site’s price.
        </p>
      </template>
      <CrossingPlot
        v-if="both"
        :key="both.ids.join()"
        :ways="both.ids"
        :soc="{}"
        :more="both.more"
        :names="both.names"
      />
      <ul v-if="not.length" class="label not">
        <li v-for="it in not" :key="it.item">{{ it.sentence }}</li>
      </ul>
      <p v-if="answer.unpriced.length" class="faint label">
        Left out, as nobody states a price:
        {{ answer.unpriced.length > 5 ? `${answer.unpriced.length} kinds` : answer.unpriced.join(", ") }}.
      </p>
      <p class="faint label">
        {{
          of === "store"
            ? "Each is the best that could be put together with it"
            : "Everything hangs behind the inverter, all on one store"
        }}, judged and marched. Years are those of its cycles or of the calendar, whichever ends it first; its
        maker’s sheet has the last word, as it has on how batteries may be joined.
      </p>
    </template>
    <AnswerState
      v-else
      :ready="false"
      :trouble="trouble"
      looking="Each candidate is put together, judged and marched …"
      @again="again"
    />
  </section>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
  font-size: 17px;
  padding: 10px 0;
}
.sentence :deep(select) {
  width: auto;
  max-width: 100%;
}
.told {
  font-size: 21px;
  font-weight: 600;
  padding: 8px 0;
  max-width: 46em;
}
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
input[type="checkbox"] {
  accent-color: var(--primary);
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
@media (max-width: 600px) {
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
h2 {
  font-size: 17px;
  font-weight: 600;
  padding: 12px 0 2px;
}
.whole ul,
.not {
  margin: 0;
  padding: 0 0 0 1.1em;
  max-width: 60em;
}
</style>
