<script setup lang="ts">
import { computed, ref, watch } from "vue";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import LeadsList from "./LeadsList.vue";
import OutageChoice from "./OutageChoice.vue";
import PricesList from "./PricesList.vue";
import FrontBoard from "./FrontBoard.vue";
import WantedDevices from "./WantedDevices.vue";
import { bought } from "./front";
import { short, span } from "./shelf";
import { useFinder, useWanted } from "./useFinder";
import { useTaking } from "./useShelf";

/** The finder: a question in a sentence, and its front as a shore with steps. */
const { plan } = useSite();
const { devices, label, names } = useWanted();
const { takeWith } = useTaking();
const { asked, answer, trouble, progress, stopped, ask, stop } = useFinder();
const currency = computed(() => plan.value?.site.energy_price?.currency ?? "");
const chosen = ref(0);
const front = computed(() => answer.value?.front ?? []);
// The cheapest that lasts, else the longest.
watch(front, (now) => {
  const lasts = now.findIndex((it) => it.hours >= asked.hours - 1e-9);
  const longest = now.reduce((best, it, at) => (it.hours > (now[best]?.hours ?? 0) ? at : best), 0);
  chosen.value = lasts >= 0 ? lasts : longest;
});
const member = computed(() => front.value[chosen.value]);
const headline = computed(() => {
  if (!answer.value) return "";
  const it = member.value;
  if (!it) return answer.value.sentence;
  const lasts = it.hours >= asked.hours - 1e-9;
  const price = it.priced ? `for ${short(it.spend)} ${currency.value}` : "at a price that nobody states";
  const buys =
    bought(it).length > 0 ? `with ${bought(it).join(" and ")} to buy ${price}` : "with nothing to buy";
  return lasts
    ? `${names.value} ${devices.value.length > 1 ? "last" : "lasts"} ${span(it.hours)} ${buys}.`
    : `Nothing lasts ${span(asked.hours)}. The longest: ${span(it.hours)}, ${buys}.`;
});
const proof = computed(() => {
  const it = answer.value;
  if (!it) return "";
  const tried = it.tried === 1 ? "one set of chains was" : `${it.tried} sets of chains were`;
  if (it.proven) return `Proven best; ${tried} judged and marched.`;
  const more =
    it.within > 0
      ? `at most ${Math.ceil(it.within * 100)} % longer was missed`
      : "something cheaper may have been missed";
  const end = progress.value ? "Still looking" : stopped.value ? "Stopped by you" : "Stopped";
  return `${end}; ${tried} judged and marched: ${more}.`;
});
const take = () => {
  if (member.value) void takeWith(member.value.arrangement, member.value.added);
};
function step(by: number) {
  if (front.value.length > 0) chosen.value = (chosen.value + by + front.value.length) % front.value.length;
}
const dry = computed(() => asked.dry.filter((it) => devices.value.includes(it)));
const wettable = computed<[string, string][]>(() => [
  ["", dry.value.length > 0 ? "nor to …" : "mains may lead to all"],
  ...devices.value
    .filter((it) => !dry.value.includes(it))
    .map((it): [string, string] => [it, dry.value.length > 0 ? label(it) : `no mains to ${label(it)}`]),
]);
useKeys({
  enter: () => void ask(),
  escape: stop,
  a: take,
  arrowup: () => step(-1),
  arrowdown: () => step(1),
});
</script>

