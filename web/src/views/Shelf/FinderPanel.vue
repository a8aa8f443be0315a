<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useEdits } from "../../composables/useEdits";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { useChosen } from "../Outage/useOutage";
import { shoreOf } from "./front";
import { short, span } from "./shelf";
import { useNarrow } from "./useNarrow";
import { useTaking, useTicked } from "./useShelf";

/** The finder: a question in a sentence, and its front as a shore with steps. */
const HIGH = 250;
const narrow = useNarrow();
const wide = computed(() => (narrow.value ? 300 : 560));
const { id: site, plan } = useSite();
const { changes } = useEdits();
const { outages } = useChosen();
const { ticked, tick } = useTicked();
const { takeWith } = useTaking();
const asked = reactive({ hours: 24, outage: "", spend: "", weight: "", shelf: "site", proven: "" });
const kit = computed(() => plan.value?.kit.devices ?? []);
/** What is ticked; at first the two that matter most. */
const devices = computed(() => {
  if (ticked.value.length > 0) return ticked.value;
  const rank = (it: (typeof kit.value)[number]) => {
    const of = it.priority as number | { value: number } | null | undefined;
    return of == null ? Infinity : typeof of === "number" ? of : of.value;
  };
  return [...kit.value]
    .sort((a, b) => rank(a) - rank(b))
    .slice(0, 2)
    .map((it) => it.id);
});
const label = (id: string) => kit.value.find((it) => it.id === id)?.label ?? id;
const more = computed<[string, string][]>(() => [
  ["", "and …"],
  ...kit.value
    .filter((it) => !devices.value.includes(it.id))
    .map((it): [string, string] => [it.id, it.label]),
]);
const currency = computed(() => plan.value?.site.energy_price?.currency ?? "");
const set = (ids: string[]) => {
  tick(ticked.value, false);
  tick(ids, true);
};
const answer = ref<Schemas["FinderAnswer"]>();
const trouble = ref<string>();
const looking = ref(false);
const chosen = ref(0);
let latest = 0;
async function ask() {
  if (devices.value.length === 0) return;
  const number = (latest += 1);
  answer.value = trouble.value = undefined;
  looking.value = true;
  const limit = (text: string) => (text === "" ? undefined : Number(text));
  const [spend, weight] = [limit(asked.spend), limit(asked.weight)];
  const body = {
    devices: devices.value,
    hours: asked.hours,
    front: true,
    shelf: asked.shelf,
    proven_only: asked.proven !== "",
    changes: changes.value,
    ...(asked.outage ? { outage: asked.outage } : {}),
    ...(spend === undefined ? {} : { spend }),
    ...(weight === undefined ? {} : { weight_kg: weight }),
  };
  try {
    const got = taken(await api.POST("/sites/{site}/find", { params: { path: { site: site.value } }, body }));
    if (number !== latest) return;
    answer.value = got;
    // The cheapest that lasts, else the longest.
    const lasts = got.front.findIndex((it) => it.hours >= asked.hours - 1e-9);
    const longest = got.front.reduce(
      (best, it, at) => (it.hours > (got.front[best]?.hours ?? 0) ? at : best),
      0,
    );
    chosen.value = lasts >= 0 ? lasts : longest;
  } catch (error) {
    if (number === latest)
      trouble.value = error instanceof Refused ? error.message : "The server does not answer.";
  } finally {
    if (number === latest) looking.value = false;
  }
}
const front = computed(() => answer.value?.front ?? []);
const shore = computed(() => shoreOf(front.value, asked.hours, wide.value, HIGH));
const member = computed(() => front.value[chosen.value]);
const headline = computed(() => {
  if (!answer.value) return "";
  const all = devices.value.map(label);
  const names = [all.slice(0, -1).join(", "), all[all.length - 1]].filter(Boolean).join(" and ");
  const it = member.value;
  if (!it) return `Nothing here runs ${names} together without a trip.`;
  const lasts = it.hours >= asked.hours - 1e-9;
  const buys =
    it.buys.length > 0
      ? `with ${it.buys.join(" and ")} to buy for ${short(it.spend)} ${currency.value}`
      : "with nothing to buy";
  return lasts
    ? `${names} ${all.length > 1 ? "last" : "lasts"} ${span(it.hours)} ${buys}.`
    : `Nothing lasts ${span(asked.hours)}. The longest: ${span(it.hours)}, ${buys}.`;
});
const proof = computed(() => {
  const it = answer.value;
  if (!it) return "";
  if (it.proven) return `Proven best; ${it.tried} sets of chains were judged and marched.`;
  return it.within > 0
    ? `Stopped after ${it.tried} sets of chains: at most ${Math.ceil(it.within * 100)} % longer was missed.`
    : `Stopped after ${it.tried} sets of chains: something cheaper may have been missed.`;
});
const take = () => {
  if (member.value) void takeWith(member.value.arrangement, member.value.added);
};
function step(by: number) {
  if (front.value.length > 0) chosen.value = (chosen.value + by + front.value.length) % front.value.length;
}
watch([devices, () => ({ ...asked }), plan], () => {
  latest += 1;
  answer.value = undefined;
  looking.value = false;
});
useKeys({ enter: () => void ask(), a: take, arrowup: () => step(-1), arrowdown: () => step(1) });
</script>

