<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Plan, Question, Status } from "../../api/client";
import SavePicture from "../../components/SavePicture.vue";
import WorkingDrawer from "../../components/WorkingDrawer.vue";
import { useAddress } from "../../composables/useAddress";
import { withUnsaved } from "../../composables/useAsked";
import { numberIn } from "../../format/address";
import { called } from "../../format/save";
import { useEdits } from "../../composables/useEdits";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { volts } from "../../format/number";
import BuildPanel from "./BuildPanel.vue";
import ChargeScale from "./ChargeScale.vue";
import { chainOf, singles, type Chain } from "./chain";
import ComparePanel from "./ComparePanel.vue";
import DeviceFalls from "./DeviceFalls.vue";
import FindingsPanel from "./FindingsPanel.vue";
import GaugePanel from "./GaugePanel.vue";
import { barWatts, commonScale, layFall } from "./layout";
import MomentStrip from "./MomentStrip.vue";
import PanelDoors from "./PanelDoors.vue";
import { PANELS, type Panel } from "./panels";
import SiteFalls from "./SiteFalls.vue";
import SwitchPanel from "./SwitchPanel.vue";
import { RANK } from "./tree";
import { useAnswer } from "./useAnswer";
import { useRoom } from "./useRoom";
import { useSpot } from "./useSpot";
import { useWays } from "./useWays";
import WalkPanel from "./WalkPanel.vue";
import WayPicker from "./WayPicker.vue";
import WorstFinding from "./WorstFinding.vue";

const { plan, line, lineOf } = useSite();
const { changes, unsaved } = useEdits();
const { ways, chosen, inAddress } = useWays();
const moment = ref("running");
const CHARGE = 0.6;
const soc = ref(CHARGE);
const at = ref(0);
const panel = ref<Panel>();
const open = (name: Panel) => (panel.value = panel.value === name ? undefined : name);
const { forget } = useSpot();
const boardsAt = ref<{ way: string; place: string }>();
function boards(way: string, place: string) {
  boardsAt.value = { way, place };
  panel.value = "gauges";
}

/** The one device that all of the chosen ways feed, where each feeds but one; else whole sites are drawn. */
const device = computed(() => {
  if (!plan.value) return undefined;
  const found = [...singles({ ...plan.value, arrangements: ways.value })];
  return found.find(([, ids]) => chosen.value.every((id) => ids.includes(id)))?.[0];
});
const stores = computed(() => {
  const used = ways.value.filter((it) => chosen.value.includes(it.id)).flatMap((it) => it.feeds);
  const fed = (id: string) => used.some((feed) => feed.from.item === id);
  return (plan.value?.kit.sources ?? []).filter((it) => it.battery && fed(it.id)).map((it) => it.id);
});
const source = computed(() => stores.value[0]);
const question = computed<Question | undefined>(() => {
  if (chosen.value.length === 0) return undefined;
  const charge = Object.fromEntries(stores.value.map((id) => [id, soc.value]));
  return { arrangements: chosen.value, moment: moment.value, soc: charge };
});
const { answer, trouble: refused } = useAnswer(question);

/** The plan as it would be with what is not saved yet, so that fields show what was typed. */
const shownPlan = computed<Plan | undefined>(() =>
  plan.value && unsaved.value.size > 0
    ? { ...plan.value, arrangements: withUnsaved("arrangement", plan.value.arrangements) }
    : plan.value,
);
const chains = computed<Chain[]>(() => {
  const found = shownPlan.value;
  const id = device.value;
  if (!found || !id || !answer.value) return [];
  return answer.value.ways.map((way) => chainOf(found, way, id)).filter((it) => it !== undefined);
});

const { frame, width, height, compact } = useRoom();
const scale = computed(() =>
  commonScale(chains.value, compact.value ? chains.value.length * 300 : height.value, compact.value),
);
const falls = computed(() =>
  chains.value.map((chain) => layFall(chain, width.value, scale.value, compact.value)),
);
const site = ref<{ scale: number }>();
const shownScale = computed(() => (device.value ? scale.value : (site.value?.scale ?? 1)));
const bar = computed(() => barWatts(shownScale.value));
const first = computed(() => answer.value?.ways[0]);
const moments = computed(() => [...new Set((answer.value?.ways ?? []).flatMap((it) => it.moments))]);
const names = computed(() =>
  Object.fromEntries((plan.value?.kit.devices ?? []).map((it) => [it.id, it.label])),
);
const worst = computed(() => {
  const found: Record<string, Status> = {};
  const marks = (answer.value?.ways ?? []).flatMap((way) =>
    [...way.boards, ...way.windows].flatMap((it) => it.marks),
  );
  for (const mark of marks) {
    if (RANK.indexOf(mark.status) > RANK.indexOf(found[mark.moment] ?? "holds"))
      found[mark.moment] = mark.status;
  }
  return found;
});
const terminal = computed(() => {
  const found = source.value ? first.value?.flow.sources[source.value]?.terminal_v : undefined;
  return found == null ? "" : `${volts(found)} V at the terminals`;
});
/** Of the ways shown, where the first window is broken as the stores run down. */
const breaks = computed(() => {
  const all = (answer.value?.ways ?? []).flatMap((it) => (it.breaks ? [it.breaks] : []));
  return [...all].sort((a, b) => b.soc - a.soc)[0];
});
const fileName = computed(() =>
  called("chains", ...(answer.value?.ways ?? []).map((it) => it.label), moment.value),
);
const floor = computed(() => (source.value ? first.value?.lasting[source.value]?.floor_soc : undefined));
const headline = computed(() => {
  if (answer.value && chosen.value.length > 0) return answer.value.headline;
  return plan.value && ways.value.length === 0
    ? "Nothing is connected yet. Make an arrangement, and build it."
    : " ";
});

