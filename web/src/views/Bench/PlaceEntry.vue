<script setup lang="ts">
import { computed, ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useSite } from "../../composables/useSite";
import { meterPlaces, placeOf } from "./places";
import { useTests, type Test, type Tested } from "./useTests";

/** Where the meter of a capacity test stands, and what gave up before the store did. */
const props = defineProps<{ tested: Tested }>();
const { plan } = useSite();
const { keep } = useTests();
const trouble = ref("");
const refusals = ref(0);
const source = computed(() => plan.value?.kit.sources.find((it) => it.id === props.tested.test.of.id));
const choices = computed(() => meterPlaces(source.value));
const chosen = computed(() => placeOf(props.tested.test, source.value));
/** What meters usually may be off that nobody described: a clock; watt-hours; volts and amperes. */
const CLOCK = { share: 0, fixed: 0, step: 0.01 };
const COUNTING = [CLOCK, { share: 0.01, fixed: 0, step: 0.1 }];
const READING = [CLOCK, { share: 0.005, fixed: 0, step: 0.01 }, { share: 0.01, fixed: 0, step: 0.01 }];
const copy = (): Test => ({ ...(JSON.parse(JSON.stringify(props.tested.test)) as Test), file: null });

async function choose(key: string) {
  const choice = choices.value.find((it) => it.key === key);
  if (!choice) return;
  const columns = props.tested.readings.length;
  const counts = props.tested.test.rows.some((it) => it.struck == null);
  if (counts && (choice.counted ? 2 : 3) !== columns) {
    // The list shows again what holds.
    refusals.value += 1;
    trouble.value = "The rows that stand here were read another way. Strike them first, or begin a new test.";
    return;
  }
  trouble.value = "";
  const test = { ...copy(), place: choice.place, counted: choice.counted || null };
  // Another kind of reading is read with another meter.
  if ((choice.counted ? 2 : 3) !== columns) test.meters = choice.counted ? COUNTING : READING;
  await keep(props.tested.id, test);
}
async function warm(text: string) {
  const celsius = Number(text.replace(",", ".").replace(/\s*°?C?$/, ""));
  if (text !== "" && !Number.isFinite(celsius)) {
    trouble.value = `“${text}” is no temperature; write 18 for 18 °C, or leave it empty.`;
    return;
  }
  trouble.value = "";
  await keep(props.tested.id, { ...copy(), battery_c: text === "" ? null : celsius });
}
const quit = (text: string) => keep(props.tested.id, { ...copy(), quit: text.trim() === "" ? null : text });
</script>

<template>
  <div class="place" data-test="meter-place">
    <p>
      <span class="label faint">the meter stands</span>
      <ChoiceEntry
        :key="refusals"
        :value="chosen"
        name="where the meter stands"
        :choices="choices.map((it): [string, string] => [it.key, it.words])"
        @change="choose"
      />
    </p>
    <p>
      <label
        ><span class="label faint">gave up first, if not the store</span>
        <TextEntry :value="tested.test.quit ?? ''" name="what gave up before the store did" @change="quit"
      /></label>
    </p>
    <p>
      <label
        ><span class="label faint">how warm the battery was, °C</span>
        <TextEntry
          :value="tested.test.battery_c == null ? '' : String(tested.test.battery_c)"
          name="how warm the battery was, °C"
          @change="warm"
      /></label>
    </p>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.place {
  display: grid;
  gap: 4px;
  padding-bottom: 8px;
  max-width: 520px;
}
.place p,
.place label {
  display: grid;
  grid-template-columns: 176px minmax(0, 1fr);
  gap: 12px;
  align-items: baseline;
  margin: 0;
}
.place p:has(label) {
  display: block;
}
@media (--tablet) {
  .place p,
  .place label {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
