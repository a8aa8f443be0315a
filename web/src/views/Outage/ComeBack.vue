<script setup lang="ts">
import { computed } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import FillingUp from "./FillingUp.vue";
import { onTheClock, short } from "./timeline";
import type { Of, Told } from "./useOutage";

/** After the return: in which order everything starts, and how long the stores take to fill again. */
const props = defineProps<{ of: Of; told: Told }>();
const emit = defineEmits<{ rule: [rule: Schemas["Rule"]] }>();
const { plan } = useSite();
const label = (id: string) =>
  [...(plan.value?.kit.devices ?? []), ...(plan.value?.kit.sources ?? [])].find((it) => it.id === id)
    ?.label ?? id;
const left = computed(() =>
  Object.fromEntries(Object.entries(props.told.simulation.sources).map(([id, it]) => [id, it.end_soc])),
);
const {
  answer: order,
  trouble,
  again,
  follow,
} = useAsked(
  async (site, changes) => {
    const body = { of: { ...props.of, changes }, soc: left.value };
    return taken(await api.POST("/sites/{site}/outage/starts", { params: { path: { site } }, body }));
  },
  () => [props.of.arrangement, props.of.outage, JSON.stringify(left.value)],
);
follow();
const near = (it: Schemas["StartTurn"]) =>
  [it.takes_s > 0 ? `starts for ${clock(it.takes_s)}` : "", it.tightest ?? ""].filter(Boolean).join("; ");
const clock = (seconds: number) => (seconds < 90 ? `${Math.round(seconds)} s` : short(seconds / 3600));
</script>

<template>
  <section class="back" data-test="come-back">
    <div>
      <h2>Who starts when</h2>
      <AnswerState :ready="order !== undefined" :trouble="trouble" @again="again" />
      <p v-if="order" data-test="start-sentence">{{ order.sentence }}</p>
      <ol v-if="order?.turns.length">
        <li v-for="it in order.turns" :key="it.device" class="turn">
          <span>{{ order.at_once ? "at once" : onTheClock(it.at_s) }}</span>
          <span
            ><strong>{{ label(it.device) }}</strong
            >&nbsp; <span class="label faint">{{ near(it) }}</span></span
          >
        </li>
      </ol>
      <ul v-if="order?.hands.length" aria-label="Started by hand">
        <li v-for="it in order.hands" :key="it.device" class="turn" data-test="by-hand">
          <span>by hand</span>
          <span :data-status="it.breaks ? 'trips' : undefined">{{ it.sentence }}</span>
        </li>
      </ul>
      <button
        v-if="order?.rule"
        type="button"
        class="door"
        data-test="take-stagger"
        @click="emit('rule', order.rule)"
      >
        put this order into the outage
      </button>
    </div>
    <FillingUp :arrangement="of.arrangement" :outage="of.outage" :left="left" />
  </section>
</template>

<style scoped>
.back {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 8px 40px;
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
h2 {
  font-size: var(--size-word);
  font-weight: 600;
}
ol,
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
li {
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
}
.turn {
  display: grid;
  grid-template-columns: 72px minmax(0, 1fr);
}
@media (--narrow) {
  .back {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
