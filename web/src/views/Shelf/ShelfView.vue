<script setup lang="ts">
import { computed, ref, useTemplateRef } from "vue";
import AnswerState from "../../components/AnswerState.vue";
import { useAddress } from "../../composables/useAddress";
import { useKeys } from "../../composables/useKeys";
import { useLine } from "../../composables/useLine";
import { useSite } from "../../composables/useSite";
import { called, saveCsv } from "../../format/save";
import BesidePanel from "./BesidePanel.vue";
import CellDetail from "./CellDetail.vue";
import FinderPanel from "./FinderPanel.vue";
import FillsTable from "./FillsTable.vue";
import OutageChoice from "./OutageChoice.vue";
import LeastPanel from "./LeastPanel.vue";
import RunsTable from "./RunsTable.vue";
import WinsPanel from "./WinsPanel.vue";
import { cellLine } from "./shelf";
import { TABLES, useFills, useRuns, useTable, useTicked } from "./useShelf";

const { plan } = useSite();
const { table, open } = useTable();
const { ticked, tick, inAddress } = useTicked();
useAddress({ ticked: inAddress });
const typed = ref("");
const worst = ref(false);
const outage = ref("");
const filter = useTemplateRef<HTMLInputElement>("filter");
const { all, feet } = useRuns(() => outage.value || undefined);
const fills = useFills();
const at = ref<{ device: string; port: string }>();
const labelOf = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const opened = computed(() => {
  const runs = all.answer.value;
  if (!runs || !at.value) return undefined;
  const row = runs.devices.indexOf(at.value.device);
  const column = runs.ports.findIndex((it) => it.label === at.value?.port);
  const cell = runs.cells[row]?.[column];
  return cell && { cell, device: labelOf(at.value.device), port: at.value.port };
});
function openCell(row: number, column: number) {
  const runs = all.answer.value;
  const [device, port] = [runs?.devices[row], runs?.ports[column]?.label];
  if (device && port) at.value = { device, port };
}
const headline = computed(() => {
  if (table.value === "runs") return all.answer.value?.sentence ?? "…";
  if (table.value === "least") return "How small would still do?";
  if (table.value === "finder") return "What would do the job, and what to buy?";
  if (table.value === "wins") return "What does one purchase win?";
  if (table.value === "beside") return "One box or parts, the one or the other?";
  return fills.answer.value ? "What fills what, and in how many hours" : "…";
});
function save() {
  const runs = all.answer.value;
  const filled = fills.answer.value;
  const site = plan.value?.site.name ?? "site";
  if (table.value === "runs" && runs) {
    const rows = runs.devices.map((id, row) => [labelOf(id), ...(runs.cells[row] ?? []).map(cellLine)]);
    saveCsv(called(site, "what-runs-what"), [["device", ...runs.ports.map((it) => it.label)], ...rows]);
  } else if (table.value === "fills" && filled) {
    const rows = filled.froms.map((from, row) => [
      from.label,
      ...(filled.cells[row] ?? []).flatMap((cell) => [cell?.watts, cell?.after_h["1"], cell?.limited_by]),
    ]);
    const heads = filled.inputs.flatMap((it) => [`${it} W`, `${it} full after h`, `${it} limited by`]);
    saveCsv(called(site, "what-fills-what"), [["from", ...heads], ...rows]);
  }
}
const print = () => window.print();

useLine();
all.follow();
feet.follow();
fills.follow();
useKeys({
  f: () => filter.value?.focus(),
  w: () => (worst.value = !worst.value),
  t: () => {
    const next = TABLES[(TABLES.findIndex(([it]) => it === table.value) + 1) % TABLES.length];
    if (next) open(next[0]);
  },
});
</script>

