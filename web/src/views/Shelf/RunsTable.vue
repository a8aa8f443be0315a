<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import PaperTable from "../../components/PaperTable.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useSite } from "../../composables/useSite";
import CellStaff from "./CellStaff.vue";
import {
  can,
  cellLine,
  cellWords,
  columnsOf,
  found,
  proven,
  rowsOf,
  togetherWords,
  type Runs,
  type RunsPort,
  type Together,
} from "./shelf";
import { useNarrow } from "../../composables/useNarrow";
import { useTicked } from "./useShelf";

/** Devices down, ports across; what is ticked is judged together at the foot. */
const props = defineProps<{ runs: Runs; feet: Runs | undefined; typed: string; worst: boolean }>();
const emit = defineEmits<{ open: [row: number, column: number] }>();
const { plan } = useSite();
const { ticked, tick } = useTicked();
const grid = ref<HTMLElement>();

const labelOf = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const converter = (id: string) => plan.value?.kit.converters.find((it) => it.id === id)?.label ?? id;
const name = (port: RunsPort) => [port.item, port.port, ...port.behind].join("/");
const source = (id: string) => plan.value?.kit.sources.find((it) => it.id === id);
function head(port: RunsPort) {
  const from = source(port.item);
  const own = from?.ports?.find((it) => it.id === port.port);
  return {
    source: from?.label ?? port.item,
    port: own?.label ?? port.port,
    behind: port.behind.map(converter).join(", "),
  };
}
// What is typed keeps the rows that it names; where it names none of them, the columns that it names.
const rows = computed(() => {
  const all = rowsOf(props.runs, props.worst);
  const kept = all.filter((it) => found(props.typed, labelOf(props.runs.devices[it] ?? "")));
  return kept.length > 0 ? kept : all;
});
const columns = computed(() => {
  const all = columnsOf(props.runs);
  if (rows.value.length < props.runs.devices.length || !props.typed.trim()) return all;
  return all.filter((it) => found(props.typed, props.runs.ports[it]?.label ?? ""));
});
const nameAt = (column: number) => {
  const port = props.runs.ports[column];
  return port ? name(port) : "";
};
// On a phone one port at a time.
const narrow = useNarrow();
const picked = ref("");
const shown = computed(() => {
  if (!narrow.value) return columns.value;
  const one = columns.value.find((it) => nameAt(it) === picked.value) ?? columns.value[0];
  return one === undefined ? [] : [one];
});
const portChoices = computed<[string, string][]>(() =>
  columns.value.map((it) => [nameAt(it), props.runs.ports[it]?.label ?? ""]),
);
const nothing = computed(
  () =>
    props.typed.trim() !== "" &&
    rows.value.length === props.runs.devices.length &&
    columns.value.length === 0,
);
const cellAt = (row: number, column: number) => props.runs.cells[row]?.[column];
const footOf = (column: number): Together | undefined => {
  const port = props.runs.ports[column];
  const at = port ? props.feet?.ports.findIndex((it) => name(it) === name(port)) : undefined;
  return at === undefined ? undefined : props.feet?.together[at];
};
const counted = (column: number) => ({
  holds: props.runs.cells.filter((row) => row[column] && proven(row[column])).length,
  open: props.runs.cells.filter((row) => row[column] && can(row[column]) && !proven(row[column])).length,
});
const allTicked = computed(() =>
  rows.value.every((it) => ticked.value.includes(props.runs.devices[it] ?? "")),
);
const tickAll = () =>
  tick(
    rows.value.map((it) => props.runs.devices[it] ?? ""),
    !allTicked.value,
  );

/** The cell that the keys stand at. */
const at = ref<[number, number]>([0, 0]);
function move(event: KeyboardEvent, row: number, column: number) {
  const by: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
  };
  const step = by[event.key];
  if (event.key === " ") {
    event.preventDefault();
    tick([props.runs.devices[rows.value[row] ?? 0] ?? ""]);
  }
  if (!step) return;
  event.preventDefault();
  const [y, x] = [row + step[0], column + step[1]];
  if (y < 0 || x < 0 || y >= rows.value.length || x >= shown.value.length) return;
  at.value = [y, x];
  void nextTick(() => grid.value?.querySelector<HTMLElement>(`[data-at="${y} ${x}"]`)?.focus());
}
const words = (column: number) => {
  const it = footOf(column);
  return it ? [togetherWords(it, labelOf)] : [];
};
// Paper has what is seen, in the same order.
const paper = computed(() => {
  const line = (row: number, column: number) => {
    const cell = cellAt(row, column);
    return cell ? [cellLine(cell), ...cell.via.map((it) => `by ${converter(it)}`)].join(", ") : "";
  };
  const judged = rows.value.map((row) => [
    labelOf(props.runs.devices[row] ?? ""),
    ...columns.value.map((column) => line(row, column)),
  ]);
  const foot = (column: number) =>
    Object.values(words(column) ?? {})
      .filter(Boolean)
      .join(", ");
  const together = [`${ticked.value.length} together`, ...columns.value.map(foot)];
  const heads = ["device", ...columns.value.map((it) => props.runs.ports[it]?.label ?? "")];
  return { heads, rows: ticked.value.length > 0 ? [...judged, together] : judged };
});
</script>

