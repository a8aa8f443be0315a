<script setup lang="ts">
import { NDrawer, NDrawerContent } from "naive-ui";
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../api/client";
import { usePast } from "../composables/usePast";
import { useSite } from "../composables/useSite";
import { exact, withHalf } from "../format/number";
import { day } from "../format/units";

/** The past of a figure: what was said of it by labels, hands and tests, which of that stands, and why. */
const { shown } = usePast();
const { id: site, plan } = useSite();
const past = ref<Schemas["FigurePast"]>();
const trouble = ref("");
const open = computed({
  get: () => shown.value !== undefined,
  set: (value) => {
    if (!value) shown.value = undefined;
  },
});
const width = computed(() => Math.min(460, innerWidth));
watch([shown, plan], async () => {
  const asked = shown.value;
  past.value = undefined;
  trouble.value = "";
  if (!asked) return;
  const { kind, id, path } = asked;
  try {
    const told = taken(
      await api.GET("/sites/{site}/past/{kind}/{id}", {
        params: { path: { site: site.value, kind, id }, query: { path } },
      }),
    );
    if (shown.value === asked) past.value = told;
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer. Try again.";
  }
});
type Row = Schemas["PastRow"];
function value(row: Row): string {
  if (row.value == null) return "not stated";
  const unit = past.value?.unit ?? "";
  const number = row.plus_minus ? withHalf(row.value, row.plus_minus) : exact(row.value, true);
  return `${number} ${unit}`.trim();
}
function whence(row: Row): string {
  if (row.value == null) return "";
  if (row.sort === "test") {
    const stands = past.value?.rows.find((it) => it.stands)?.at ?? "";
    return (row.at ?? "") < stands ? "an earlier test" : "a test, not in use";
  }
  const of = { assumed: "assumed", label: "from its label", datasheet: "from its datasheet" } as const;
  return of[row.basis as keyof typeof of] ?? "measured";
}
</script>

<template>
  <NDrawer v-model:show="open" :width="width" placement="right" :auto-focus="true" aria-label="Its past">
    <NDrawerContent :title="past ? `${past.label}: ${past.name}` : 'What was said of it'" closable>
      <p v-if="trouble" role="alert">{{ trouble }}</p>
      <template v-if="past">
        <p class="stands" role="status" data-test="past-sentence">{{ past.sentence }}</p>
        <table data-test="past-rows">
          <tbody>
            <tr v-for="(row, at) in [...past.rows].reverse()" :key="at" :class="{ now: row.stands }">
              <td class="when">{{ row.at ? day(row.at) : "before" }}</td>
              <td class="number">{{ value(row) }}</td>
              <td>
                <RouterLink
                  v-if="row.test"
                  :to="{ path: '/bench', query: { test: row.test } }"
                  class="door"
                  @click="open = false"
                  >{{ whence(row) }}</RouterLink><template v-else>{{ whence(row) }}</template
                ><strong v-if="row.stands">, stands</strong>
                <small v-if="row.note">{{ row.note }}</small>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </NDrawerContent>
  </NDrawer>
</template>

<style scoped>
.stands {
  font-size: var(--size-line);
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 5px 10px 5px 0;
  border-top: 1px solid var(--line);
  vertical-align: baseline;
}
.when,
.number {
  white-space: nowrap;
}
.now .number {
  font-weight: 600;
}
small {
  display: block;
  color: var(--faint);
}
</style>
