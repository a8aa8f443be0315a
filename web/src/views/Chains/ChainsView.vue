<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Question, Status } from "../../api/client";
import WorkingDrawer from "../../components/WorkingDrawer.vue";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { volts } from "../../format/number";
import ChargeScale from "./ChargeScale.vue";
import { chainOf, singles, type Chain } from "./chain";
import FallPicture from "./FallPicture.vue";
import FootBoard from "./FootBoard.vue";
import { barWatts, commonScale, layFall } from "./layout";
import LeadEditor from "./LeadEditor.vue";
import MomentStrip from "./MomentStrip.vue";
import { useAnswer } from "./useAnswer";
import { useEdits } from "../../composables/useEdits";
import { useRoom } from "./useRoom";

const { plan, line, lineOf } = useSite();
const { unsaved } = useEdits();
const moment = ref("running");
const soc = ref(0.6);
const chosen = ref(0);

const device = computed(() =>
  plan.value ? [...singles(plan.value)].sort((a, b) => b[1].length - a[1].length)[0] : undefined,
);
const source = computed(() => {
  const way = plan.value?.arrangements.find((it) => it.id === device.value?.[1][0]);
  const roots = plan.value?.kit.sources.filter(
    (it) => it.battery && way?.feeds.some((feed) => feed.from.item === it.id),
  );
  return roots?.[0]?.id;
});
const question = computed<Question | undefined>(() => {
  if (!device.value) return undefined;
  const charge = source.value ? { [source.value]: soc.value } : {};
  return { arrangements: device.value[1].slice(0, 4), moment: moment.value, soc: charge };
});
const { answer } = useAnswer(question);

/** The plan as it would be with what is not saved yet, so that fields show what was typed. */
const shownPlan = computed(() => {
  const saved = plan.value;
  if (!saved || unsaved.value.size === 0) return saved;
  const swap = <T extends { id: string }>(kind: string, list: T[]) =>
    list.map((it) => (unsaved.value.get(`${kind}/${it.id}`)?.body as T | undefined) ?? it);
  return { ...saved, arrangements: swap("arrangement", saved.arrangements) };
});
const chains = computed<Chain[]>(() => {
  const found = shownPlan.value;
  const id = device.value?.[0];
  if (!found || !id || !answer.value) return [];
  return answer.value.ways.map((way) => chainOf(found, way, id)).filter((it) => it !== undefined);
});

const { width, height, compact } = useRoom();
const scale = computed(() =>
  commonScale(chains.value, compact.value ? chains.value.length * 300 : height.value, compact.value),
);
const falls = computed(() =>
  chains.value.map((chain) => layFall(chain, width.value, scale.value, compact.value)),
);
const bar = computed(() => barWatts(scale.value));
const first = computed(() => answer.value?.ways[0]);
const names = computed(() =>
  Object.fromEntries((plan.value?.kit.devices ?? []).map((it) => [it.id, it.label])),
);
const order: Status[] = ["holds", "tight", "brief", "unproven", "trips"];
const worst = computed(() => {
  const found: Record<string, Status> = {};
  const marks = (answer.value?.ways ?? []).flatMap((way) => way.boards.flatMap((board) => board.marks));
  for (const mark of marks) {
    if (order.indexOf(mark.status) > order.indexOf(found[mark.moment] ?? "holds"))
      found[mark.moment] = mark.status;
  }
  return found;
});
const terminal = computed(() => {
  const found = source.value ? first.value?.flow.sources[source.value]?.terminal_v : undefined;
  return found == null ? "" : `${volts(found)} V at the terminals`;
});
const floor = computed(() => (source.value ? first.value?.lasting[source.value]?.floor_soc : undefined));

watch(
  [answer, chosen],
  () => {
    const way = answer.value?.ways[chosen.value];
    line.value = way?.line ?? "";
    if (way) lineOf.value = { arrangement: way.id, soc: question.value?.soc ?? {} };
  },
  { immediate: true },
);

