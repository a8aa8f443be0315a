<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import type { Converter, ConverterFacts, Source, SourceFacts } from "../../api/client";
import KindPicker from "../../components/KindPicker.vue";
import { useKeys } from "../../composables/useKeys";
import { useKit } from "../../composables/useKit";
import { useLine } from "../../composables/useLine";
import ConverterRow from "./ConverterRow.vue";
import JunctionRow from "./JunctionRow.vue";
import SourceBlock from "./SourceBlock.vue";
import { useSupply } from "./useSupply";

const { supply, sources, converters, junctions, follow } = useSupply();
const { add } = useKit();
const adding = ref<"source" | "converter">();

const bySource = computed<Record<string, SourceFacts>>(() =>
  Object.fromEntries((supply.value?.sources ?? []).map((it) => [it.source, it])),
);
const byConverter = computed<Record<string, ConverterFacts>>(() =>
  Object.fromEntries((supply.value?.converters ?? []).map((it) => [it.converter, it])),
);

async function pick(kind: "source" | "converter", from: Source | Converter) {
  adding.value = undefined;
  const id = await add(kind, from);
  await nextTick();
  if (id) document.getElementById(`${kind}-${id}`)?.scrollIntoView({ block: "nearest" });
}
const sourceTold = (it: Source) => it.kind.replace("_", " ");
const converterTold = (it: Converter) => it.kind.replace("_", " ");

const emptySource = (label: string): Source => ({
  id: "",
  label,
  kind: "battery",
  battery: { chemistry: "lfp", cells: 4, capacity_ah: 100 },
  ports: [{ id: "terminals", label: "terminals", current: "dc", voltage: { follows: true } }],
});
const emptyConverter = (label: string): Converter => ({
  id: "",
  label,
  kind: "buck_boost",
  input: { current: "dc" },
  outputs: [{ id: "out", current: "dc", voltage: { regulated_v: 12 } }],
});

useLine();
follow();
useKeys({ n: () => (adding.value = "source"), c: () => (adding.value = "converter") });
</script>

<template>
  <main class="supply">
    <h1 data-test="headline">{{ supply?.headline ?? "…" }}</h1>
    <p v-if="supply?.enough" class="enough" data-test="enough">{{ supply.enough }}</p>
    <p class="keys label">
      <button type="button" data-test="add-source" @click="adding = 'source'">n add a source</button>
      <button type="button" data-test="add-converter" @click="adding = 'converter'">c add a converter</button>
      <span class="faint">Ctrl Z undo</span>
    </p>
    <KindPicker
      v-if="adding === 'source'"
      what="source"
      example="bank, station, panel …"
      :told="sourceTold"
      :empty="emptySource"
      @pick="(it: Source) => pick('source', it)"
      @close="adding = undefined"
    />
    <KindPicker
      v-if="adding === 'converter'"
      what="converter"
      example="inverter, step-up, adapter …"
      :told="converterTold"
      :empty="emptyConverter"
      @pick="(it: Converter) => pick('converter', it)"
      @close="adding = undefined"
    />
    <template v-for="source in sources" :key="source.id">
      <SourceBlock v-if="bySource[source.id]" :source="source" :facts="bySource[source.id]!" />
    </template>
    <h2 class="shelf">On the shelf</h2>
    <template v-for="converter in converters" :key="converter.id">
      <ConverterRow
        v-if="byConverter[converter.id]"
        :converter="converter"
        :facts="byConverter[converter.id]!"
      />
    </template>
    <p v-if="converters.length === 0" class="faint">
      Nothing stands between yet: a step-up, an inverter, an adapter. Devices that take the battery’s own
      voltage need none.
    </p>
    <template v-if="junctions.length">
      <h2 class="shelf">Blocks, strips and splitters</h2>
      <JunctionRow v-for="it in junctions" :key="it.id" :junction="it" />
    </template>
    <p class="next"><RouterLink to="/chains">Next: how it gets there</RouterLink></p>
  </main>
</template>

<style scoped>
.supply {
  padding: 16px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  min-height: 28px;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 0 22px;
  align-items: baseline;
  border-bottom: 2px solid var(--line);
}
.keys button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
}
.shelf {
  padding-top: 20px;
  font-size: var(--size-head);
  font-weight: 600;
  border-bottom: 2px solid var(--line);
}
.next {
  padding-top: 14px;
}
.next a {
  color: var(--primary);
}
@media (--narrow) {
  .supply {
    padding: 12px 16px 20px;
  }
}
</style>