<template>
  <p v-if="nothing" class="faint" data-test="nothing-found">No device and no port is called “{{ typed }}”.</p>
  <p v-if="narrow && !nothing" class="label one">
    on
    <ChoiceEntry
      :value="shown[0] === undefined ? '' : name(runs.ports[shown[0]]!)"
      name="port"
      :choices="portChoices"
      @change="picked = $event"
    />
  </p>
  <div v-if="!nothing" ref="grid" role="region" class="scroll" aria-label="what runs what" tabindex="0">
    <table data-test="runs">
      <thead>
        <tr class="label">
          <th scope="col" class="device">
            <label class="tick"
              ><input type="checkbox" :checked="allTicked" data-test="tick-all" @change="tickAll" />
              device</label
            >
          </th>
          <th v-for="it in shown" :key="name(runs.ports[it]!)" scope="col" data-test="port">
            <span class="source">{{ head(runs.ports[it]!).source }}</span>
            <span class="port">{{ head(runs.ports[it]!).port }}</span>
            <span v-if="runs.ports[it]!.behind.length" class="port"
              >behind {{ head(runs.ports[it]!).behind }}</span
            >
            <span v-if="runs.ports[it]!.only" class="port">{{ runs.ports[it]!.only }}</span>
            <span class="port"
              >{{ counted(it).holds }} hold{{ counted(it).holds === 1 ? "s" : ""
              }}<template v-if="counted(it).open">, {{ counted(it).open }} open</template></span
            >
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, y) in rows" :key="runs.devices[row]" data-test="runs-row">
          <th scope="row" class="device">
            <label class="tick"
              ><input
                type="checkbox"
                :checked="ticked.includes(runs.devices[row]!)"
                :data-test="`tick-${runs.devices[row]}`"
                @change="tick([runs.devices[row]!])"
              />
              {{ labelOf(runs.devices[row]!) }}</label
            >
          </th>
          <td v-for="(column, x) in shown" :key="column">
            <button
              v-if="cellAt(row, column)"
              type="button"
              class="cell"
              :class="{ refused: cellAt(row, column)!.refused != null }"
              :data-at="`${y} ${x}`"
              :data-cell="`${runs.devices[row]} ${name(runs.ports[column]!)}`"
              :tabindex="at[0] === y && at[1] === x ? 0 : -1"
              @focus="at = [y, x]"
              @click="emit('open', row, column)"
              @keydown="move($event, y, x)"
            >
              <span
                v-if="cellAt(row, column)!.refused == null"
                class="judged"
                :data-status="cellAt(row, column)!.status"
              >
                <StatusMark :status="cellAt(row, column)!.status" />
                <span class="label">{{ cellAt(row, column)!.status }}</span>
                <CellStaff :cell="cellAt(row, column)!" />
              </span>
              <span class="why label">{{ cellWords(cellAt(row, column)!) }}</span>
              <span v-if="cellAt(row, column)!.via.length" class="via label"
                >by {{ cellAt(row, column)!.via.map(converter).join(", ") }}</span
              >
            </button>
          </td>
        </tr>
      </tbody>
      <tfoot v-if="ticked.length > 0">
        <tr data-test="together">
          <th scope="row" class="device">{{ ticked.length }} ticked, together</th>
          <td v-for="column in shown" :key="column">
            <template v-for="it in words(column)" :key="it.said">
              <strong :data-test="`together-${name(runs.ports[column]!)}`">{{ it.said }}</strong>
              <span class="why label">{{ it.lasts }}</span>
              <span v-if="it.without" class="why label">{{ it.without }}</span>
              <span v-if="it.never" class="why label" data-status="trips">{{ it.never }}</span>
            </template>
            <span v-if="!footOf(column)" class="faint label">…</span>
          </td>
        </tr>
      </tfoot>
    </table>
  </div>
  <PaperTable v-if="!nothing" name="What runs what" v-bind="paper" />
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: 72vh;
  border-top: 1px solid var(--line);
}
table {
  border-collapse: separate;
  border-spacing: 0;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 10px;
  border-bottom: 1px solid var(--line);
  min-width: 138px;
  max-width: 170px;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--page);
  z-index: 2;
  font-weight: 400;
}
.device {
  position: sticky;
  left: 0;
  background: var(--page);
  z-index: 1;
  min-width: 150px;
  font-weight: 600;
}
thead .device {
  z-index: 3;
  font-weight: 400;
}
tfoot th,
tfoot td {
  position: sticky;
  bottom: 0;
  background: var(--sheet);
  z-index: 2;
}
tfoot .device {
  background: var(--sheet);
  z-index: 3;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: baseline;
  min-height: 28px;
  cursor: pointer;
}
.source,
.port,
.why,
.via {
  display: block;
}
.source {
  font-weight: 600;
}
.port,
.via {
  color: var(--faint);
}
.cell {
  display: block;
  width: 100%;
  padding: 2px 0 4px;
}
.cell:hover .why {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.judged {
  display: flex;
  align-items: center;
  gap: 6px;
}
/* All of it stands in the cell's own board. */
.cell .why {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
}
.via {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.why,
.via {
  font-size: var(--size-note);
  line-height: 1.25;
  overflow-wrap: anywhere;
}
.refused .why {
  color: var(--faint);
}
.one {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
@media (--phone) {
  .scroll {
    overflow: visible;
    max-height: none;
  }
  table {
    width: 100%;
  }
  thead th,
  tfoot th,
  tfoot td,
  .device {
    position: static;
  }
  th,
  td {
    min-width: 0;
    max-width: none;
    padding: 4px 6px;
  }
  .device {
    min-width: 96px;
    width: 40%;
  }
  .tick {
    min-height: 40px;
  }
}
@media print {
  .scroll,
  .one {
    display: none;
  }
}
</style>
