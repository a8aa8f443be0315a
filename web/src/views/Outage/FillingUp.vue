<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, taken, type Feed, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useAsked } from "../../composables/useAsked";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import ChargeCurve from "./ChargeCurve.vue";
import WayInPicture from "./WayInPicture.vue";
import { short } from "./timeline";
import { settings, wiredWith, type Offer } from "./filling";

/** How a store gets full again by what is wired, and what is not wired and would be faster. */
const props = defineProps<{
  arrangement: string;
  /** The outage whose date it is; none for a mild day. */
  outage?: string;
  left?: Record<string, number>;
  /** The store that is asked for, where no other can be. */
  only?: string;
}>();
const { plan } = useSite();
const { step } = useKit();
const label = (id: string) => plan.value?.kit.sources.find((it) => it.id === id)?.label ?? id;
/** Those that the outage used first, then the others of the kit. */
const stores = computed(() => {
  if (props.only) return [props.only];
  const used = Object.keys(props.left ?? {});
  const others = (plan.value?.kit.sources ?? []).filter((it) => it.battery && !used.includes(it.id));
  return [...used, ...others.map((it) => it.id)];
});
const store = ref("");
watch(stores, (now) => (now.includes(store.value) ? undefined : (store.value = now[0] ?? "")), {
  immediate: true,
});
const mains = ref("there");
const sky = ref("overcast");
/** Without a word of the month's mean it is covered. */
const usual = computed(() =>
  plan.value?.site.place?.clear_share?.length ? "as usual for the month" : "overcast",
);
const modes = ref<Record<string, string>>({});
/** What somebody typed for a store; else what the outage leaves in it, or a tenth. */
const begins = ref<Record<string, number>>({});
const from = computed(() => begins.value[store.value] ?? props.left?.[store.value] ?? 0.1);
const begin = (percent: number) =>
  (begins.value = { ...begins.value, [store.value]: Math.min(100, Math.max(0, percent)) / 100 });
const {
  answer: told,
  trouble,
  again,
  follow,
} = useAsked(
  async (site, changes) => {
    if (!store.value) return undefined;
    const body: Schemas["RechargeQuestion"] = {
      arrangement: props.arrangement,
      ...(props.outage ? { outage: props.outage } : {}),
      source: store.value,
      from_soc: from.value,
      modes: modes.value,
      no_mains: mains.value === "out",
      clear: sky.value === "clear",
      changes,
    };
    return taken(await api.POST("/sites/{site}/outage/recharge", { params: { path: { site } }, body }));
  },
  () => [store.value, props.arrangement, props.outage, from.value, mains.value, sky.value, modes.value],
);
follow();
const way = computed(() => plan.value?.arrangements.find((it) => it.id === props.arrangement));
/** What can be set: modes of its inputs, and how the engines of vehicles turn. */
const sets = computed(() => (plan.value ? settings(plan.value, store.value, told.value?.ways ?? []) : []));
function set(place: string, mode: string) {
  const others = Object.entries(modes.value).filter(([it]) => it !== place);
  modes.value = Object.fromEntries(mode ? [...others, [place, mode]] : others);
}
/** What is full already has no way in to be drawn. */
const rises = computed(() => (told.value?.ways.length ?? 0) > 0 && (told.value?.curve.length ?? 0) > 1);
/** One stretch from the beginning on says no more than the picture. */
const byDay = computed(() => (told.value?.spans.length ?? 0) > 1 || (told.value?.spans[0]?.from_h ?? 0) > 0);
const underSky = computed(() =>
  (told.value?.ways ?? []).some(
    (it) => plan.value?.kit.sources.find((source) => source.id === it.chain[0])?.kind === "panel",
  ),
);
async function wire(offer: Offer) {
  const found = way.value;
  if (!found) return;
  const body = wiredWith(copyOf(found), offer.feeds as Feed[]);
  // What is asked stays asked, whatever the outage leaves in it with that wired.
  begins.value = { ...begins.value, [store.value]: from.value };
  await step(`${found.label}: ${offer.label} wired to ${label(store.value)}`.slice(0, 200), [
    { kind: "arrangement", id: found.id, body },
  ]);
}
const cost = (it: Schemas["ReachedLevel"]) =>
  [
    it.cost ? `${it.cost.toFixed(2)} ${plan.value?.site.energy_price?.currency ?? ""}` : "",
    it.fuel_l ? `${it.fuel_l.toFixed(1)} l` : "",
  ].filter(Boolean);
