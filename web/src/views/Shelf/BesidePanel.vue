<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import CrossingPlot from "../Chains/CrossingPlot.vue";
import CandidatesTable from "./CandidatesTable.vue";
import MoneySteps from "./MoneySteps.vue";
import OutageChoice from "./OutageChoice.vue";
import PricesList from "./PricesList.vue";
import WantedDevices from "./WantedDevices.vue";
import type { Runs } from "./steps";
import { useWanted } from "./useFinder";
import { usePrices } from "./usePrices";
import { useTaking } from "./useShelf";

/** One box or parts, the one store or the other, the small inverter or the big one: candidates side by side. */
const { plan } = useSite();
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
const pair = computed(() => runs.value.filter((it) => picked.value.includes(it.item)));
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
const take = (it: Runs) => void takeWith(it.member.arrangement, it.member.added);
</script>

<template>
  <section class="beside" aria-label="candidates side by side">
    <p class="asked" data-test="beside-question">
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
      <OutageChoice v-model="outage" />
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
      <p class="answered" role="status" data-test="beside-answer">{{ answer.sentence }}</p>
      <p v-if="!answer.proven" class="faint label">
        Not all of that is proven: something that lasts longer may have been missed.
      </p>
      <CandidatesTable
        v-if="runs.length"
        :answer="answer"
        :runs="runs"
        :picked="picked"
        :currency="currency"
        @pick="pick"
        @take="take"
      />
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
          answer.of === "store"
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
h2 {
  font-size: var(--size-line);
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