useAddress({
  ways: inAddress,
  moment: {
    now: () => (moment.value === "running" ? undefined : moment.value.replace(" ", ":")),
    take: (text) => (moment.value = text.replace(":", " ")),
  },
  charge: {
    now: () => (soc.value === CHARGE ? undefined : String(soc.value)),
    take: (text) => (soc.value = numberIn(text, 0, 1) ?? CHARGE),
  },
  panel: { now: () => panel.value, take: (text) => (panel.value = PANELS.find(([it]) => it === text)?.[0]) },
});
watch(chosen, forget);
// A moment that the chosen ways do not have is left for what runs.
watch([moments, refused], ([now, trouble]) => {
  const unknown = now.length > 0 ? !now.includes(moment.value) : trouble !== undefined;
  if (unknown) moment.value = "running";
});
watch(
  [answer, at],
  () => {
    const way = answer.value?.ways[at.value] ?? answer.value?.ways[0];
    line.value = way?.line ?? "";
    if (way) lineOf.value = { arrangement: way.id, soc: question.value?.soc ?? {} };
  },
  { immediate: true },
);

const asked = ref<{ key: string; question: Question }>();
function working(index: number, key: string) {
  const way = answer.value?.ways[index];
  if (!way || !question.value) return;
  asked.value = { key, question: { ...question.value, arrangements: [way.id], changes: changes.value } };
}
useKeys({
  w: () => working(at.value, "totals.drawn_w"),
  b: () => open("build"),
  f: () => open("findings"),
  c: () => open("compare"),
  g: () => open("gauges"),
  s: () => open("switches"),
  v: () => open("walk"),
  escape: () => (panel.value = undefined),
});
</script>

<template>
  <main class="chains">
    <h1 data-test="headline">{{ headline }}</h1>
    <WorstFinding :ways="answer?.ways ?? []" />
    <div class="controls">
      <WayPicker v-if="plan" />
      <ChargeScale v-model="soc" label="charge" :floor="floor" :volts="terminal" :breaks="breaks" />
    </div>
    <MomentStrip
      v-model="moment"
      :moments="moments.length ? moments : ['running']"
      :names="names"
      :worst="worst"
    />
    <div ref="frame" class="frame">
      <DeviceFalls
        v-if="device"
        :falls="falls"
        :compact="compact"
        :names="names"
        :at="at"
        @working="working"
        @choose="(index) => (at = index)"
        @boards="boards"
      />
      <SiteFalls
        v-else-if="shownPlan && answer"
        ref="site"
        :plan="shownPlan"
        :ways="answer.ways"
        :compact="compact"
        :height="height - 60"
        @working="working"
        @boards="boards"
      />
    </div>
    <footer>
      <p data-test="decides">{{ answer?.decides ?? "" }}</p>
      <PanelDoors :panel="panel" @open="open">
        <SavePicture :of="frame" :name="fileName" :says="headline" />
        <span v-if="answer" class="bar"
          ><i :style="{ width: `${bar * shownScale}px` }"></i>{{ bar }} W, as high as this is long</span
        >
      </PanelDoors>
    </footer>
    <BuildPanel
      v-if="panel === 'build' && chosen[0]"
      :way="chosen[at] ?? chosen[0]"
      :soc="question?.soc ?? {}"
      :contacts="answer?.ways.find((it) => it.id === (chosen[at] ?? chosen[0]))?.contacts"
      @close="panel = undefined"
    />
    <FindingsPanel v-if="panel === 'findings'" :soc="question?.soc ?? {}" @close="panel = undefined" />
    <GaugePanel
      v-if="panel === 'gauges' && answer"
      :ways="answer.ways"
      :at="boardsAt"
      @close="panel = undefined"
    />
    <ComparePanel v-if="panel === 'compare'" :soc="question?.soc ?? {}" @close="panel = undefined" />
    <SwitchPanel
      v-if="panel === 'switches' && answer"
      :ways="answer.ways"
      :soc="question?.soc ?? {}"
      @close="panel = undefined"
    />
    <WalkPanel
      v-if="panel === 'walk' && chosen[0]"
      :way="chosen[at] ?? chosen[0]"
      :soc="question?.soc ?? {}"
      @close="panel = undefined"
    />
    <WorkingDrawer v-model="asked" />
  </main>
</template>

<style scoped>
.chains {
  flex: 1;
  display: flex;
  flex-direction: column;
  padding: 14px 24px 10px;
  min-height: 0;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  line-height: 1.25;
  min-height: 27px;
}
.controls {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 0 24px;
  min-height: 40px;
}
.frame {
  flex: 1;
  min-height: 0;
}
footer {
  border-top: 1px solid var(--line);
  padding-top: 8px;
  font-size: var(--size-word);
}
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
}
.bar i {
  height: 7px;
  border: 1px solid var(--ink);
  border-top: 0;
}
@media (--narrow) {
  .chains {
    padding: 12px 16px;
  }
  h1 {
    font-size: var(--size-head);
  }
}
</style>
