<script setup lang="ts">
import { computed } from "vue";
import type { Converter, Figure } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import TextEntry from "../../components/TextEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import BuyingFields from "./BuyingFields.vue";
import { useSupply } from "./useSupply";

/** What one lead is divided by: a block, a strip, a splitter. It converts nothing, and carries so much. */
const props = defineProps<{ junction: Converter }>();
const { changeConverter } = useSupply();
const { refusedAt } = useEdits();
const { remove } = useKit();
const { plan } = useSite();
const name = computed(() => props.junction.label);
const refused = (field: string) => refusedAt(`${props.junction.id}.${field}`);
const set = (field: string, how: (it: Converter) => void) => changeConverter(props.junction.id, field, how);
/** What hangs on it, by the arrangement. */
const carries = computed(() =>
  (plan.value?.arrangements ?? []).flatMap((way) => {
    const count = way.feeds.filter((it) => it.from.item === props.junction.id).length;
    return count ? [`${count} ${count === 1 ? "lead" : "leads"} in ${way.label}`] : [];
  }),
);
function setMost(id: string, value: Figure | null) {
  set(`${id}.limit.continuous_a`, (it) => {
    const output = it.outputs.find((known) => known.id === id);
    if (!output) return;
    const limit = { ...(output.limit ?? {}) };
    if (value === null) Reflect.deleteProperty(limit, "continuous_a");
    else limit.continuous_a = value;
    if (Object.keys(limit).length === 0) Reflect.deleteProperty(output, "limit");
    else output.limit = limit;
  });
}
function setCrossed(value: string) {
  set("reverses_polarity", (it) => {
    if (value === "") Reflect.deleteProperty(it, "reverses_polarity");
    else it.reverses_polarity = true;
  });
}
</script>

<template>
  <section :id="`converter-${junction.id}`" class="junction" :data-test="`junction-${junction.id}`">
    <FieldLabel name="called">
      <TextEntry
        :value="name"
        :name="`name of ${name}`"
        required
        @change="(v) => set('label', (it) => (it.label = v))"
      />
    </FieldLabel>
    <FieldLabel
      v-for="output in junction.outputs"
      :key="output.id"
      :name="junction.outputs.length > 1 ? `${output.label ?? output.id} carry at most` : 'carries at most'"
    >
      <FigureEntry
        :figure="output.limit?.continuous_a"
        :at="[output.limit, 'continuous_a']"
        :name="`${name}, ${output.label ?? output.id}, at most`"
        target="amps"
        unit="A"
        silent="nobody knows"
        optional
        nominal
        :refused="refused(`${output.id}.limit.continuous_a`)"
        @change="(v) => setMost(output.id, v)"
      />
    </FieldLabel>
    <FieldLabel v-if="junction.input.current === 'dc'" name="plus and minus">
      <ChoiceEntry
        :value="junction.reverses_polarity ? 'true' : ''"
        :name="`plus and minus through ${name}`"
        :choices="[
          ['', 'go straight through'],
          ['true', 'are crossed in it'],
        ]"
        @change="setCrossed"
      />
    </FieldLabel>
    <BuyingFields kind="converter" :item="junction" />
    <p class="label below">
      <span class="faint">{{ carries.join(" · ") || "on the shelf" }}</span>
      <button
        type="button"
        class="remove"
        :aria-label="`remove ${name}`"
        @click="remove('converter', junction.id)"
      >
        remove
      </button>
    </p>
  </section>
</template>

<style scoped>
.junction {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(140px, 1fr));
  gap: 6px 20px;
  align-items: end;
  padding: 10px 0;
  border-bottom: 1px solid var(--line);
}
.below {
  grid-column: 1 / -1;
  display: flex;
  flex-wrap: wrap;
  gap: 0 22px;
  align-items: baseline;
}
.remove {
  color: var(--trips);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
</style>
