<script setup lang="ts">
import { computed } from "vue";
import type { Converter, Figure, Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { useSupply } from "./useSupply";

/** Whether a source or a converter is there already, what it costs and what it weighs. */
const props = defineProps<{ kind: "source" | "converter"; item: Source | Converter }>();
const { changeSource, changeConverter } = useSupply();
const { refusedAt } = useEdits();
const { plan } = useSite();
const currency = computed(() => plan.value?.site.energy_price?.currency ?? "");
type Bought = Pick<Source, "owned" | "price" | "weight_kg">;
const change = (name: string, how: (it: Bought) => void) =>
  props.kind === "source"
    ? changeSource(props.item.id, name, how)
    : changeConverter(props.item.id, name, how);
function setFigure(key: "price" | "weight_kg", value: Figure | null) {
  change(key, (it) => {
    if (value === null) Reflect.deleteProperty(it, key);
    else it[key] = value;
  });
}
function setOwned(value: string) {
  change("owned", (it) => {
    if (value === "") Reflect.deleteProperty(it, "owned");
    else it.owned = false;
  });
}
</script>

<template>
  <FieldLabel name="is there">
    <ChoiceEntry
      :value="item.owned === false ? 'false' : ''"
      :name="`whether ${item.label} is owned`"
      :choices="[
        ['', 'yes'],
        ['false', 'would be bought'],
      ]"
      @change="setOwned"
    />
  </FieldLabel>
  <FieldLabel name="costs">
    <FigureEntry
      :figure="item.price"
      :at="[item, 'price']"
      :name="`price of ${item.label}`"
      target="plain"
      :unit="currency"
      silent="not told"
      optional
      nominal
      :refused="refusedAt(`${item.id}.price`)"
      @change="(v) => setFigure('price', v)"
    />
  </FieldLabel>
  <FieldLabel name="weighs">
    <FigureEntry
      :figure="item.weight_kg"
      :at="[item, 'weight_kg']"
      :name="`weight of ${item.label}`"
      target="plain"
      unit="kg"
      silent="not told"
      optional
      nominal
      :refused="refusedAt(`${item.id}.weight_kg`)"
      @change="(v) => setFigure('weight_kg', v)"
    />
  </FieldLabel>
</template>
