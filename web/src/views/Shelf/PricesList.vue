<script setup lang="ts">
import { onMounted } from "vue";
import { ANY, usePrices } from "./usePrices";

/** Prices of the ready-made kinds: a person's own, as nothing is fetched. */
defineProps<{ currency: string; counted?: boolean }>();
const { kinds, prices, typed, load, type } = usePrices();
onMounted(() => void load());
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <details class="prices" data-test="prices">
    <summary class="label">
      what the ready-made kinds cost you ({{ Object.keys(prices).length }} of {{ kinds.length }}
      priced)
    </summary>
    <p class="faint label">Your own prices; nothing is fetched. What you have not priced is no offer.</p>
    <ul>
      <li v-for="it in kinds" :key="it.id">
        <span>{{ it.label }}</span>
        <span class="fields">
          <input
            :value="typed[it.id]?.price ?? ''"
            inputmode="decimal"
            placeholder="–"
            :aria-label="`price of ${it.label}`"
            @change="type(it.id, 'price', text($event))"
          />
          <span class="label">{{ currency || "each" }}</span>
          <select
            v-if="counted"
            :value="typed[it.id]?.count || '1'"
            :aria-label="`how many of ${it.label}`"
            @change="type(it.id, 'count', text($event))"
          >
            <option v-for="count in ['1', '2', '3', '4', '6']" :key="count" :value="count">
              up to {{ count }}
            </option>
            <option :value="ANY">any number</option>
          </select>
        </span>
      </li>
    </ul>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  min-height: 28px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 6px 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
  gap: 2px 28px;
}
li,
.fields {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 6px;
}
input,
select {
  font: inherit;
  color: var(--primary);
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  min-height: 28px;
}
input {
  width: 4em;
  text-align: right;
}
@media (--phone) {
  input,
  select,
  summary {
    min-height: 40px;
  }
}
</style>
