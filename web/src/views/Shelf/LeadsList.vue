<script setup lang="ts">
import { SIZES, sizeKey, usePrices } from "./usePrices";

/** What a metre of lead costs in each size: a person's own, as nothing is fetched. */
defineProps<{ currency: string }>();
const { typed, type } = usePrices();
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <fieldset class="sizes" data-test="leads">
    <legend class="label">what a metre of lead costs you, both conductors</legend>
    <label v-for="area in SIZES" :key="area">
      <span>{{ area }} mm²</span>
      <input
        :value="typed[sizeKey(area)]?.price ?? ''"
        inputmode="decimal"
        placeholder="–"
        :aria-label="`price of a metre of ${area} mm²`"
        @change="type(sizeKey(area), 'price', text($event))"
      />
      <span class="label">{{ currency || "each" }}</span>
    </label>
    <p class="faint label">
      0 for what lies there already. A size without a price is not used; without any, nothing is laid in sizes
      of your own.
    </p>
  </fieldset>
</template>

<style scoped>
.sizes {
  border: 0;
  margin: 0;
  padding: 4px 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
}
label {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
p {
  width: 100%;
  margin: 2px 0;
}
input {
  font: inherit;
  color: var(--primary);
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  width: 4em;
  min-height: 28px;
  text-align: right;
}
@media (--phone) {
  input {
    min-height: 40px;
  }
}
</style>
