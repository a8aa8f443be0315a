<script setup lang="ts">
import { computed, ref } from "vue";
import type { Converter, ConverterFacts, Figure } from "../../api/client";
import BeingOn from "../../components/BeingOn.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { fixed, watts, wattHours } from "../../format/number";
import BoardBar from "./BoardBar.vue";
import ConverterEditor from "./ConverterEditor.vue";
import LossCurve from "./LossCurve.vue";
import UnknownMark from "./UnknownMark.vue";
import { useSupply } from "./useSupply";

/** A converter on the shelf: what it costs to be on, and how it does at what it really carries. */
const props = defineProps<{ converter: Converter; facts: ConverterFacts }>();
const { changeConverter } = useSupply();
const { refusedAt } = useEdits();
const { remove } = useKit();
const { plan } = useSite();
const open = ref(false);

const way = (id: string) => plan.value?.arrangements.find((it) => it.id === id)?.label ?? id;
const carries = computed(() =>
  props.facts.carries.map((it) => {
    const share = it.efficiency == null ? "" : `, ${fixed(it.efficiency * 100, 0)} %`;
    const outside = it.outside ? " (not measured there)" : "";
    return `${watts(it.out_w)} W${share} in ${way(it.arrangement)}${outside}`;
  }),
);
/** Where switching it is worth a word, or done. */
const switching = computed(() => props.facts.being_on.filter((it) => it.worth || it.now.how !== "left_on"));
const range = computed(() => {
  const [from, to] = props.facts.measured_w ?? [];
  return from === undefined || to === undefined
    ? ""
    : `, measured from ${fixed(from, 0)} to ${fixed(to, 0)} W`;
});
type Key = "idle_w" | "proportional";
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
      <h3>
        <button
          type="button"
          class="toggle"
          :aria-expanded="open"
          :aria-label="`${converter.label}, ${open ? 'close' : 'open'} it`"
          @click="open = !open"
        >
          {{ converter.label }}
        </button>
      </h3>
      <span class="faint label">{{ converter.note }}</span>
      <span class="label">{{ facts.window }}</span>
      <span v-if="facts.thermal" class="faint label">{{ facts.thermal }}</span>
      <button
        type="button"
        class="label remove"
        :aria-label="`remove ${converter.label}`"
        @click="remove('converter', converter.id)"
      >
        remove
      </button>
    </div>
    <div class="fields">
      <FieldLabel name="on, at no load">
        <FigureEntry
          :figure="converter.loss?.idle_w"
          :at="[converter.loss, 'idle_w']"
          :name="`${converter.label}, on at no load`"
          target="watts"
          unit="W"
          silent="nobody knows"
          optional
          :refused="refused('idle_w')"
          @change="(v) => set('idle_w', v)"
        />
      </FieldLabel>
      <FieldLabel name="lost with the load">
        <FigureEntry
          :figure="converter.loss?.proportional"
          :at="[converter.loss, 'proportional']"
          :name="`${converter.label}, lost with the load`"
          target="share"
          unit=""
          silent="nobody knows"
          optional
          :refused="refused('proportional')"
          @change="(v) => set('proportional', v)"
        />
      </FieldLabel>
      <p class="cost">
        {{
          facts.idle_day_wh == null
            ? "what it costs to be on is not known"
            : `${wattHours(facts.idle_day_wh)} Wh a day just to be on, left on`
        }}
      </p>
      <div v-for="it in switching" :key="it.arrangement" class="cost label">
        <span class="faint">in {{ way(it.arrangement) }}:</span>
        <BeingOn :on="it" :name="converter.label" />
      </div>
      <p class="cost faint label">loses {{ facts.law }}{{ range }}</p>
      <BoardBar v-for="it in facts.limits" :key="it.port + it.limit.unit" class="cost" :limit="it.limit" />
    </div>
    <div>
      <LossCurve :facts="facts" />
      <div class="carries" :class="{ low }">
        <p v-for="words in carries" :key="words">{{ words }}</p>
        <p v-if="carries.length === 0" class="faint">on the shelf</p>
        <UnknownMark v-if="facts.unknown.length > 0" :unknown="facts.unknown" />
      </div>
    </div>
    <ConverterEditor v-if="open" :converter="converter" />
  </section>
</template>

<style scoped>
.converter {
  display: grid;
  grid-template-columns: minmax(170px, 0.9fr) minmax(240px, 1.1fr) minmax(240px, 1fr);
  gap: 6px 30px;
  padding: 12px 0;
  border-bottom: 1px solid var(--line);
  align-items: start;
}
.name {
  display: grid;
  justify-items: start;
  gap: 1px;
}
h3 {
  margin: 0;
  font-size: var(--size-word);
  font-weight: 600;
}
.toggle {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 2px 0;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 18px;
}
.cost {
  grid-column: 1 / -1;
}
.low p:first-child {
  color: var(--loss);
  font-weight: 600;
}
.remove {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
@media (--desk) {
  .converter {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
