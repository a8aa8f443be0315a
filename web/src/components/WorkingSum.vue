<script setup lang="ts">
import type { Working } from "../api/client";
import { exact } from "../format/number";
import PastDoor from "./PastDoor.vue";

/** A sum: its formula in words, its terms with their basis, its result, and what would make it surer. */
defineProps<{
  working: Working;
  /** A term of which is not told whether it was stated or computed. */
  unsaid?: string;
}>();
const emit = defineEmits<{ see: [key: string] }>();
</script>

<template>
  <p class="words">{{ working.words }}</p>
  <table>
    <tbody>
      <tr v-for="(term, index) in working.terms" :key="index">
        <td>
          <button v-if="term.see" type="button" class="see" @click="emit('see', term.see)">
            {{ term.name }}
          </button>
          <template v-else>{{ term.name }}</template>
          <small v-if="term.note">{{ term.note }}</small>
        </td>
        <td class="number">
          {{ exact(term.value, term.basis != null) }} {{ term.unit
          }}<span v-if="term.plus_minus != null"> ± {{ exact(term.plus_minus, true) }}</span>
        </td>
        <td class="basis label">
          <RouterLink v-if="term.test" :to="{ path: '/bench', query: { test: term.test } }" class="door">{{
            term.basis
          }}</RouterLink>
          <template v-else>{{ term.basis ?? (term.name === unsaid ? "" : "computed") }}</template>
          <PastDoor :at="term.at" :name="term.name" class="past" />
        </td>
      </tr>
    </tbody>
    <tfoot>
      <tr>
        <td>{{ working.result.name }}</td>
        <td class="number">{{ exact(working.result.value) }} {{ working.result.unit }}</td>
        <td></td>
      </tr>
    </tfoot>
  </table>
  <p v-if="working.surer" class="faint">To be surer: {{ working.surer }}</p>
</template>

<style scoped>
.words {
  font-size: var(--size-line);
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 6px 8px 6px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: baseline;
}
tfoot td {
  font-weight: 700;
  border-top: 2px solid var(--ink);
  border-bottom: 0;
}
.number {
  text-align: right;
  white-space: nowrap;
}
.basis {
  color: var(--faint);
  padding-right: 0;
}
.past {
  display: block;
}
small {
  display: block;
  color: var(--faint);
}
.see {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
