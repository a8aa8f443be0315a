<script setup lang="ts">
import { computed } from "vue";

/** A table wider than paper, as several under each other, each with the first column again; seen in print only. */
const props = withDefaults(
  defineProps<{ name: string; heads: string[]; rows: string[][]; columns?: number }>(),
  {
    columns: 5,
  },
);
/** The places of the columns that stand together, as even as can be. */
const parts = computed(() => {
  const all = props.heads.length - 1;
  const tables = Math.max(1, Math.ceil(all / props.columns));
  const each = Math.ceil(all / tables);
  return Array.from({ length: tables }, (_, part) =>
    Array.from({ length: Math.min(each, all - part * each) }, (__, at) => 1 + part * each + at),
  );
});
</script>

<template>
  <div class="paper" data-test="paper">
    <table v-for="(places, part) in parts" :key="part">
      <caption class="label">
        {{
          name
        }}<template v-if="parts.length > 1">, sheet {{ part + 1 }} of {{ parts.length }}</template>
      </caption>
      <thead>
        <tr>
          <th scope="col">{{ heads[0] }}</th>
          <th v-for="it in places" :key="it" scope="col">{{ heads[it] }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, at) in rows" :key="at">
          <th scope="row">{{ row[0] }}</th>
          <td v-for="it in places" :key="it">{{ row[it] }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.paper {
  display: none;
}
@media print {
  .paper {
    display: block;
  }
  table {
    width: 100%;
    table-layout: fixed;
    border-collapse: collapse;
    font-size: var(--size-print);
    margin-bottom: 8mm;
  }
  caption {
    text-align: left;
    font-weight: 600;
    break-after: avoid;
  }
  tr {
    break-inside: avoid;
  }
  th,
  td {
    text-align: left;
    vertical-align: top;
    padding: 1mm 2mm 1mm 0;
    border-bottom: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
}
</style>
