<script setup lang="ts">
import { computed } from "vue";
import { useSite } from "../../composables/useSite";
import { clockAt, short } from "./timeline";
import type { ChancesTold, Told } from "./useOutage";

/** The timeline as tables, to be read aloud and by those who want the numbers. */
const props = defineProps<{ told: Told; chances: ChancesTold | undefined; whole: number }>();
const { plan } = useSite();
function label(id: string) {
  const kit = plan.value?.kit;
  const all = [...(kit?.devices ?? []), ...(kit?.sources ?? []), ...(kit?.converters ?? [])];
  const [item = id, port] = id.split("/");
  return (all.find((it) => it.id === item)?.label ?? item) + (port ? `, ${port}` : "");
}
const percent = (share: number) => `${Math.round(share * 100)} %`;
const rows = computed(() =>
  props.told.order.map((id) => {
    const run = props.told.simulation.devices[id];
    const chance = props.chances?.chances.devices[id];
    return {
      id,
      until: run?.down_at_h == null ? "lasts" : short(run.down_at_h),
      range: chance ? `${short(chance.hours.p5)} to ${short(chance.hours.p95)}` : "",
      lasts: chance ? percent(chance.lasts) : "",
      owner: chance?.shares[0]
        ? `${chance.shares[0].label}, ${chance.shares[0].name}: ${percent(chance.shares[0].share)}`
        : "",
      up: short(run?.up_h ?? 0),
      wh: Math.round((run?.wh ?? 0) * 10) / 10,
      losses: run?.losses ?? 0,
      late: run?.deadline_missed_h == null ? "" : short(run.deadline_missed_h),
      cause: (run?.cause ?? []).slice(1).join(" ← ") || (run?.why ?? ""),
    };
  }),
);
</script>

<template>
  <section class="tables" data-test="outage-table">
    <div role="region" aria-label="devices over the outage" tabindex="0">
      <table>
        <thead>
          <tr class="label">
            <th scope="col">device</th>
            <th scope="col">until</th>
            <th v-if="chances" scope="col">5 to 95 %</th>
            <th v-if="chances" scope="col">lasts in</th>
            <th scope="col">on for</th>
            <th scope="col">Wh</th>
            <th scope="col">losses</th>
            <th scope="col">too late at</th>
            <th scope="col">why</th>
            <th v-if="chances" scope="col">what owns the spread</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="it in rows" :key="it.id">
            <th scope="row">{{ label(it.id) }}</th>
            <td data-name="until">{{ it.until }}</td>
            <td v-if="chances" data-name="5 to 95 %">{{ it.range }}</td>
            <td v-if="chances" data-name="lasts in">{{ it.lasts }}</td>
            <td data-name="on for">{{ it.up }}</td>
            <td data-name="Wh">{{ it.wh }}</td>
            <td data-name="losses">{{ it.losses || "" }}</td>
            <td data-name="too late at">{{ it.late }}</td>
            <td class="wide" data-name="why">{{ it.cause }}</td>
            <td v-if="chances" class="wide" data-name="owns the spread">{{ it.owner }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div role="region" aria-label="what happens" tabindex="0">
      <table>
        <thead>
          <tr class="label">
            <th scope="col">after</th>
            <th scope="col">clock</th>
            <th scope="col">what</th>
            <th scope="col">because</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(it, index) in told.simulation.events" :key="index">
            <td>{{ short(it.at_h) }}</td>
            <td>{{ clockAt(told, it.at_h) }}</td>
            <th scope="row">{{ label(it.item) }}: {{ it.what }}</th>
            <td class="wide">{{ (it.cause ?? []).join(" ← ") }}</td>
          </tr>
          <tr v-if="told.simulation.events.length === 0">
            <td colspan="4">Nothing happens: everything stays on.</td>
          </tr>
        </tbody>
      </table>
    </div>
    <ul>
      <li v-for="(it, id) in told.wear" :key="id" data-test="wear">{{ it.sentence }}</li>
    </ul>
  </section>
</template>

<style scoped>
.tables {
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
[role="region"] {
  overflow-x: auto;
  margin-bottom: 12px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  padding: 4px 14px 4px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
  white-space: nowrap;
}
thead th {
  font-weight: 500;
  color: var(--faint);
}
th[scope="row"] {
  font-weight: 600;
}
.wide {
  white-space: normal;
  min-width: 220px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
@media (--narrow) {
  table,
  tbody,
  tr,
  th,
  td {
    display: block;
    white-space: normal;
  }
  thead {
    display: none;
  }
  th,
  td {
    border: 0;
    padding: 1px 0;
    min-width: 0;
  }
  tr {
    padding: 5px 0;
    border-bottom: 1px solid var(--line);
  }
  td:empty {
    display: none;
  }
  td[data-name]::before {
    content: attr(data-name) " ";
    color: var(--faint);
    font-family: var(--font-label);
  }
}
</style>
