<script setup lang="ts">
import { computed } from "vue";
import type { Converter, ConverterFacts, Figure } from "../../api/client";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { fixed, watts, wattHours } from "../../format/number";
import LossCurve from "./LossCurve.vue";
import { useSupply } from "./useSupply";

/** A converter on the shelf: what it costs to be on, and how it does at what it really carries. */
const props = defineProps<{ converter: Converter; facts: ConverterFacts }>();
const { changeConverter } = useSupply();
const { refusedAt } = useEdits();
const { remove } = useKit();
const { plan } = useSite();

const way = (id: string) => plan.value?.arrangements.find((it) => it.id === id)?.label ?? id;
const carries = computed(() =>
  props.facts.carries.map((it) => {
    const share = it.efficiency == null ? "" : `, ${fixed(it.efficiency * 100, 0)} %`;
    return `${watts(it.out_w)} W${share} in ${way(it.arrangement)}`;
  }),
);
type Key = "idle_w" | "proportional" | "quadratic_per_w";
function set(key: Key, value: Figure | null) {
  changeConverter(props.converter.id, key, (it) => {
    it.loss = { ...(it.loss ?? {}) };
    if (value === null) Reflect.deleteProperty(it.loss, key);
    else it.loss[key] = value;
  });
}
const refused = (name: string) => refusedAt(`${props.converter.id}.${name}`);
const low = computed(() => props.facts.carries.some((it) => (it.efficiency ?? 1) < 0.6));
</script>

<template>
  <section :id="`converter-${converter.id}`" class="converter" data-test="converter">
    <div class="name">
      <h3>{{ converter.label }}</h3>
      <span class="faint label">{{ converter.note }}</span>
      <button type="button" class="label remove" @click="remove('converter', converter.id)">remove</button>
    </div>
    <div class="fields">
      <FieldLabel name="on, at no load">
        <FigureEntry
          :figure="converter.loss?.idle_w"
          :name="`${converter.label}, on at no load`"
          target="watts"
          unit="W"
          optional
          :refused="refused('idle_w')"
          @change="(v) => set('idle_w', v)"
        />
      </FieldLabel>
      <FieldLabel name="lost with the load">
        <FigureEntry
          :figure="converter.loss?.proportional"
          :name="`${converter.label}, lost with the load`"
          target="share"
          unit=""
          optional
          :refused="refused('proportional')"
          @change="(v) => set('proportional', v)"
        />
      </FieldLabel>
      <p class="cost">
        {{
          facts.idle_day_wh == null
            ? "what it costs to be on is not known"
            : `${wattHours(facts.idle_day_wh)} Wh a day just to be on`
        }}
      </p>
    </div>
    <LossCurve :facts="facts" />
    <div class="carries" :class="{ low }">
      <p v-for="words in carries" :key="words">{{ words }}</p>
      <p v-if="carries.length === 0" class="faint">on the shelf</p>
      <p v-if="facts.unknown.length > 0" class="unknown label">
        not known: {{ facts.unknown.join(", ") }} · <RouterLink to="/bench">measure it</RouterLink>
      </p>
    </div>
  </section>
</template>

<style scoped>
.converter {
  display: grid;
  grid-template-columns: minmax(150px, 0.8fr) minmax(200px, 1fr) minmax(200px, 290px) minmax(190px, 1.1fr);
  gap: 6px 26px;
  padding: 10px 0;
  border-bottom: 1px solid var(--line);
  align-items: start;
}
.name {
  display: grid;
  justify-items: start;
}
h3 {
  margin: 0;
  font-size: 16px;
  font-weight: 600;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2px 18px;
}
.cost {
  grid-column: 1 / -1;
}
.low p:first-child {
  color: var(--loss);
  font-weight: 600;
}
.unknown {
  color: var(--unproven);
  font-size: 14px;
}
.unknown a {
  color: var(--primary);
}
.remove {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
@media (max-width: 980px) {
  .converter {
    grid-template-columns: 1fr;
  }
}
</style>