const asked = ref<{ key: string; question: Question }>();
function working(index: number, key: string) {
  const way = answer.value?.ways[index];
  if (!way || !question.value) return;
  asked.value = {
    key,
    question: { ...question.value, arrangements: [way.id], changes: [...unsaved.value.values()] },
  };
}
useKeys({ w: () => working(chosen.value, "totals.drawn_w") });
const letters = ["A", "B", "C", "D"];
</script>

<template>
  <main class="chains">
    <h1 data-test="headline">
      {{ answer?.headline ?? (plan && !device ? "No arrangement feeds a single device yet." : " ") }}
    </h1>
    <div class="controls">
      <MomentStrip v-model="moment" :moments="first?.moments ?? ['running']" :names="names" :worst="worst" />
      <ChargeScale v-model="soc" label="charge" :floor="floor" :volts="terminal" />
    </div>
    <div ref="frame" class="falls" :class="{ compact }">
      <section
        v-for="(fall, index) in falls"
        :key="fall.chain.way.id"
        class="way"
        :aria-label="fall.chain.way.label"
      >
        <div class="picture">
          <h2>
            <button type="button" :aria-pressed="chosen === index" @click="chosen = index">
              <span class="letter">{{ letters[index] }}</span> {{ fall.chain.way.label }}
            </button>
          </h2>
          <FallPicture
            :fall="fall"
            :compact="compact"
            :letter="letters[index] ?? ''"
            @working="working(index, $event)"
          />
        </div>
        <div v-if="compact" class="leads">
          <div
            v-for="place in fall.reaches.filter((it) => it.reach.feed.cable)"
            :key="place.reach.to"
            class="lead-row label"
          >
            <span class="faint"
              >lead to {{ names[place.reach.to] ?? place.reach.to.replace(/-/g, " ") }}</span
            >
            <LeadEditor :way="fall.chain.way.id" :reach="place.reach" @working="working(index, $event)" />
          </div>
        </div>
        <FootBoard :chain="fall.chain" :editable="index === 0" @working="working(index, $event)" />
      </section>
    </div>
    <footer>
      <p data-test="decides">{{ answer?.decides ?? "" }}</p>
      <div class="keys label faint">
        <span>w working · 1 to 7 views · Tab to a number, Enter for its sum · Ctrl Z undo</span>
        <span v-if="falls.length" class="bar"
          ><i :style="{ width: `${bar * scale}px` }"></i>{{ bar }} W, as high as this is long</span
        >
      </div>
    </footer>
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
  font-size: 21px;
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
  min-height: 44px;
}
.falls {
  flex: 1;
  min-height: 0;
}
.way {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 244px;
  gap: 16px;
}
.way + .way {
  border-top: 1px solid var(--line);
}
.picture {
  position: relative;
}
h2 {
  position: absolute;
  z-index: 2;
  top: 6px;
  left: 0;
  font-size: 18px;
  font-weight: 600;
}
h2 button[aria-pressed="true"] {
  text-decoration: underline;
  text-decoration-color: var(--primary);
  text-underline-offset: 5px;
}
.letter {
  font-weight: 300;
  font-size: 28px;
  color: var(--primary);
  margin-right: 8px;
  vertical-align: -2px;
}
footer {
  border-top: 1px solid var(--line);
  padding-top: 8px;
  font-size: 16px;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 24px;
  margin-top: 6px;
  font-size: 14px;
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
.compact .way {
  display: block;
  padding-bottom: 12px;
}
.lead-row {
  display: flex;
  justify-content: space-between;
  padding: 5px 0;
  border-bottom: 1px solid var(--line);
}
@media (max-width: 720px) {
  .chains {
    padding: 12px 16px;
  }
  h1 {
    font-size: 18px;
  }
  .picture h2 {
    position: static;
    padding-top: 8px;
  }
}
</style>