<template>
  <section class="finder" aria-label="the finder">
    <p class="asked" data-test="finder-question">
      What runs
      <WantedDevices />
      for
      <InlineNumber :value="asked.hours" name="hours" unit="h" @change="(it) => (asked.hours = it)" />
      in
      <OutageChoice v-model="asked.outage" v-model:day="asked.day" />
      with
      <ChoiceEntry
        :value="asked.shelf"
        name="shelf"
        :choices="[
          ['owned', 'what is owned'],
          ['site', 'all of the site’s kit, owned or not'],
          ['kinds', 'that and the ready-made kinds, at your prices'],
        ]"
        @change="asked.shelf = $event"
      />
      and
      <ChoiceEntry
        :value="asked.leads"
        name="leads"
        :choices="[
          ['', 'leads just thick enough, at no price'],
          ['own', 'leads in sizes of your own, at your prices'],
        ]"
        @change="asked.leads = $event"
      />
      spending at most
      <input
        v-model="asked.spend"
        class="money"
        inputmode="decimal"
        aria-label="money to spend at most"
        placeholder="any"
      />
      {{ currency }}, carrying at most
      <input
        v-model="asked.weight"
        class="money"
        inputmode="decimal"
        aria-label="weight at most"
        placeholder="any"
      />
      kg and buying at most
      <input
        v-model="asked.parts"
        class="money"
        inputmode="numeric"
        aria-label="parts to buy at most"
        placeholder="any"
      />
      parts, so that
      <ChoiceEntry
        :value="asked.proven"
        name="what may be open"
        :choices="[
          ['', 'nothing trips'],
          ['yes', 'nothing trips and nothing is unproven'],
        ]"
        @change="asked.proven = $event"
      />
      and
      <ChoiceEntry
        :value="asked.hand"
        name="actions by hand"
        :choices="[
          ['0', 'nothing is switched by hand'],
          ['2', 'at most two actions by hand a day'],
          ['4', 'at most four actions by hand a day'],
        ]"
        @change="asked.hand = $event"
      />
      and
      <span v-for="id in dry" :key="id" class="device"
        >no mains to {{ label(id) }}
        <button
          type="button"
          class="door label"
          :aria-label="`mains may lead to ${label(id)}`"
          @click="asked.dry = asked.dry.filter((it) => it !== id)"
        >
          ×
        </button></span
      >
      <ChoiceEntry
        v-if="wettable.length > 1"
        value=""
        name="what stands outside"
        :choices="wettable"
        @change="asked.dry = [...asked.dry, $event]"
      />
      <button v-if="progress" type="button" class="door label" data-test="stop" @click="stop">
        Esc stop
      </button>
      <button v-else type="button" class="door label" data-test="find" @click="ask">Enter find it</button>
    </p>
    <LeadsList v-if="asked.leads === 'own'" :currency="currency" />
    <PricesList v-if="asked.shelf === 'kinds'" :currency="currency" counted />
    <p v-if="progress" class="faint label" role="status" data-test="finder-progress">
      {{ progress.tried }} sets of chains judged and marched, {{ progress.branches }} branches looked at …
    </p>
    <AnswerState
      v-if="!answer && (progress || trouble)"
      :ready="false"
      :trouble="trouble"
      looking="Chains are put together, judged and marched …"
      @again="ask"
    />
    <template v-if="answer">
      <p class="answered" role="status" data-test="finder-answer">{{ headline }}</p>
      <p class="faint label" data-test="finder-proof">{{ proof }}</p>
      <p v-if="answer.unpriced.length && answer.unpriced.length < 5" class="faint label">
        Left out, as nobody states a price: {{ answer.unpriced.join(", ") }}.
      </p>
      <details v-else-if="answer.unpriced.length" class="faint label">
        <summary>left out, as nobody states a price ({{ answer.unpriced.length }})</summary>
        {{ answer.unpriced.join(", ") }}.
      </details>
      <FrontBoard
        v-if="front.length"
        :found="answer"
        :wanted="asked.hours"
        :chosen="chosen"
        :currency="currency"
        @choose="chosen = $event"
      />
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
    <p v-else-if="!progress && !trouble" class="faint label">
      Each device on one port, straight, behind an inverter, or through the fewest converters that do; every
      answer is put together, judged and marched before it is told. Leads are as long as the plan knows the
      way to a device, else 2 m.
    </p>
  </section>
</template>

<style scoped>
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
summary {
  cursor: pointer;
  min-height: 28px;
}
.taking .label {
  margin-left: 8px;
}
@media (--phone) {
  .money {
    min-height: 40px;
  }
}
</style>
