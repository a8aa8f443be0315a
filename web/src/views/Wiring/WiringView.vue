<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import { useSite } from "../../composables/useSite";
import { called, saveCsv } from "../../format/save";
import { day } from "../../format/units";
import { sheetOf } from "./sheet";

/** An arrangement as a sheet to print and to take along: every lead with its ends, size, fuse, plugs and polarity. */
const { plan } = useSite();
const route = useRoute();
const way = computed(() => plan.value?.arrangements.find((it) => it.id === route.params["way"]));
const rows = computed(() => (plan.value && way.value ? sheetOf(plan.value, way.value) : []));
const today = day(new Date().toISOString());
const print = () => globalThis.print();
function table() {
  const list = rows.value.map((it) => [it.from, it.to, it.lead, it.fuse, it.plugs, it.polarity]);
  saveCsv(called("wiring", way.value?.label ?? ""), [
    ["from", "to", "lead", "fuse", "plugs", "polarity"],
    ...list,
  ]);
}
</script>

<template>
  <main class="sheet" data-test="sheet">
    <template v-if="way && plan">
      <h1>{{ way.label }}</h1>
      <p class="faint">{{ plan.site.name }}, wiring as of {{ today }}</p>
      <div class="wide" role="region" aria-label="leads" tabindex="0">
        <table>
          <thead>
            <tr class="label">
              <th scope="col">done</th>
              <th scope="col">from</th>
              <th scope="col">to</th>
              <th scope="col">lead</th>
              <th scope="col">fuse</th>
              <th scope="col">plugs</th>
              <th scope="col">polarity at the far end</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.to">
              <td><span class="box" aria-hidden="true" /></td>
              <td>{{ row.from }}</td>
              <td>
                <strong>{{ row.to }}</strong>
              </td>
              <td>{{ row.lead }}</td>
              <td>{{ row.fuse }}</td>
              <td>{{ row.plugs }}</td>
              <td>{{ row.polarity }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <ul class="cautions">
        <li>Local codes rule: areas and fuses here are planning figures.</li>
        <li>
          A fuse stands at the positive terminal of its battery, sized for the lead; insulated tools, nothing
          loose across the terminals.
        </li>
        <li>Check voltage and polarity with a meter at every joint before the far end is plugged in.</li>
        <li>
          Mains wiring is work for a licensed electrician. Never feed a house through a socket: a transfer
          switch, fitted by one.
        </li>
        <li>For a medical device, its maker and the care team decide how it is backed up.</li>
      </ul>
      <p class="actions label">
        <button type="button" @click="print">print it</button>
        <button type="button" data-test="wiring-csv" @click="table">CSV</button>
        <RouterLink to="/chains">back to the chains</RouterLink>
      </p>
    </template>
    <p v-else-if="plan">
      There is no such arrangement. <RouterLink to="/chains">Back to the chains</RouterLink>
    </p>
  </main>
</template>

<style scoped>
.sheet {
  padding: 16px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
}
.wide {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  margin: 12px 0;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--faint);
}
th,
td {
  padding: 6px 14px 6px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
.box {
  display: inline-block;
  width: 13px;
  height: 13px;
  border: 1.5px solid var(--ink);
}
.cautions {
  color: var(--tight);
  max-width: 80ch;
  padding-left: 18px;
}
.actions {
  display: flex;
  gap: 24px;
}
button,
a {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
@media (--narrow) {
  .sheet {
    padding: 12px 16px;
  }
}
@media print {
  .actions {
    display: none;
  }
}
</style>
