<script setup lang="ts">
import { computed, onMounted, reactive, ref, shallowRef, watch } from "vue";
import { api, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { figureValue } from "../../composables/useEdits";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { useChosen } from "../Outage/useOutage";
import BeginsBy from "./BeginsBy.vue";
import DrillBegin from "./DrillBegin.vue";
import BringIn from "./BringIn.vue";
import { who, type Asked, type Listed } from "./useWatch";

/** Nothing is watched: begin with one key, practise on a hidden world, or look back. */
defineProps<{ list: Listed[] }>();
const emit = defineEmits<{
  begin: [body: Asked];
  choose: [number: number];
  past: [body: Schemas["PastAsked"]];
}>();
const { plan, id: site } = useSite();
const { ways, outages, way, outage, choose } = useChosen();
const meters = shallowRef<Schemas["LiveMeter"][]>([]);
const at = reactive<Record<string, string>>({});
const soc = reactive<Record<string, number>>({});
const stores = computed(() =>
  (plan.value?.kit.sources ?? []).filter(
    (it) =>
      it.battery &&
      way.value?.feeds.some((feed) => feed.from.item === it.id || feed.to.split("/")[0] === it.id),
  ),
);
watch(
  [stores, outage],
  () => {
    for (const it of stores.value) {
      const own = outage.value?.initial_soc?.[it.id];
      soc[it.id] = Math.round((own === undefined ? 1 : figureValue(own)) * 100);
    }
  },
  { immediate: true },
);
onMounted(async () => {
  const found = await api.GET("/meters").catch(() => undefined);
  meters.value = (found?.data?.meters ?? []).filter((it) => it.values.some((value) => value.unit === "%"));
});
/** Which store a meter stands at: the one that a person says, at first none. */
const reads = (meter: string) => at[meter] ?? "";
const body = (): Asked => ({
  arrangement: way.value?.id ?? "",
  outage: outage.value?.id ?? "",
  starts: Object.fromEntries(stores.value.map((it) => [it.id, { soc: (soc[it.id] ?? 100) / 100 }])),
  meters: Object.fromEntries(Object.entries(at).filter(([, source]) => source)),
  ...(who.value ? { by: who.value } : {}),
});
const ready = computed(() => Boolean(way.value && outage.value));
const begin = () => ready.value && emit("begin", body());

const drill = (asked: Schemas["DrillAsked"]) => emit("begin", { ...body(), meters: {}, drill: asked });
const past = ref(false);
useKeys({ g: begin });
const KINDS = { outage: "outage", drill: "drill", past: "brought in" };
</script>

<template>
  <h1>Nothing is being watched.</h1>
  <p class="second">
    When the mains goes, one key begins: the server keeps watch, also while this page is closed.
  </p>
  <div class="columns">
    <section aria-label="The mains is out">
      <h2>The mains is out</h2>
      <p class="choices label">
        <label
          >arrangement
          <ChoiceEntry
            :value="way?.id ?? ''"
            name="arrangement"
            :choices="ways.map((it) => [it.id, it.label])"
            @change="choose({ way: $event })"
        /></label>
        <label
          >planned as
          <ChoiceEntry
            :value="outage?.id ?? ''"
            name="planned as"
            :choices="outages.map((it) => [it.id, it.label])"
            @change="choose({ outage: $event })"
        /></label>
      </p>
      <table class="label">
        <thead>
          <tr>
            <th scope="col">store</th>
            <th scope="col">charge now, %</th>
            <th scope="col">read by</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="it in stores" :key="it.id">
            <th scope="row">{{ it.label }}</th>
            <td>
              <input
                v-model.number="soc[it.id]"
                type="number"
                min="0"
                max="100"
                :aria-label="`charge of ${it.label}, per cent`"
              />
            </td>
            <td>
              <label v-for="meter in meters" :key="meter.id" class="meter">
                <input
                  type="checkbox"
                  :checked="reads(meter.id) === it.id"
                  @change="at[meter.id] = reads(meter.id) === it.id ? '' : it.id"
                />
                {{ meter.label }}
              </label>
              <span v-if="!meters.length" class="faint">nothing; you read its display or a meter</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="label who">
        <label>who acts here <input v-model="who" maxlength="40" placeholder="nobody named" /></label>
      </p>
      <button type="button" class="go" :disabled="!ready" data-test="begin" @click="begin">
        <kbd>g</kbd> watch this outage from now
      </button>
      <p v-if="!ready" class="faint">
        A chain and an outage must be described first, in Chains and in Outage.
      </p>
      <BeginsBy v-if="way && outage" :key="site" :arrangement="way.id" :outage="outage.id" />
    </section>
    <section aria-label="Drill">
      <DrillBegin :ready="ready" @drill="drill" />
      <h2>Looked back at</h2>
      <ul v-if="list.length" class="label">
        <li v-for="it in list" :key="it.number">
          <button
            type="button"
            class="door"
            :data-test="`past-${it.number}`"
            @click="emit('choose', it.number)"
          >
            {{ it.label }}
          </button>
          <span class="faint">{{ KINDS[it.kind] }}, {{ it.start.replace("T", " ") }}</span>
        </li>
      </ul>
      <p v-else class="faint">No outage was watched yet.</p>
      <button type="button" class="door" data-test="bring-in" :aria-expanded="past" @click="past = !past">
        bring in an outage of the past, from a logger’s file
      </button>
      <BringIn
        v-if="past && way && outage"
        :key="site"
        :arrangement="way.id"
        :outage="outage.id"
        :starts="body().starts ?? {}"
        :stores="stores"
        @past="emit('past', $event)"
      />
    </section>
  </div>
</template>

<style scoped>
h1 {
  font-size: var(--size-answer);
  font-weight: 600;
}
h2 {
  font-size: var(--size-line);
  font-weight: 600;
  margin: 18px 0 6px;
}
.second {
  color: var(--faint);
  font-size: var(--size-line);
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 56px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  margin: 8px 0;
}
.choices label {
  color: var(--faint);
}
.choices :deep(select) {
  display: block;
  width: auto;
  max-width: 300px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  padding: 5px 14px 5px 0;
  border-top: 1px solid var(--line);
  font-weight: 500;
}
thead th {
  border: 0;
  color: var(--faint);
}
input:not([type="checkbox"]) {
  font: inherit;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  width: 9ch;
  min-height: 28px;
}
.who {
  margin: 12px 0;
  color: var(--faint);
}
.who input {
  width: 18ch;
}
:global(:root[data-theme="blackout"] .meter input) {
  color-scheme: dark;
}
.meter input {
  accent-color: var(--primary);
}
.choices input {
  display: block;
}
.meter {
  display: block;
}
.go {
  margin-top: 8px;
  padding: 12px 22px;
  border: 1px solid var(--primary);
  color: var(--ink);
  font-size: var(--size-title);
  font-weight: 600;
}
.go:disabled {
  opacity: 0.5;
}
kbd {
  font: 600 var(--size-head) var(--font-label);
  color: var(--primary);
  margin-right: 10px;
}
ul {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
li {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
@media (--tablet) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .go {
    width: 100%;
  }
}
</style>
