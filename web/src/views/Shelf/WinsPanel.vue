<script setup lang="ts">
import { computed, onMounted, ref } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import { useChosen } from "../Outage/useOutage";
import OutageChoice from "./OutageChoice.vue";
import PricesList from "./PricesList.vue";
import WantedDevices from "./WantedDevices.vue";
import { short, span } from "./shelf";
import { useWanted } from "./useFinder";
import { usePrices } from "./usePrices";
import { useTaking } from "./useShelf";

/** What one purchase or one change wins, as staves of hours on one scale. */
type Purchase = Schemas["Purchase"];
const { plan } = useSite();
const { ways } = useChosen();
const { devices } = useWanted();
const { prices, load } = usePrices();
const { takeWith } = useTaking();
const [shelf, outage, way] = [ref("site"), ref(""), ref("")];
const currency = computed(() => plan.value?.site.energy_price?.currency ?? "");
onMounted(() => void load());
/** Arrangements that feed all of the devices: the others say nothing of them. */
const fitting = computed(() =>
  ways.value.filter((it) => devices.value.every((id) => it.feeds.some((feed) => feed.to === id))),
);
const chosen = computed(() => fitting.value.find((it) => it.id === way.value) ?? fitting.value[0]);
const asked = computed(() => ({
  devices: devices.value,
  shelf: shelf.value,
  ...(outage.value ? { outage: outage.value } : {}),
  ...(chosen.value ? { arrangement: chosen.value.id } : {}),
  ...(shelf.value === "kinds" ? { prices: prices.value } : {}),
}));
const { answer, trouble, again, follow } = useAsked<Schemas["Wins"] | undefined>(
  async (site, changes, signal) => {
    if (devices.value.length === 0) return undefined;
    const body = { ...asked.value, changes };
    return taken(await api.POST("/sites/{site}/wins", { params: { path: { site } }, body, signal }));
  },
  () => JSON.stringify(asked.value),
);
follow();
const WORDS: Record<Purchase["worth"], string> = {
  wins: "wins",
  bettered: "another wins as much for less",
  nothing: "wins no hours",
  unpriced: "no price stated",
  beyond: "beyond what was named",
};
const base = computed(() => answer.value?.owned?.hours ?? 0);
const most = computed(() =>
  Math.max(
    1,
    answer.value?.now_h ?? 0,
    base.value,
    ...(answer.value?.purchases ?? []).map((it) => it.hours ?? 0),
  ),
);
const share = (hours: number) => `${Math.min(100, (hours / most.value) * 100)}%`;
const good = computed(() => (answer.value?.purchases ?? []).filter((it) => it.won_h > 0));
const rest = computed(() => (answer.value?.purchases ?? []).filter((it) => !(it.won_h > 0)));
const take = (it: { arrangement: Schemas["Arrangement"]; added: Schemas["Added"] }) =>
  void takeWith(it.arrangement, it.added);
</script>

<template>
  <section class="wins" aria-label="what a purchase wins">
    <p class="asked" data-test="wins-question">
      What one purchase wins for
      <WantedDevices />
      in
      <OutageChoice v-model="outage" />
      bought from
      <ChoiceEntry
        :value="shelf"
        name="shelf"
        :choices="[
          ['site', 'the site’s kit that is not owned'],
          ['kinds', 'that and the ready-made kinds, at your prices'],
        ]"
        @change="shelf = $event"
      />
      <template v-if="fitting.length">
        while now they hang on
        <ChoiceEntry
          :value="chosen?.id ?? ''"
          name="arrangement"
          :choices="fitting.map((it): [string, string] => [it.id, it.label])"
          @change="way = $event"
        />
      </template>
    </p>
    <PricesList v-if="shelf === 'kinds'" :currency="currency" />
    <template v-if="answer">
      <p class="answered" role="status" data-test="wins-answer">{{ answer.sentence }}</p>
      <p v-if="!answer.proven" class="faint label">
        Not all of that is proven: something that lasts longer may have been missed.
      </p>
      <ul class="staves">
        <li v-if="answer.now_h != null">
          <span>as they hang now</span>
          <span class="staff"><i class="bar" :style="{ width: share(answer.now_h) }" /></span>
          <strong>{{ span(answer.now_h) }}</strong>
          <span class="label" />
        </li>
        <li v-for="(it, at) in answer.changes" :key="`c${at}`">
          <span>{{ it.what }}</span>
          <span class="staff"><i class="bar" :style="{ width: share(it.hours) }" /></span>
          <strong>{{ span(it.hours) }}</strong>
          <span class="label">for nothing</span>
        </li>
        <li v-if="answer.owned">
          <span>the best of what is owned</span>
          <span class="staff"><i class="bar" :style="{ width: share(answer.owned.hours) }" /></span>
          <strong>{{ span(answer.owned.hours) }}</strong>
          <span class="label"
            >for nothing
            <button type="button" class="door label" data-test="take-owned" @click="take(answer.owned)">
              make it an arrangement
            </button></span
          >
        </li>
        <li v-for="it in good" :key="it.item" data-test="purchase">
          <span>{{ it.label }}</span>
          <span class="staff"
            ><i class="bar" :style="{ width: share(base) }" /><i
              class="won"
              :style="{ left: share(base), width: share(it.won_h) }"
          /></span>
          <strong>{{ span(it.hours ?? 0) }}</strong>
          <span class="label"
            >{{ it.price == null ? WORDS[it.worth] : `${short(it.price)} ${currency}`
            }}{{ it.h_per_coin == null ? "" : `, ${short(it.h_per_coin)} h per ${currency || "coin"}`
            }}{{ it.h_per_kg == null ? "" : `, ${short(it.h_per_kg)} h per kg`
            }}{{ it.worth === "bettered" || it.worth === "beyond" ? `; ${WORDS[it.worth]}` : "" }}
            <button
              v-if="it.member"
              type="button"
              class="door label"
              :aria-label="`make it an arrangement: ${it.label}`"
              @click="take(it.member)"
            >
              make it an arrangement
            </button></span
          >
        </li>
      </ul>
      <details v-if="rest.length" class="rest" data-test="not-worth">
        <summary class="label">what is not worth it, and why ({{ rest.length }})</summary>
        <ul>
          <li v-for="it in rest" :key="it.item">{{ it.sentence }}</li>
        </ul>
      </details>
      <p class="faint label">
        Each was put together with what is owned and that one thing, judged and marched. Prices are yours;
        local codes and the makers’ sheets have the last word on what may be wired.
      </p>
    </template>
    <AnswerState
      v-else
      :ready="false"
      :trouble="trouble"
      looking="Each purchase is put together, judged and marched …"
      @again="again"
    />
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 6px 0;
}
.staves li {
  display: grid;
  grid-template-columns: 16em minmax(120px, 1fr) 7em 22em;
  gap: 4px 14px;
  align-items: center;
  padding: 4px 0;
}
.staff {
  position: relative;
  height: 16px;
  border-bottom: 1px solid var(--line);
}
.bar,
.won {
  position: absolute;
  bottom: 0;
  left: 0;
  height: 12px;
  background: var(--primary);
  opacity: 0.35;
}
.won {
  opacity: 1;
  background: var(--primary);
}
summary {
  cursor: pointer;
  min-height: 28px;
}
@media (--desk) {
  .staves li {
    grid-template-columns: 1fr 7em;
  }
  .staff,
  .staves .label {
    grid-column: 1 / -1;
  }
}
@media (--phone) {
  summary {
    min-height: 40px;
  }
}
</style>
