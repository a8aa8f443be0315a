<script setup lang="ts">
import { computed } from "vue";
import TextEntry from "../../components/TextEntry.vue";
import { saveCsv, saveFile } from "../../format/save";
import { moment } from "../../format/units";
import FileGive from "./FileGive.vue";
import HistoryBoard from "./HistoryBoard.vue";
import MetersDrawing from "./MetersDrawing.vue";
import OutcomeBoard from "./OutcomeBoard.vue";
import PlaceEntry from "./PlaceEntry.vue";
import RowsEntry from "./RowsEntry.vue";
import StepTimer from "./StepTimer.vue";
import { useTests, type Guide, type Tested } from "./useTests";

/** A test: cautions first, where the meters go, what to do, the readings, the answer. */
const props = defineProps<{ tested: Tested; guide: Guide; name: string }>();
const { keep } = useTests();
defineEmits<{ open: [test: string] }>();
/** A logger's file holds volts and amperes, not what is counted. */
const counts = computed(
  () => props.tested.test.protocol === "capacity" && columns.value.some((it) => it.unit === "Wh"),
);
const columns = computed(() => props.tested.readings);

const note = (text: string) => keep(props.tested.id, { ...props.tested.test, file: null, note: text });
function table() {
  const head = [...columns.value.map((it) => `${it.name} (${it.unit})`), "struck"];
  saveCsv(props.tested.id, [head, ...props.tested.test.rows.map((it) => [...it.values, it.struck ?? ""])]);
}
function whole() {
  const text = JSON.stringify(
    { id: props.tested.id, begun: props.tested.begun, ...props.tested.test, outcome: props.tested.outcome },
    null,
    2,
  );
  saveFile(`${props.tested.id}.json`, new Blob([text], { type: "application/json" }));
}
</script>

<template>
  <article class="sheet" :aria-label="`${guide.title}: ${name}`" data-test="test">
    <h2>{{ guide.title }}: {{ name }}</h2>
    <p>{{ guide.answers }}</p>
    <p class="label faint">Begun {{ moment(tested.begun) }}; about {{ guide.minutes }} minutes of work.</p>
    <ul class="cautions" aria-label="cautions">
      <li v-for="it in guide.cautions" :key="it">{{ it }}</li>
      <li><strong>Stop at once:</strong> {{ guide.stop }}</li>
    </ul>
    <div class="beside">
      <div>
        <MetersDrawing :guide="guide" />
        <p><span class="label faint">takes</span> {{ guide.needs.join("; ") }}</p>
        <p><span class="label faint">disconnect</span> {{ guide.disconnect }}</p>
        <p><span class="label faint">not valid with</span> {{ guide.invalid.join(" ") }}</p>
      </div>
      <ol>
        <li v-for="(it, index) in guide.steps" :key="it.words">
          {{ it.words }}
          <StepTimer
            v-if="it.wait_s != null"
            :id="`${tested.id}.${index}`"
            :key="`${tested.id}.${index}`"
            :seconds="it.wait_s"
          />
        </li>
      </ol>
    </div>
    <div class="work">
      <div>
        <PlaceEntry v-if="tested.test.protocol === 'capacity'" :key="`${tested.id}.place`" :tested="tested" />
        <RowsEntry v-if="columns.length" :key="tested.id" :tested="tested" />
        <FileGive v-if="guide.file && !counts" :tested="tested" :guide="guide" />
      </div>
      <OutcomeBoard :tested="tested" />
    </div>
    <HistoryBoard
      :kind="tested.test.of.kind"
      :of="tested.test.of.id"
      :changed="`${tested.changed} ${tested.in_use} ${tested.outcome?.sentence}`"
      @open="(id) => $emit('open', id)"
    />
    <p class="foot label">
      <label class="note"
        >conditions <TextEntry :value="tested.test.note ?? ''" name="conditions of the test" @change="note"
      /></label>
      <button v-if="columns.length" type="button" class="door" @click="table">CSV</button>
      <button type="button" class="door" @click="whole">JSON</button>
    </p>
  </article>
</template>

<style scoped>
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
.cautions {
  margin: 6px 0;
  padding-left: 18px;
  color: var(--tight);
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 8px 32px;
  padding-bottom: 8px;
}
.work {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 8px 32px;
  border-top: 2px solid var(--line);
  padding-top: 8px;
}
ol {
  margin: 0;
  padding-left: 22px;
}
ol li {
  padding: 3px 0;
}
.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  align-items: baseline;
  padding: 8px 0;
}
.note {
  display: inline-flex;
  gap: 8px;
  flex: 0 1 420px;
  align-items: baseline;
}
@media (--tablet) {
  .work,
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