<template>
  <section class="finder" aria-label="the finder">
    <p class="sentence" data-test="finder-question">
      What runs
      <span v-for="id in devices" :key="id" class="device"
        >{{ label(id) }}
        <button
          v-if="devices.length > 1"
          type="button"
          class="door label"
          :aria-label="`without ${label(id)}`"
          @click="set(devices.filter((it) => it !== id))"
        >
          ×
        </button></span
      >
      <ChoiceEntry
        value=""
        name="one more device"
        :choices="more"
        @change="$event && set([...devices, $event])"
      />
      for
      <InlineNumber :value="asked.hours" name="hours" unit="h" @change="(it) => (asked.hours = it)" />
      in
      <ChoiceEntry
        :value="asked.outage"
        name="outage"
        :choices="[
          ['', 'an outage in which nothing comes'],
          ...outages.map((it): [string, string] => [it.id, it.label]),
        ]"
        @change="asked.outage = $event"
      />
      with
      <ChoiceEntry
        :value="asked.shelf"
        name="shelf"
        :choices="[
          ['owned', 'what is owned'],
          ['site', 'all of the site’s kit, owned or not'],
        ]"
        @change="asked.shelf = $event"
      />, spending at most
      <input
        v-model="asked.spend"
        class="money"
        inputmode="decimal"
        aria-label="money to spend at most"
        placeholder="any"
      />
      {{ currency }} and carrying at most
      <input
        v-model="asked.weight"
        class="money"
        inputmode="decimal"
        aria-label="weight at most"
        placeholder="any"
      />
      kg,
      <ChoiceEntry
        :value="asked.proven"
        name="what may be open"
        :choices="[
          ['', 'nothing trips'],
          ['yes', 'nothing trips and nothing is unproven'],
        ]"
        @change="asked.proven = $event"
      />
      <button type="button" class="door label" data-test="find" @click="ask">Enter find it</button>
    </p>
    <AnswerState
      v-if="!answer && (looking || trouble)"
      :ready="false"
      :trouble="trouble"
      looking="Chains are put together, judged and marched …"
      @again="ask"
    />
    <template v-if="answer">
      <p class="told" role="status" data-test="finder-answer">{{ headline }}</p>
      <p class="faint label" data-test="finder-proof">{{ proof }}</p>
      <p v-if="answer.unpriced.length" class="faint label">
        Left out, as nobody states a price: {{ answer.unpriced.join(", ") }}.
      </p>
      <div v-if="front.length" class="both">
        <svg
          class="graph shore"
          :viewBox="`-46 -14 ${wide + 60} ${HIGH + 52}`"
          role="img"
          :aria-label="`hours against money: ${front.map((it) => `${span(it.hours)} for ${short(it.spend)} ${currency}`).join('; ')}`"
        >
          <path :d="shore.water" class="water" />
          <g v-for="it in shore.hourTicks" :key="`h${it.value}`">
            <line x1="0" :x2="wide" :y1="it.y" :y2="it.y" class="grid" />
            <text x="-6" :y="it.y + 4" class="end">{{ short(it.value) }}</text>
          </g>
          <text x="-42" y="-3">hours</text>
          <g v-for="it in shore.moneyTicks" :key="`m${it.value}`">
            <text :x="it.x" :y="HIGH + 16" class="middle">{{ short(it.value) }}</text>
          </g>
          <text :x="wide" :y="HIGH + 33" class="end">{{ currency || "money" }} to spend</text>
          <path :d="shore.line" class="steps" />
          <line x1="0" :x2="wide" :y1="shore.wantedY" :y2="shore.wantedY" class="wanted" />
          <text :x="wide" :y="shore.wantedY - 5" class="end want">{{ span(asked.hours) }} wanted</text>
          <circle
            v-for="it in shore.marks"
            :key="it.at"
            :cx="it.x"
            :cy="it.y"
            :r="it.at === chosen ? 8 : 5"
            class="mark"
            :class="{ chosen: it.at === chosen }"
            @click="chosen = it.at"
          />
        </svg>
        <ol class="members">
          <li v-for="(it, at) in front" :key="at">
            <button type="button" :aria-pressed="at === chosen" data-test="member" @click="chosen = at">
              <StatusMark :status="it.status" />
              <strong>{{ span(it.hours) }}</strong>
              <span class="label"
                >{{
                  it.buys.length ? `${it.buys.join(", ")}: ${short(it.spend)} ${currency}` : "nothing to buy"
                }}, {{ short(it.drawn_wh_day) }} Wh a day,
                {{ Math.round(Math.max(0, it.least_margin) * 100) }} % room</span
              >
            </button>
          </li>
        </ol>
      </div>
      <p v-if="member" class="taking">
        <button type="button" class="door" data-test="take-member" @click="take">
          a make it an arrangement
        </button>
        <span class="faint label">
          {{
            member.arrangement.feeds.map((it) => `${it.from.item}/${it.from.port} → ${it.to}`).join(" · ")
          }}</span
        >
      </p>
    </template>
    <p v-else-if="!looking && !trouble" class="faint label">
      Each device on one port, straight, behind an inverter, or through the fewest converters that do; every
      answer is put together, judged and marched before it is told.
    </p>
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
.device {
  font-weight: 600;
}
.money {
  font: inherit;
  color: var(--primary);
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  width: 4em;
  min-height: 28px;
}
.told {
  font-size: 21px;
  font-weight: 600;
  padding: 8px 0 2px;
  max-width: 44em;
}
.both {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 28px;
  padding: 10px 0;
}
.shore {
  width: min(100%, 620px);
  height: auto;
}
.water {
  fill: var(--surface);
  opacity: 0.25;
}
.steps {
  fill: none;
  stroke: var(--primary);
  stroke-width: 2.4;
}
.wanted {
  stroke: var(--trips);
  stroke-dasharray: 5 4;
}
.graph .want {
  fill: var(--trips);
}
.mark {
  fill: var(--page);
  stroke: var(--primary);
  stroke-width: 2;
  cursor: pointer;
}
.mark.chosen {
  fill: var(--primary);
}
.members {
  flex: 1 1 320px;
  margin: 0;
  padding: 0;
  list-style: none;
  max-height: 330px;
  overflow: auto;
}
.members button {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 5px 8px;
  width: 100%;
}
.members button[aria-pressed="true"] {
  background: var(--sheet);
  outline: 1px solid var(--primary);
  outline-offset: -1px;
}
.taking .label {
  margin-left: 8px;
}
@media (max-width: 600px) {
  .members {
    max-height: none;
  }
  .money {
    min-height: 40px;
  }
}
</style>
