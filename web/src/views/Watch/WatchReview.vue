<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useElementSize } from "../../composables/useElementSize";
import { useSite } from "../../composables/useSite";
import { x, type Frame } from "../Outage/timeline";

/** Looked back at: the plan, what was told at each hour, what happened; decisions; what was learned. */
const props = defineProps<{ number: number }>();
const { id: site, attempt } = useSite();
const told = shallowRef<Schemas["Reviewed"]>();
const trouble = ref("");
const holder = ref<HTMLElement>();
const { width } = useElementSize(holder, 820);
async function look() {
  trouble.value = "";
  try {
    told.value = taken(
      await api.GET("/sites/{site}/watches/{number}/review", {
        params: { path: { site: site.value, number: props.number } },
      }),
    );
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
onMounted(() => void look());

const LEFT = 92;
const ROW = 17;
const frame = computed<Frame>(() => {
  const it = told.value?.review;
  const ends = it ? [it.planned_h.p95, it.watched_h, ...it.told.map((one) => one.until_h.p95)] : [1];
  return {
    left: LEFT,
    right: Math.max(260, width.value) - 4,
    from: 0,
    to: Math.min(it?.hours ?? 1, Math.max(...ends)) * 1.02,
  };
});
const rows = computed(() => {
  const it = told.value?.review;
  if (!it) return [];
  const clock = (h: number) => `${h.toFixed(1)} h in`;
  const all = [
    { name: "the plan", range: it.planned_h, at: 0 },
    ...it.told
      .filter((_, index) => index % 2 === 0)
      .map((one) => ({ name: clock(one.at_h), range: one.until_h, at: one.at_h })),
  ];
  return all.map((row, index) => ({ ...row, y: 30 + index * ROW }));
});
const height = computed(() => 30 + rows.value.length * ROW + 30);
const ticks = computed(() => {
  let last = -Infinity;
  return (told.value?.ticks ?? []).filter((it) => {
    const at = x(frame.value, it.at_h);
    const fits = at - last > 54 && at > LEFT + 14 && at < frame.value.right - 14;
    if (fits) last = at;
    return fits;
  });
});

type Line = Schemas["LearnedLine"];
const looked = ref<{ line: Line; text: string; used: boolean }>();
async function learn(line: Line, uses: boolean) {
  const { site: now, again } = useSite();
  await attempt(async () => {
    const answer = taken(
      await api.POST("/sites/{site}/watches/{number}/learned", {
        params: { path: { site: site.value, number: props.number } },
        body: { kind: line.kind, id: line.id, path: line.path, use: uses },
      }),
    );
    looked.value = { line, text: answer.sentence, used: uses };
    if (answer.site) {
      now.value = answer.site;
      again();
    }
  });
}
</script>

<template>
  <section ref="holder" class="review" aria-label="Looked back at" data-test="review">
    <p v-if="trouble" role="alert">
      {{ trouble }} <button type="button" class="door" @click="look">try again</button>
    </p>
    <p v-else-if="!told" class="faint" role="status">Marching through it again, hour by hour …</p>
    <template v-else>
      <h1 data-test="review-headline">{{ told.headline }}</h1>
      <p v-if="told.hid" class="hid">Hidden in it: {{ told.hid }}.</p>
      <div>
        <svg
          class="graph"
          :viewBox="`0 0 ${frame.right + 4} ${height}`"
          :width="frame.right + 4"
          :height="height"
          role="img"
          aria-label="What the plan and each hour said of the end, and when it came"
        >
          <text :x="LEFT" y="14">when it ends, as it was told</text>
          <g v-for="tick in ticks" :key="tick.at_h">
            <line
              class="grid"
              :x1="x(frame, tick.at_h)"
              :x2="x(frame, tick.at_h)"
              y1="20"
              :y2="height - 22"
            />
            <text class="middle" :x="x(frame, tick.at_h)" :y="height - 6">{{ tick.label }}</text>
          </g>
          <g v-for="row in rows" :key="row.name">
            <text x="0" :y="row.y + 5">{{ row.name }}</text>
            <line
              class="range"
              :class="{ plan: row.name === 'the plan' }"
              :x1="x(frame, Math.min(row.range.p5, frame.to))"
              :x2="x(frame, Math.min(row.range.p95, frame.to))"
              :y1="row.y"
              :y2="row.y"
            />
            <circle class="mid" :cx="x(frame, Math.min(row.range.p50, frame.to))" :cy="row.y" r="3.5" />
            <line
              v-if="row.at"
              class="then"
              :x1="x(frame, row.at)"
              :x2="x(frame, row.at)"
              :y1="row.y - 5"
              :y2="row.y + 5"
            />
          </g>
          <line
            v-if="told.review.lost_h != null"
            class="lost"
            :x1="x(frame, told.review.lost_h)"
            :x2="x(frame, told.review.lost_h)"
            y1="20"
            :y2="height - 22"
          />
        </svg>
      </div>
      <p class="key label faint">
        <span class="dash" /> told then, one in twenty beyond either end <span class="bar" /> when it was told
        <template v-if="told.review.lost_h != null"><span class="lost-key" /> when it went off</template>
      </p>
      <div class="columns">
        <section aria-label="Decisions">
          <h2>Decisions, beside the best that could be known then</h2>
          <ul>
            <li v-for="(it, index) in told.decisions" :key="index" data-test="decision">
              <span class="when">{{ it.when }}</span> {{ it.text }}
              <span :class="it.lost_min < 1 ? 'well' : 'better'">{{ it.best }}</span>
            </li>
          </ul>
          <p v-if="told.earlier">{{ told.earlier }}</p>
        </section>
        <section aria-label="Learned">
          <h2>Learned of the plan’s figures</h2>
          <ul>
            <li v-for="it in told.learned" :key="`${it.id} ${it.path}`">
              {{ it.text }}
              <button
                v-if="it.usable"
                type="button"
                class="door"
                :data-test="`learn-${it.id}`"
                @click="learn(it, false)"
              >
                what would it change?
              </button>
              <p
                v-if="looked && looked.line.id === it.id && looked.line.path === it.path"
                class="preview"
                role="status"
                data-test="preview"
              >
                {{ looked.text }}
                <button
                  v-if="!looked.used"
                  type="button"
                  class="door"
                  data-test="use-learned"
                  @click="learn(it, true)"
                >
                  use it as measured
                </button>
                <span v-else class="faint">It is in the plan as measured; Ctrl+Z takes it back.</span>
              </p>
            </li>
            <li v-if="!told.learned.length" class="faint">Nothing that the plan did not say.</li>
          </ul>
        </section>
      </div>
      <section v-if="told.noticed.length" aria-label="What happened">
        <h2>What happened</h2>
        <ul>
          <li v-for="it in told.noticed" :key="it.at_s">
            <span class="when">{{ (it.at_s / 3600).toFixed(1) }} h in</span> {{ it.sentence }}
          </li>
        </ul>
      </section>
    </template>
  </section>
</template>

<style scoped>
h1 {
  font-size: 27px;
  font-weight: 600;
}
h2 {
  font-size: 17px;
  font-weight: 600;
  margin: 16px 0 4px;
}
.hid {
  font-size: 17px;
  color: var(--tight);
}
svg {
  display: block;
  max-width: 100%;
  margin-top: 10px;
}
.range {
  stroke: var(--surface);
  stroke-width: 6;
  opacity: 0.7;
}
.range.plan {
  stroke: var(--faint);
}
.mid {
  fill: var(--ink);
}
.then {
  stroke: var(--primary);
  stroke-width: 2;
}
.lost {
  stroke: var(--trips);
  stroke-width: 2;
  stroke-dasharray: 5 3;
}
.key {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
  padding-left: 92px;
}
.dash,
.bar,
.lost-key {
  display: inline-block;
  width: 22px;
  height: 6px;
  background: var(--surface);
}
.bar {
  width: 2px;
  height: 12px;
  background: var(--primary);
}
.lost-key {
  width: 2px;
  height: 12px;
  background: var(--trips);
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 48px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
.when {
  font: 600 15px var(--font-label);
  margin-right: 8px;
}
.better {
  display: block;
  color: var(--tight);
}
.well {
  display: block;
  color: var(--holds);
}
.preview {
  padding: 6px 0 2px 14px;
  border-left: 2px solid var(--primary);
}
@media (max-width: 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .key {
    padding-left: 0;
  }
}
</style>
