<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import type { Arrangement, Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import { useAddress } from "../../composables/useAddress";
import { figureValue, useEdits } from "../../composables/useEdits";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { idsIn, numberIn } from "../../format/address";
import ComeBack from "./ComeBack.vue";
import CursorLine from "./CursorLine.vue";
import OutageChoices from "./OutageChoices.vue";
import OutageDoors from "./OutageDoors.vue";
import OutageEditor from "./OutageEditor.vue";
import OutageTable from "./OutageTable.vue";
import ReadyOutages from "./ReadyOutages.vue";
import ShedBoard from "./ShedBoard.vue";
import SwitchStrip from "./SwitchStrip.vue";
import TimelinePicture from "./TimelinePicture.vue";
import { useSpan } from "./useSpan";
import { lineOfOutage, PANELS, type Panel } from "./timeline";
import { useBoard, useChances, useChosen, useDropped, useTold, type Of, type Outage } from "./useOutage";

const RUNS = 2000;

const { plan, line, lineOf } = useSite();
const labelOf = (id: string) => plan.value?.kit.devices.find((it) => it.id === id)?.label ?? id;
const { edit } = useEdits();
const { ways, outages, way, outage, choose, chosen } = useChosen();
const { dropped, below, toggle } = useDropped();
const everything = ref<boolean>();
const of = computed<Of | undefined>(() =>
  way.value && outage.value ? { arrangement: way.value.id, outage: outage.value.id } : undefined,
);
const { told, asked, trouble, again, follow } = useTold(of, dropped, everything, below);
const {
  answer: board,
  trouble: boardless,
  again: boardAgain,
  follow: followBoard,
} = useBoard(of, everything);
const { chances, progress, run, cancel } = useChances(asked);
follow();
followBoard();
watch([told, chances], () => {
  const now = told.value;
  if (!now || !way.value) return;
  line.value = lineOfOutage(way.value.label, now, chances.value, whole.value, labelOf);
  lineOf.value = { arrangement: way.value.id, soc: {} };
});

/** What it is set beside: another arrangement, or another outage, on the same axis. */
const beside = ref("");
const other = computed<Of | undefined>(() => {
  const [kind, id = ""] = beside.value.split(" ");
  if (!of.value || !id) return undefined;
  return kind === "way" ? { ...of.value, arrangement: id } : { ...of.value, outage: id };
});
const otherName = computed(() => ways.value.find((it) => it.id === other.value?.arrangement)?.label ?? "");
/** What is dropped there too: of what is dropped here, what the other arrangement feeds. */
const otherWay = computed(() => ways.value.find((it) => it.id === other.value?.arrangement));
const otherDrop = computed(() =>
  dropped.value.filter((id) => otherWay.value?.feeds.some((feed) => feed.to === id)),
);
const {
  told: otherTold,
  trouble: otherTrouble,
  again: otherAgain,
  follow: followOther,
} = useTold(other, otherDrop, everything, below);
followOther();
/** What differs between the two sides beside what was chosen. */
const differs = computed(() => {
  if (!other.value || !told.value || !otherTold.value) return "";
  const [mine, theirs] = [told.value.order, otherTold.value.order];
  const unfed = (list: string[], than: string[]) =>
    than
      .filter((id) => !list.includes(id))
      .map(labelOf)
      .join(", ");
  const words: string[] = [];
  if (other.value.outage !== of.value?.outage)
    words.push("Another outage: its hours, temperature, charge at the start and rules are its own.");
  if (dropped.value.length > 0)
    words.push(`Dropped on both sides: ${otherDrop.value.map(labelOf).join(", ") || "nothing"}.`);
  const there = unfed(theirs, mine);
  const here = unfed(mine, theirs);
  if (there) words.push(`Not fed there: ${there}; its hours are not of the same devices.`);
  if (here) words.push(`Fed there only: ${here}; its hours are not of the same devices.`);
  return words.join(" ");
});

const whole = computed(() => figureValue(outage.value?.hours ?? 24));
const longest = computed(() =>
  other.value
    ? Math.max(
        whole.value,
        figureValue(outages.value.find((it) => it.id === other.value?.outage)?.hours ?? 0),
      )
    : whole.value,
);
const { view, cursor, zoom, pan, move, whole: seeAll, stepWide } = useSpan(longest, () => of.value?.outage);
watch(whole, (now) => (cursor.value = Math.min(cursor.value, now)));

const row = ref<string>();
const rowOf = computed(() => (row.value && told.value?.order.includes(row.value) ? row.value : undefined));
function go(by: number) {
  const list = told.value?.order ?? [];
  const at = rowOf.value ? list.indexOf(rowOf.value) : by > 0 ? -1 : list.length;
  row.value = list[Math.min(list.length - 1, Math.max(0, at + by))];
}
function dropRow() {
  if (rowOf.value && rowOf.value !== told.value?.keeps) toggle(rowOf.value);
}
const panel = ref<Panel>();
/** What opens below the picture, which is brought into sight. */
const opened = ref<HTMLElement>();
function open(name: Panel) {
  panel.value = panel.value === name ? undefined : name;
  if (panel.value) void nextTick(() => opened.value?.scrollIntoView({ block: "nearest" }));
}
useAddress({
  ...chosen,
  use: {
    now: () => (everything.value === undefined ? undefined : everything.value ? "all" : "spare"),
    take: (text) => (everything.value = text === "all"),
  },
  drop: { now: () => dropped.value.join(), take: (text) => (dropped.value = idsIn(text)) },
  below: { now: () => below.value?.toString(), take: (text) => (below.value = numberIn(text, 0, 1)) },
  beside: {
    now: () => beside.value.replace(" ", ":"),
    take: (text) => (beside.value = text.replace(":", " ")),
  },
  hour: {
    now: () => (cursor.value > 0 ? cursor.value.toFixed(2) : undefined),
    take: (text) => move(numberIn(text, 0, longest.value) ?? 0),
  },
  row: { now: () => rowOf.value, take: (text) => (row.value = text) },
  panel: { now: () => panel.value, take: (text) => (panel.value = PANELS.find((it) => it === text)) },
});
const spares = computed(() => !(everything.value ?? outage.value?.use_everything ?? false));
const headline = computed(
  () =>
    chances.value?.headline ??
    told.value?.headline ??
    (of.value
      ? " "
      : outage.value
        ? "Nothing is fed yet: build a chain first, in Chains."
        : "No outage is described yet. Start from one of these:"),
);
/** The pictures under one another: this outage, and what it is set beside. */
const shown = computed(() => {
  const mine = told.value && {
    told: told.value,
    beside: "",
    bands: chances.value?.chances.bands,
    dropped: below.value === undefined ? dropped.value : [],
    name: headline.value,
  };
  const theirs = otherTold.value && {
    told: otherTold.value,
    beside: otherName.value,
    bands: undefined,
    dropped: below.value === undefined ? otherDrop.value : [],
    name: otherTold.value.headline,
  };
  return [mine, theirs].filter((it) => it !== undefined);
});
const frame = ref<HTMLElement>();
/** What can stand beside it: first the arrangements that feed the same device, then the others, then other outages. */
const besides = computed<[string, string][]>(() => {
  const feeds = (it: Arrangement) => (it.feeds.some((feed) => feed.to === told.value?.keeps) ? 0 : 1);
  const more = ways.value.filter((it) => it.id !== way.value?.id).sort((a, b) => feeds(a) - feeds(b));
  const later = outages.value.filter((it) => it.id !== outage.value?.id);
  return [
    ["", "nothing"],
    ...more.map((it): [string, string] => [`way ${it.id}`, it.label]),
    ...later.map((it): [string, string] => [`outage ${it.id}`, it.label]),
  ];
});
function addRules(rules: Schemas["Rule"][]) {
  if (!outage.value) return;
  edit({ kind: "outage", id: outage.value.id }, `${outage.value.id}.rules`, (body) => {
    const it = body as Outage;
    const kinds = new Set(rules.map((rule) => rule.kind));
    it.rules = [...(it.rules ?? []).filter((rule) => !kinds.has(rule.kind)), ...rules];
  });
  panel.value = "edit";
}
useKeys({
  arrowleft: () => move(cursor.value - stepWide.value),
  arrowright: () => move(cursor.value + stepWide.value),
  arrowup: () => go(-1),
  arrowdown: () => go(1),
  d: dropRow,
  s: () => (everything.value = spares.value),
  r: () => open("return"),
  x: () => open("switch"),
  e: () => open("edit"),
  t: () => open("table"),
  b: () => open("back"),
  c: () => (beside.value = beside.value ? "" : (besides.value[1]?.[0] ?? "")),
  u: () => void run(RUNS),
  "+": () => zoom(1.5),
  "=": () => zoom(1.5),
  "-": () => zoom(1 / 1.5),
  home: seeAll,
  "[": () => pan(-0.25),
  "]": () => pan(0.25),
  escape: () => (progress.value ? cancel() : (panel.value = undefined)),
});
</script>

<template>
  <main class="outage">
    <h1 data-test="headline">{{ headline }}</h1>
    <p class="second" data-test="second">
      <strong v-if="chances?.owner">{{ chances.owner }}</strong> {{ told?.second }}
    </p>
    <AnswerState v-if="of" :ready="told !== undefined" :trouble="trouble" @again="again" />
    <p v-if="told?.simulation.unsettled" role="alert" data-status="trips" data-test="unsettled">
      {{ told.simulation.unsettled }}
    </p>
    <OutageChoices
      v-model:beside="beside"
      :spares="spares"
      :besides="besides"
      :way="way?.id ?? ''"
      :outage="outage?.id ?? ''"
      @choose="choose"
      @everything="everything = $event"
    >
      <template v-if="progress">
        <progress
          :value="progress.done"
          :max="progress.of"
          :aria-label="`${progress.done} of ${progress.of} runs`"
        />
        <button type="button" class="door" data-test="cancel" @click="cancel">cancel</button>
      </template>
      <button v-else-if="!chances && told" type="button" class="door" data-test="run" @click="run(RUNS)">
        how sure is that?
      </button>
      <template v-else-if="chances">
        {{ chances.chances.runs }} runs over {{ chances.chances.drawn }} figures
      </template>
    </OutageChoices>
    <AnswerState
      v-if="other && !otherTold"
      :ready="false"
      :trouble="otherTrouble"
      looking="What stands beside it is worked out …"
      @again="otherAgain"
    />
    <div v-if="told" class="split">
      <div ref="frame" class="pictures">
        <template v-for="it in shown" :key="it.told.keeps + it.beside">
          <h2 v-if="it.beside" data-test="beside">{{ it.beside }}. {{ it.name }}</h2>
          <p v-if="it.beside && differs" class="label" data-test="differs">{{ differs }}</p>
          <TimelinePicture
            :told="it.told"
            :bands="it.bands"
            :from="view.from"
            :to="view.to"
            :cursor="cursor"
            :row="rowOf"
            :dropped="it.dropped"
            :name="it.name"
            @move="move"
            @pick="row = $event"
            @zoom="zoom"
            @pan="pan"
          />
          <CursorLine v-if="!it.beside" :told="it.told" :cursor="cursor" :whole="whole" @move="move" />
        </template>
      </div>
      <AnswerState v-if="!board" :ready="false" :trouble="boardless" @again="boardAgain" />
      <ShedBoard
        v-if="board"
        v-model:below="below"
        :board="board"
        :told="told"
        :dropped="dropped"
        :row="rowOf"
        :whole="whole"
        @toggle="toggle"
        @pick="row = $event"
        @follow="addRules(board.rules)"
      />
    </div>
    <ReadyOutages v-if="plan && outages.length === 0" />
    <OutageDoors
      v-if="of"
      :of="of"
      :panel="panel"
      :everything="everything"
      :frame="frame"
      :says="`${way?.label}. ${headline}`"
      :names="[outage?.label ?? '', way?.label ?? '']"
      @open="open"
    />
    <div ref="opened">
      <SwitchStrip
        v-if="told && (panel === 'switch' || panel === 'return')"
        :switchover="told.switchover"
        :back="panel === 'return'"
        :order="told.order"
      />
      <ComeBack v-if="told && of && panel === 'back'" :of="of" :told="told" @rule="addRules([$event])" />
      <OutageEditor
        v-if="outage && panel === 'edit'"
        :outage="outage"
        :stores="Object.keys(told?.simulation.sources ?? {})"
        @close="panel = undefined"
      />
      <OutageTable v-if="told && panel === 'table'" :told="told" :chances="chances" :whole="whole" />
    </div>
  </main>
</template>

<style scoped>
.outage {
  padding: 14px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  line-height: 1.25;
  min-height: 27px;
}
h2 {
  font-size: var(--size-word);
  font-weight: 600;
  margin-top: 12px;
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
.second {
  min-height: 20px;
}
.second strong {
  color: var(--loss);
  font-weight: 600;
}
progress {
  width: 110px;
  height: 10px;
  accent-color: var(--primary);
}
.split {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 262px;
  gap: 0 28px;
}
.pictures {
  min-width: 0;
}
@media (--narrow) {
  .outage {
    padding: 12px 16px;
  }
  h1 {
    font-size: var(--size-head);
  }
  .split {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
