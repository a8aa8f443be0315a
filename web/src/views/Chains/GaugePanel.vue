<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import type { Board, Status, Way, Window } from "../../api/client";
import LyingStaff from "../../components/LyingStaff.vue";
import StatusMark from "../../components/StatusMark.vue";
import {
  lyingLimit,
  lyingWindow,
  strainOf,
  tideWords,
  windowWords,
  type Lying,
} from "../../components/staff";
import { saveCsv } from "../../format/save";
import { useElementSize } from "../../composables/useElementSize";
import { boardWord } from "./boardWords";
import { RANK } from "./tree";
import { isMeant, useSpot } from "./useSpot";

/** Every gauge board of a way, the worst first: its limit, what it carries a while, what each phase leaves on it. */
const props = defineProps<{ ways: Way[]; at: { way: string; place: string } | undefined }>();
defineEmits<{ close: [] }>();
const { show } = useSpot();
const list = ref<HTMLElement>();
const { width } = useElementSize(list, 1200);
const staff = computed(() => Math.min(300, Math.max(150, width.value - 40)));
const LETTERS = ["A", "B", "C", "D"];
interface Row {
  key: string;
  place: string;
  name: string;
  what: string;
  status: Status;
  strain: number;
  lying: Lying;
  limit: string;
  marks: string;
}
const ofBoard = (it: Board): Row => {
  const lying = lyingLimit(it, staff.value);
  const over = lying.overloads.map((level) => level.words);
  return {
    key: `${it.code} ${it.where} ${it.unit}`,
    place: it.where,
    name: it.name,
    what: boardWord(it.code),
    status: it.status,
    strain: strainOf(it),
    lying,
    limit: [`${Number(it.limit.toPrecision(4))} ${it.unit} for ever`, ...over].join(", "),
    marks: tideWords(lying.tides, it.unit),
  };
};
const ofWindow = (it: Window): Row => {
  const lying = lyingWindow(it, staff.value);
  const left = Math.min(...lying.tides.map((tide) => tide.value - (it.low ?? 0)), Infinity);
  return {
    key: `${it.code} ${it.where}`,
    place: it.where,
    name: it.name,
    what: boardWord(it.code),
    status: it.status,
    strain: 1 - left / Math.max((it.high ?? (it.low ?? 1) * 1.3) - (it.low ?? 0), 1e-9),
    lying,
    limit: windowWords(it),
    marks: tideWords(lying.tides, "V"),
  };
};
const groups = computed(() =>
  props.ways.map((way, index) => ({
    way,
    letter: LETTERS[index] ?? "",
    rows: [...way.boards.map(ofBoard), ...way.windows.map(ofWindow)].sort(
      (a, b) => RANK.indexOf(b.status) - RANK.indexOf(a.status) || b.strain - a.strain,
    ),
  })),
);
function table() {
  const marks = props.ways.flatMap((way) => [
    ...way.boards.flatMap((it) =>
      it.marks.map((mark) => [
        way.id,
        it.code,
        it.where,
        mark.moment,
        mark.value,
        it.unit,
        null,
        it.limit,
        mark.status,
      ]),
    ),
    ...way.windows.flatMap((it) =>
      it.marks.map((mark) => [
        way.id,
        it.code,
        it.where,
        mark.moment,
        mark.value,
        "V",
        it.low,
        it.high,
        mark.status,
      ]),
    ),
  ]);
  saveCsv("gauge-boards", ["arrangement code where moment value unit low high status".split(" "), ...marks]);
}
const meant = (way: Way, row: Row) => props.at?.way === way.id && isMeant(row.place, props.at.place);
watch(
  () => props.at,
  async () => {
    await nextTick();
    list.value?.querySelector("[aria-current=true]")?.scrollIntoView({ block: "nearest" });
  },
  { immediate: true },
);
</script>

<template>
  <section ref="list" class="gauges" aria-label="Gauge boards" data-test="gauges">
    <p class="top">
      <span
        ><strong>Gauge boards</strong>
        <span class="faint label">
          what each moment leaves on each limit, at this charge; worst first</span
        ></span
      >
      <span class="doors">
        <button type="button" class="label door" @click="table">CSV</button>
        <button type="button" class="label door" @click="$emit('close')">close</button>
      </span>
    </p>
    <div v-for="group in groups" :key="group.way.id">
      <h3>
        <span class="letter">{{ group.letter }}</span> {{ group.way.label }}
      </h3>
      <ul>
        <li
          v-for="row in group.rows"
          :key="row.key"
          :aria-current="meant(group.way, row)"
          :data-place="row.place"
          data-test="gauge"
        >
          <span class="word label" :data-status="row.status"
            ><StatusMark :status="row.status" /> {{ row.status }}</span
          >
          <button type="button" class="name" @click="show(group.way.id, row.place)">
            {{ row.name }} <span class="label faint">{{ row.what }}</span>
          </button>
          <LyingStaff :at="row.lying" :width="staff" :told="`${row.limit}; ${row.marks}`" />
          <span class="label read"
            ><b>{{ row.marks }}</b> <span class="faint">{{ row.limit }}</span></span
          >
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.gauges {
  border-top: 2px solid var(--line);
  padding: 6px 0;
}
.doors {
  display: flex;
  gap: 18px;
}
.top {
  display: flex;
  justify-content: space-between;
}
h3 {
  margin: 2px 0;
  font-size: var(--size-word);
  font-weight: 600;
}
.letter {
  color: var(--primary);
  font-weight: 300;
  font-size: var(--size-title);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 86px minmax(180px, 1.1fr) auto minmax(220px, 1.4fr);
  gap: 2px 16px;
  align-items: center;
  padding: 4px 0 4px 6px;
  border-top: 1px solid var(--line);
}
li[aria-current="true"] {
  box-shadow: inset 3px 0 0 var(--primary);
  background: var(--sheet);
}
.word {
  font-weight: 600;
  display: inline-flex;
  gap: 5px;
  align-items: center;
}
.name {
  padding: 4px 0;
}
.read {
  display: grid;
}
b {
  font-weight: 600;
}
@media (--tablet) {
  li {
    grid-template-columns: 86px 1fr;
  }
  .lying,
  .read {
    grid-column: 1 / -1;
  }
}
</style>
