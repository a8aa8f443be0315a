<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../api/client";
import StatusMark from "./StatusMark.vue";
import { exact } from "../format/number";

/** What a change does, before it is made: the numbers that change, what it mends and what it breaks. */
const props = defineProps<{ difference: Schemas["Difference"] }>();
const rows = computed(() =>
  props.difference.rows.map((it) => ({
    ...it,
    was: it.before == null ? "–" : exact(it.before, true),
    is: it.after == null ? "–" : exact(it.after, true),
  })),
);
</script>

<template>
  <div class="difference" data-test="difference">
    <p>
      <strong>{{ difference.sentence }}</strong>
    </p>
    <table v-if="rows.length">
      <tbody>
        <tr v-for="row in rows" :key="row.name">
          <th scope="row">{{ row.name }}</th>
          <td>{{ row.was }}</td>
          <td class="arrow" aria-label="becomes">→</td>
          <td :class="row.turn">{{ row.is }} {{ row.unit }}</td>
          <td class="label faint">{{ row.turn === "other" ? "" : row.turn }}</td>
        </tr>
      </tbody>
    </table>
    <p v-for="it in difference.mended" :key="it" class="label"><b>no longer:</b> {{ it }}</p>
    <p v-for="it in difference.broken" :key="it.message" class="label" :data-status="it.status">
      <StatusMark :status="it.status" /> <b>new:</b> {{ it.message }}
    </p>
  </div>
</template>

<style scoped>
.difference {
  padding: 2px 0 4px;
}
table {
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 1px 20px 1px 0;
}
td {
  text-align: right;
  padding: 1px 4px;
}
.arrow {
  color: var(--faint);
}
.better {
  font-weight: 600;
  color: var(--holds);
}
.worse {
  font-weight: 600;
  color: var(--loss);
}
b {
  font-weight: 600;
}
p.label {
  font-size: var(--size-note);
}
</style>
