<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import { fixed, read, volts } from "../../format/number";
import { called, saveCsv } from "../../format/save";
import { moment as timeOf } from "../../format/units";
import { useWays } from "./useWays";

/** The voltage and polarity walk: every joint in order, what a meter must show there, ticked off with its reading. */
const props = defineProps<{ way: string; soc: Record<string, number> }>();
defineEmits<{ close: [] }>();
type Measured = Schemas["Measured"];
const { id: site } = useSite();
const { find } = useWays();
const { answer, follow } = useAsked<Schemas["Walking"]>(
  async (site, changes) =>
    taken(
      await api.POST("/sites/{site}/walk", {
        params: { path: { site } },
        body: { arrangement: props.way, soc: props.soc, changes },
      }),
    ),
  () => `${props.way} ${JSON.stringify(props.soc)}`,
);
follow();
const typed = ref("");
const trouble = ref("");
const again = ref(false);
const field = ref<HTMLInputElement[]>([]);
const joints = computed(() => answer.value?.walk.joints ?? []);
/** Where the meter is held now: the next joint, or the one that stopped the walk. */
const now = computed(() => answer.value?.walk.stopped ?? answer.value?.walk.next ?? undefined);
const here = computed(() => (again.value ? joints.value[0]?.joint.key : now.value));
watch(here, async () => {
  typed.value = "";
  trouble.value = "";
  await nextTick();
  field.value[0]?.focus();
});
function expected(it: Measured): string {
  const { low_v: low, high_v: high, current } = it.joint;
  const digits = (high ?? 0) >= 99.95 ? 0 : 2;
  const sign = current === "dc" ? "+" : "";
  if (low == null || high == null) return high == null ? "nothing arrives" : `up to ${fixed(high, digits)} V`;
  return `${sign}${fixed(low, digits)} to ${sign}${fixed(high, digits)} V ${current === "ac" ? "AC" : "DC"}`;
}
const plug = (it: Measured) => [it.joint.connector, it.joint.polarity].filter(Boolean).join(", ");
async function keep(joint: string) {
  const value = read(typed.value.replace(/\s*V$/i, ""));
  if (value === undefined) {
    trouble.value = `“${typed.value}” is no voltage; write such as 12.8, or -12.8 where the sign is wrong.`;
    return;
  }
  try {
    const body = { arrangement: props.way, soc: props.soc, joint, volts: value, again: again.value };
    answer.value = taken(
      await api.POST("/sites/{site}/walk/readings", { params: { path: { site: site.value } }, body }),
    );
    again.value = false;
    typed.value = "";
    trouble.value = "";
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. The reading stands here; try again.";
  }
}
const state = (it: Measured) =>
  it.judged == null ? "open" : it.judged.shows === "expected" ? "right" : "wrong";
const placeOf = (key: string) => joints.value.find((it) => it.joint.key === key)?.joint.place ?? key;
function table() {
  const rows = (answer.value?.history ?? []).map((it) => [
    it.at,
    it.walk,
    it.joint,
    it.volts,
    it.low_v,
    it.high_v,
    it.shows,
  ]);
  saveCsv(called("walk", find(props.way)?.label ?? props.way), [
    ["time", "walk", "joint", "volts", "low_v", "high_v", "shows"],
    ...rows,
  ]);
}
</script>

