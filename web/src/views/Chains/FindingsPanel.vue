<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { api, Refused, taken, type Feed, type Schemas } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";
import AnswerState from "../../components/AnswerState.vue";
import { useAsked } from "../../composables/useAsked";
import { useEdits } from "../../composables/useEdits";
import { copyOf } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import { saveCsv } from "../../format/save";
import DifferenceTable from "../../components/DifferenceTable.vue";
import MendRules from "./MendRules.vue";
import { useSpot } from "./useSpot";
import { useWays } from "./useWays";

/** What is not well, by how bad, with what would mend it; a mend of a lead or a fuse is applied where it stands. */
const props = defineProps<{ soc: Record<string, number> }>();
defineEmits<{ close: [] }>();
type Mend = Schemas["Mend"];
const { chosen, find, setFeeds } = useWays();
const { id: site } = useSite();
const { changes } = useEdits();
const { show } = useSpot();
const {
  answer,
  trouble: unknown,
  again,
  follow,
} = useAsked<Schemas["CheckedPlan"]>(
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
    // What merely nobody stated is told once for each kind, below.
    bad: it.findings.filter((found) => found.status !== "holds" && found.unstated == null),
    open: it.findings.filter((found) => found.unstated != null).length,
    well: it.findings.filter((found) => found.status === "holds").length,
  })),
);

function table() {
  const rows = (answer.value?.arrangements ?? []).flatMap((way) =>
    way.findings.map((it) => [
      way.arrangement,
      it.code,
      it.status,
      it.moment,
      Object.entries(it.soc)
        .map(([store, soc]) => `${store}=${soc}`)
        .join(" "),
      it.where,
      it.value,
      it.limit,
      it.unit,
      it.margin,
      it.seconds,
      it.allowed_s,
      it.message,
    ]),
  );
  const head =
    "arrangement code status moment soc where value limit unit margin seconds allowed_s message".split(" ");
  saveCsv("findings", [head, ...rows]);
}

/** The feeds with a mend in them; none where it is no matter of a lead or a fuse. */
function mended(way: string, mend: Mend): Feed[] | undefined {
  const feeds = copyOf(find(way)?.feeds ?? []);
  // The feed as it was carried out and judged; nothing else is put in its place.
  const { feed } = mend;
  const place = feed ? feeds.findIndex((it) => it.to === feed.to) : -1;
  if (!feed || place < 0) return undefined;
  return feeds.map((it, index) => (index === place ? copyOf(feed) : it));
}
/** The mend that is looked at, with what it would change. */
const seen = ref<{ key: string; difference: Schemas["Difference"] }>();
const trouble = ref("");
const keyOf = (way: string, mend: Mend) => `${way} ${mend.sentence}`;
async function look(way: string, mend: Mend) {
  const feeds = mended(way, mend);
  const body = find(way);
  if (!feeds || !body) return;
  trouble.value = "";
  try {
    const then = [{ kind: "arrangement", id: way, body: { ...copyOf(body), feeds } }];
    const difference = taken(
      await api.POST("/sites/{site}/difference", {
        params: { path: { site: site.value } },
        body: { arrangement: way, then, soc: props.soc, changes: changes.value },
      }),
    );
    seen.value = { key: keyOf(way, mend), difference };
    await nextTick();
    document.querySelector<HTMLElement>("[data-test=do-mend]")?.focus();
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
async function apply(way: string, mend: Mend) {
  const feeds = mended(way, mend);
  seen.value = undefined;
  if (feeds) await setFeeds(way, feeds, `${find(way)?.label ?? way}: ${mend.sentence}`.slice(0, 200));
}
</script>

<template>
  <section class="findings" aria-label="Findings" data-test="findings">
    <p class="top">
      <strong>What is not well</strong>
      <span class="label">
        <button type="button" class="label" @click="table">CSV</button>
        <button type="button" class="label" @click="$emit('close')">close</button>
      </span>
    </p>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
    <AnswerState :ready="answer !== undefined" :trouble="unknown" @again="again" />
    <div v-for="group in groups" :key="group.id">
      <h3>
        <span class="letter">{{ group.letter }}</span> {{ group.label }}: {{ group.bad.length }} not well,
        {{ group.open ? `${group.open} open, ` : "" }}{{ group.well }} hold
      </h3>
      <ul>
        <li v-for="it in group.bad" :key="it.code + it.where + it.unit" data-test="finding">
          <span class="verdict label" :data-status="it.status"
            ><StatusMark :status="it.status" /> {{ it.status }}</span
          >
          <div>
            <p>
              {{ it.message }}
              <button
                type="button"
                class="label"
                data-test="finding-door"
                :aria-label="`show where: ${it.message}`"
                @click="show(group.id, it.where)"
              >
                show where
              </button>
            </p>
            <p v-for="ruled in it.ruled ?? []" :key="ruled.outage" data-test="ruled">{{ ruled.sentence }}</p>
            <div v-for="mend in it.mends" :key="mend.sentence" class="mend">
              {{ mend.sentence }}
              <MendRules
                v-if="mend.rules?.length"
                :mend="mend"
                :arrangement="group.id"
                :code="it.code"
                :where="it.where"
              />
              <button
                v-if="mended(group.id, mend)"
                type="button"
                class="label"
                data-test="mend"
                :aria-label="`what would it change: ${mend.sentence}`"
                @click="look(group.id, mend)"
              >
                what would it change?
              </button>
              <div
                v-if="seen?.key === keyOf(group.id, mend)"
                class="seen"
                @keydown.escape.stop="seen = undefined"
              >
                <DifferenceTable :difference="seen.difference" />
                <button type="button" class="label" data-test="do-mend" @click="apply(group.id, mend)">
                  do it
                </button>
                <button type="button" class="label" @click="seen = undefined">leave it</button>
              </div>
            </div>
            <p v-if="it.caution" class="caution label">{{ it.caution }}</p>
          </div>
        </li>
      </ul>
    </div>
    <div v-if="answer?.unstated.length" data-test="unstated">
      <h3>What merely nobody stated</h3>
      <ul>
        <li v-for="it in answer.unstated" :key="it.kind">
          <span class="verdict label" data-status="unproven"><StatusMark status="unproven" /> unproven</span>
          <p>
            {{ it.sentence }}
            <button
              v-if="it.places[0]"
              type="button"
              class="label"
              :aria-label="`show where: ${it.sentence}`"
              @click="show(it.places[0].arrangement, it.places[0].where)"
            >
              show where
            </button>
          </p>
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
.top span {
  display: flex;
  gap: 18px;
}
h3 {
  margin: 4px 0;
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
.seen {
  color: var(--ink);
  padding: 0 0 6px 18px;
}
.seen > button {
  margin: 0 18px 0 0;
}
.caution {
  color: var(--tight);
  font-size: var(--size-note);
}
.verdict {
  font-weight: 600;
}
</style>