</script>

<template>
  <div class="filling">
    <h2>
      Filling up
      <template v-if="only">{{ label(only) }}</template>
      <span v-else class="pick"
        ><ChoiceEntry
          :value="store"
          name="store"
          :choices="stores.map((it) => [it, label(it)])"
          @change="store = $event"
      /></span>
      from <InlineNumber :value="Math.round(from * 100)" name="filled from" unit="%" @change="begin" />
    </h2>
    <p class="label sets">
      <label
        >the mains is
        <ChoiceEntry
          :value="mains"
          name="the mains"
          :choices="[
            ['there', 'there'],
            ['out', 'out'],
          ]"
          @change="mains = $event"
      /></label>
      <label v-if="underSky"
        >the sky is
        <ChoiceEntry
          :value="sky"
          name="the sky"
          :choices="[
            ['overcast', usual],
            ['clear', 'clear'],
          ]"
          @change="sky = $event"
      /></label>
      <label v-for="it in sets" :key="it.place"
        >{{ it.name }}
        <ChoiceEntry
          :value="modes[it.place] ?? it.now"
          :name="it.name"
          :choices="it.choices"
          :data-mode="it.place"
          @change="set(it.place, $event)"
      /></label>
    </p>
    <AnswerState :ready="told !== undefined || !store" :trouble="trouble" @again="again" />
    <template v-if="told">
      <p data-test="recharge">{{ told.sentence }}</p>
      <p
        v-for="it in [...told.trips, ...told.opened]"
        :key="it"
        class="trips"
        role="alert"
        data-status="trips"
      >
        {{ it }}
      </p>
      <WayInPicture v-if="rises" :ways="told.ways" />
      <ChargeCurve v-if="rises" :told="told" />
      <ul v-if="told.ways.length" class="levels label" aria-label="When it is how full">
        <li v-for="it in told.levels" :key="it.soc">
          <strong>{{ Math.round(it.soc * 100) }} %</strong>
          {{ it.after_h == null ? "never" : it.after_h === 0 ? "already" : short(it.after_h) }}
          <span v-if="it.at" class="faint">· {{ it.at }}</span>
          <span v-for="words in cost(it)" :key="words" class="faint">· {{ words }}</span>
        </li>
      </ul>
      <p v-for="it in told.engines" :key="it.source" class="engine" data-test="engine-day">
        {{ it.sentence }}
      </p>
      <details v-if="byDay" class="days">
        <summary class="label">when what comes in</summary>
        <ul class="label" data-test="fill-spans" aria-label="When what comes in">
          <li v-for="it in told.spans" :key="`${it.input} ${it.from_h}`">{{ it.sentence }}</li>
        </ul>
      </details>
      <ul v-if="told.not_wired.length" aria-label="Not wired" class="offers">
        <li v-for="it in told.not_wired" :key="it.label + it.input" data-test="offer">
          <p>{{ it.sentence }}</p>
          <p class="label faint">{{ it.proposes.join(" · ") }}</p>
          <button
            v-if="!it.adds_input && it.feeds.length"
            type="button"
            class="door"
            data-test="wire"
            @click="wire(it)"
          >
            wire it in “{{ way?.label }}”
          </button>
        </li>
      </ul>
      <p v-if="!told.ways.length && !told.not_wired.length" class="label">
        Nothing in the kit can fill it. Add a charger, a panel, a vehicle or a generator in Supply.
      </p>
    </template>
    <p class="label faint">
      Charge where it is dry and aired, never in the frost, and as the battery's maker says. An engine runs
      outside only, its exhaust away from doors and windows.
    </p>
  </div>
</template>

<style scoped>
h2 {
  font-size: var(--size-word);
  font-weight: 600;
}
.pick {
  display: inline-block;
  width: 150px;
}
.sets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}
.sets label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  white-space: nowrap;
}
.trips {
  color: var(--trips);
}
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
.levels {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 20px;
}
.engine {
  font-weight: 600;
  margin: 6px 0;
}
.days summary {
  cursor: pointer;
  color: var(--primary);
  min-height: 28px;
}
.levels .faint + .faint {
  margin-left: 4px;
}
.offers li {
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
</style>