<template>
  <main class="shelf">
    <h1 data-test="headline">{{ headline }}</h1>
    <p class="tables label" role="group" aria-label="tables">
      <button
        v-for="[it, words] in TABLES"
        :key="it"
        type="button"
        class="door"
        :aria-pressed="table === it"
        :data-test="`table-${it}`"
        @click="open(it)"
      >
        {{ words }}
      </button>
    </p>
    <div v-if="table === 'runs' || table === 'fills'" class="tools label">
      <label
        >find
        <input ref="filter" v-model="typed" type="search" placeholder="router, outlet …" data-test="filter"
      /></label>
      <button type="button" class="door" :aria-pressed="worst" data-test="worst" @click="worst = !worst">
        w {{ table === "runs" ? "hardest to run first" : "all, with the reason" }}
      </button>
      <label v-if="table === 'runs' && ticked.length > 0">hours in <OutageChoice v-model="outage" /></label>
      <button
        v-if="table === 'runs' && ticked.length > 0"
        type="button"
        class="door"
        data-test="untick"
        @click="tick(ticked, false)"
      >
        untick all
      </button>
      <button type="button" class="door" data-test="save-csv" @click="save">CSV</button>
      <button type="button" class="door" @click="print">print</button>
      <span class="faint keys"
        >{{ table === "runs" ? "arrows move · Enter opens · Space ticks · " : "" }}f find · t next table</span
      >
    </div>
    <template v-if="table === 'runs'">
      <CellDetail
        v-if="opened"
        :key="`${opened.device} ${opened.port}`"
        v-bind="opened"
        @close="at = undefined"
      />
      <RunsTable
        v-if="all.answer.value"
        :runs="all.answer.value"
        :feet="feet.answer.value"
        :typed="typed"
        :worst="worst"
        @open="openCell"
      />
      <AnswerState
        v-else
        :ready="false"
        :trouble="all.trouble.value"
        looking="Each device is tried on each port …"
        @again="all.again"
      />
      <p v-if="feet.trouble.value" role="alert" data-status="trips">{{ feet.trouble.value }}</p>
      <p class="faint note label">
        Each cell was put together as an arrangement, with leads as long as the plan knows the way (else 2 m)
        and the fuses that they need, and judged at every moment, at full, half and floor charge, and while it
        is charged. <em>Open</em> is what nobody stated or measured yet.
      </p>
    </template>
    <template v-else-if="table === 'fills'">
      <FillsTable v-if="fills.answer.value" :fills="fills.answer.value" :typed="typed" :worst="worst" />
      <AnswerState
        v-else
        :ready="false"
        :trouble="fills.trouble.value"
        looking="Each source is tried on each input …"
        @again="fills.again"
      />
      <p class="faint note label">
        From a tenth, without leads. A panel’s watts are those of full light, its hours those of the sun at
        the equinox.
      </p>
    </template>
    <LeastPanel v-else-if="table === 'least'" />
    <FinderPanel v-else-if="table === 'finder'" />
    <WinsPanel v-else-if="table === 'wins'" />
    <BesidePanel v-else />
  </main>
</template>

<style scoped>
.shelf {
  padding: 16px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  min-height: 28px;
}
.tables,
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 22px;
  padding: 4px 0;
}
.tables .door[aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}
.tools label {
  display: flex;
  white-space: nowrap;
  gap: 6px;
  align-items: baseline;
}
input[type="search"] {
  font: inherit;
  color: inherit;
  background: var(--page);
  border: 0;
  border-bottom: 1px solid var(--primary);
  min-height: 28px;
  width: 11em;
}
.door[aria-pressed="true"] {
  font-weight: 600;
}
.note {
  padding-top: 8px;
  max-width: 76em;
}
@media (--phone) {
  .shelf {
    padding: 12px;
  }
  .keys {
    display: none;
  }
  input[type="search"] {
    min-height: 40px;
  }
}
@media print {
  .tools,
  .tables {
    display: none;
  }
}
</style>

<!-- What is asked in a sentence, and its answer, alike in every table. -->
<style>
.shelf .asked {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
  font-size: var(--size-line);
  padding: 10px 0;
}
.shelf .asked select {
  width: auto;
  max-width: 100%;
}
.shelf .answered {
  font-size: var(--size-title);
  font-weight: 600;
  padding: 8px 0 2px;
  max-width: 46em;
}
</style>