<template>
  <section class="walk" aria-label="Walk with a meter" data-test="walk">
    <p class="top">
      <span
        ><strong>Voltage and polarity, joint by joint: {{ find(way)?.label }}</strong>
        <span class="label faint">
          red probe where plus should be, before the far end is plugged in</span
        ></span
      >
      <span class="label doors">
        <button
          v-if="answer?.history.length"
          type="button"
          class="door"
          data-test="walk-again"
          @click="again = true"
        >
          begin again
        </button>
        <button v-if="answer?.history.length" type="button" class="door" @click="table">CSV</button>
        <button type="button" class="door" @click="$emit('close')">close</button>
      </span>
    </p>
    <p
      v-if="answer"
      class="stands"
      :data-status="answer.walk.stopped ? 'trips' : answer.walk.next ? undefined : 'holds'"
      role="status"
      data-test="walk-stands"
    >
      {{ again ? "A new walk begins at the first joint." : answer.walk.sentence }}
    </p>
    <ol>
      <li
        v-for="it in joints"
        :key="it.joint.key"
        :class="[again ? 'open' : state(it), { here: it.joint.key === here }]"
        :style="{ paddingLeft: `${8 + Math.min(it.joint.depth, 6) * 14}px` }"
        data-test="joint"
      >
        <span class="tick" aria-hidden="true" />
        <div class="what">
          <p>
            {{ it.joint.place }} <span class="label faint">{{ plug(it) }}</span>
          </p>
          <p v-if="it.joint.doubt" class="label" data-status="unproven">{{ it.joint.doubt }}</p>
          <p v-if="it.joint.key === here && it.joint.caution" class="label" data-status="tight">
            {{ it.joint.caution }}
          </p>
          <p
            v-if="!again && it.judged && state(it) === 'wrong' && it.joint.key !== answer?.walk.stopped"
            data-status="trips"
          >
            {{ it.judged.sentence }}
          </p>
        </div>
        <span class="label expected">{{ expected(it) }}</span>
        <span v-if="it.joint.key === here" class="entry">
          <label
            ><input
              ref="field"
              v-model="typed"
              inputmode="text"
              autocomplete="off"
              :aria-label="`volts at ${it.joint.place}`"
              data-test="walk-volts"
              @keydown.enter.prevent="keep(it.joint.key)"
              @keydown.escape.stop="typed = ''"
            />
            V</label
          >
          <button type="button" class="door label" @click="keep(it.joint.key)">keep</button>
        </span>
        <span v-else-if="it.last && !again" class="last"
          >{{ fixed(it.last.volts, Math.abs(it.last.volts) >= 99.95 ? 0 : 2) }} V
          <span class="label faint">{{ timeOf(it.last.at) }}</span></span
        >
        <span v-else class="faint label">not yet</span>
        <p v-if="it.joint.key === here && trouble" class="trouble" role="alert" data-status="trips">
          {{ trouble }}
        </p>
      </li>
    </ol>
    <details v-if="answer?.history.length">
      <summary class="label">{{ answer.history.length }} readings kept</summary>
      <ul class="label">
        <li v-for="(it, index) in answer.history" :key="index">
          {{ timeOf(it.at) }} · walk {{ it.walk }} · {{ placeOf(it.joint) }}: {{ volts(it.volts) }} V,
          {{ it.shows }}
        </li>
      </ul>
    </details>
  </section>
</template>

<style scoped>
.walk {
  border-top: 2px solid var(--line);
  padding: 6px 0;
}
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 20px;
}
.doors {
  display: flex;
  gap: 18px;
}
.stands {
  font-size: var(--size-line);
  font-weight: 600;
}
ol,
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
ol > li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) 190px 190px;
  gap: 2px 14px;
  align-items: center;
  padding: 5px 0;
  min-height: 40px;
  border-top: 1px solid var(--line);
}
.here {
  background: var(--sheet);
}
.tick {
  width: 13px;
  height: 13px;
  border: 1.5px solid var(--faint);
}
.right .tick {
  border-color: var(--holds);
  background: linear-gradient(var(--holds), var(--holds)) center / 7px 7px no-repeat;
}
.wrong .tick {
  border-color: var(--trips);
  background:
    linear-gradient(45deg, transparent 43%, var(--trips) 43% 57%, transparent 57%),
    linear-gradient(-45deg, transparent 43%, var(--trips) 43% 57%, transparent 57%);
}
.expected {
  font-weight: 600;
}
.entry {
  display: flex;
  gap: 12px;
  align-items: center;
}
input {
  width: 84px;
  height: 38px;
  font: inherit;
  font-size: var(--size-head);
  text-align: right;
  color: var(--ink);
  background: var(--page);
  border: 0;
  border-bottom: 2px solid var(--primary);
}
.last {
  font-weight: 600;
}
.trouble {
  grid-column: 2 / -1;
}
summary {
  cursor: pointer;
  color: var(--faint);
}
@media (--narrow) {
  ol > li {
    grid-template-columns: 16px minmax(0, 1fr);
  }
  .expected,
  .entry,
  .last,
  ol > li > .faint {
    grid-column: 2;
  }
}
</style>
