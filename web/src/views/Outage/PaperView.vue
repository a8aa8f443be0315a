<script setup lang="ts">
import { computed, watch } from "vue";
import { useRoute } from "vue-router";
import AnswerState from "../../components/AnswerState.vue";
import { useSite } from "../../composables/useSite";
import { clockAt, short } from "./timeline";
import { figureValue } from "../../composables/useEdits";
import { clock, day } from "../../format/units";
import { useChances, useTold } from "./useOutage";

/** One page to hang in the cupboard: what to do when, and what lasts how long. */
const route = useRoute();
const { plan } = useSite();
const of = computed(() => ({
  arrangement: String(route.params["way"]),
  outage: String(route.params["outage"]),
}));
/** The whole scenario comes with the address, so that the page is of what was looked at. */
const asked = (name: string) => {
  const found = route.query[name];
  return typeof found === "string" && found !== "" ? found : undefined;
};
const drop = computed(() => asked("drop")?.split(",") ?? []);
const below = computed(() => (asked("below_soc") === undefined ? undefined : Number(asked("below_soc"))));
const everything = computed(() =>
  asked("use_everything") === undefined ? undefined : asked("use_everything") === "true",
);
const { told, asked: question, trouble, again, follow } = useTold(of, drop, everything, below);
follow();
/** How sure the hours are belongs on the page that hangs there when nothing can be asked any more. */
const RUNS = 500;
const { chances, progress, run } = useChances(question);
watch(told, (now) => now && void run(RUNS));
function range(id: string): string {
  const hours = chances.value?.chances.devices[id]?.hours;
  return hours ? `${short(hours.p5)} to ${short(hours.p95)} in nine of ten` : "";
}
const outage = computed(() => plan.value?.outages.find((it) => it.id === of.value.outage));
/** What the page is of, in words: from when, how long, what is dropped, how far the stores are used. */
const scene = computed(() => {
  if (!outage.value) return "";
  const { start } = outage.value;
  const hour = Number(start.slice(11, 13)) + Number(start.slice(14, 16)) / 60;
  const words = [
    `From ${day(start.slice(0, 10))}, ${clock(hour)}, for ${short(figureValue(outage.value.hours))}.`,
  ];
  if (drop.value.length > 0) {
    const when =
      below.value === undefined
        ? "from the beginning"
        : `below ${Math.round(below.value * 100)} % of its store`;
    words.push(`Without ${drop.value.map(label).join(", ")}, ${when}.`);
  }
  const all = everything.value ?? outage.value.use_everything === true;
  words.push(all ? "Stores are used to the end." : "Stores are spared at their floors.");
  return words.join(" ");
});
const way = computed(() => plan.value?.arrangements.find((it) => it.id === of.value.arrangement));
const label = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const list = computed(() => told.value?.todo ?? []);
const medical = computed(() =>
  (plan.value?.kit.devices ?? []).some((it) => /medical|breathing/i.test(`${it.role ?? ""} ${it.label}`)),
);
const print = () => globalThis.print();
</script>

<template>
  <main v-if="told && plan" class="paper" data-test="paper">
    <h1>{{ told.headline }}</h1>
    <p class="faint">
      {{ plan.site.name }}, {{ way?.label }}. Worked out beforehand: what you read counts more.
    </p>
    <p data-test="paper-scene">{{ scene }}</p>
    <p v-if="chances" data-test="paper-range">{{ chances.headline }} {{ chances.owner ?? "" }}</p>
    <p v-else class="faint" role="status">
      {{ progress ? "How sure the hours are is being worked out …" : "How sure the hours are is not known." }}
    </p>
    <ol>
      <li v-for="(it, index) in list" :key="index">
        <span class="box" aria-hidden="true" />
        <span class="when">{{ clockAt(told, it.at_h) }}</span>
        <span class="label faint after">{{ short(it.at_h) }}</span>
        <span>{{ it.what }}</span>
      </li>
    </ol>
    <h2>What lasts how long</h2>
    <ul class="until">
      <li v-for="id in told.order" :key="id">
        <strong>{{ label(id) }}</strong>
        {{
          told.simulation.devices[id]?.down_at_h == null
            ? "lasts"
            : short(told.simulation.devices[id]?.down_at_h ?? 0)
        }}
        <span v-if="range(id)" class="faint">{{ range(id) }}</span>
      </li>
    </ul>
    <ul class="cautions">
      <li>
        Engines and flames outside only, never in the room you sleep in. Local codes and licensed people rule.
      </li>
      <li>
        Nothing wet near mains; switch off before you plug over; mind what starts by itself at the return.
      </li>
      <li v-if="medical">
        For a breathing aid: the maker's instructions and the care team come first. Leave for help early.
      </li>
    </ul>
    <button type="button" class="door noprint" @click="print">print this page</button>
  </main>
  <main v-else class="paper">
    <AnswerState :ready="false" :trouble="trouble" @again="again" />
  </main>
</template>

<style scoped>
.paper {
  max-width: 900px;
  padding: 20px 24px;
}
h1 {
  font-size: var(--size-figure);
  font-weight: 600;
}
h2 {
  font-size: var(--size-line);
  font-weight: 600;
  margin-top: 14px;
}
ol,
ul {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
ol li {
  display: grid;
  grid-template-columns: 18px 84px 64px minmax(0, 1fr);
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
  break-inside: avoid;
}
.box {
  width: 13px;
  height: 13px;
  margin-top: 4px;
  border: 1.5px solid var(--ink);
}
.when {
  font-weight: 600;
}
.until {
  columns: 3 200px;
}
.cautions li {
  padding: 2px 0;
}
@media print {
  .noprint {
    display: none;
  }
  .paper {
    font-size: var(--size-print-word);
    padding: 0;
  }
}
</style>
