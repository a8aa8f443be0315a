<script setup lang="ts">
import { computed } from "vue";
import { api, taken, type Feed, type Schemas } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";
import { useAsked } from "../../composables/useAsked";
import { copyOf } from "../../composables/useKit";
import { useWays } from "./useWays";

/** What is not well, by how bad, with what would mend it; a mend of a lead or a fuse is applied where it stands. */
defineEmits<{ close: [] }>();
type Mend = Schemas["Mend"];
const { chosen, find, setFeeds } = useWays();
const { answer, follow } = useAsked<Schemas["CheckedPlan"]>(
  async (site, changes) =>
    taken(
      await api.POST("/sites/{site}/findings", {
        params: { path: { site } },
        body: { arrangements: chosen.value, changes },
      }),
    ),
  chosen,
);
follow();
const LETTERS = ["A", "B", "C", "D"];
const groups = computed(() =>
  (answer.value?.arrangements ?? []).map((it, index) => ({
    id: it.arrangement,
    letter: LETTERS[index] ?? "",
    label: find(it.arrangement)?.label ?? it.arrangement,
    bad: it.findings.filter((found) => found.status !== "holds"),
    well: it.findings.filter((found) => found.status === "holds").length,
  })),
);

/** The feeds with a mend in them; none where it is no matter of a lead or a fuse. */
function mended(way: string, mend: Mend): Feed[] | undefined {
  const feeds = copyOf(find(way)?.feeds ?? []);
  const feed = feeds.find((it) => it.to === mend.where);
  if (!feed || mend.value == null) return undefined;
  const cable = feed.cable ?? { length_m: 1 };
  if (mend.remedy === "thicker-lead") {
    Reflect.deleteProperty(cable, "awg");
    feed.cable = { ...cable, area_mm2: mend.value };
  } else if (mend.remedy === "shorter-lead") feed.cable = { ...cable, length_m: mend.value };
  else if (mend.remedy === "fuse") feed.fuse = { rating_a: mend.value };
  else return undefined;
  return feeds;
}
async function apply(way: string, mend: Mend) {
  const feeds = mended(way, mend);
  if (feeds) await setFeeds(way, feeds, `${find(way)?.label ?? way}: ${mend.sentence}`.slice(0, 200));
}
</script>

<template>
  <section class="findings" aria-label="Findings" data-test="findings">
    <p class="top">
      <strong>What is not well</strong>
      <button type="button" class="label" @click="$emit('close')">close</button>
    </p>
    <div v-for="group in groups" :key="group.id">
      <h3>
        <span class="letter">{{ group.letter }}</span> {{ group.label }}: {{ group.bad.length }} not well,
        {{ group.well }} hold
      </h3>
      <ul>
        <li v-for="it in group.bad" :key="it.code + it.where + it.unit" data-test="finding">
          <span class="verdict label" :class="it.status"
            ><StatusMark :status="it.status" /> {{ it.status }}</span
          >
          <div>
            <p>{{ it.message }}</p>
            <p v-for="mend in it.mends" :key="mend.sentence" class="mend">
              {{ mend.sentence }}
              <button
                v-if="mended(group.id, mend)"
                type="button"
                class="label"
                data-test="mend"
                :aria-label="`do it: ${mend.sentence}`"
                @click="apply(group.id, mend)"
              >
                do it
              </button>
            </p>
            <p v-if="it.caution" class="caution label">{{ it.caution }}</p>
          </div>
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.findings {
  border-top: 2px solid var(--line);
  padding: 6px 0;
}
.top {
  display: flex;
  justify-content: space-between;
}
h3 {
  margin: 4px 0;
  font-size: 16px;
  font-weight: 600;
}
.letter {
  color: var(--primary);
  font-weight: 300;
  font-size: 22px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 12px;
  padding: 5px 0;
  border-top: 1px solid var(--line);
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
}
.mend {
  color: var(--primary);
}
.mend button {
  font-weight: 600;
  margin-left: 6px;
}
.caution {
  color: var(--tight);
  font-size: 14px;
}
.verdict {
  font-weight: 600;
}
.verdict.tight,
.verdict.brief {
  color: var(--tight);
}
.verdict.unproven {
  color: var(--unproven);
}
.verdict.trips {
  color: var(--trips);
}
</style>
