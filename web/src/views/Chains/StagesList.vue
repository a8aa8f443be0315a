<script setup lang="ts">
import { computed, nextTick, ref, shallowRef, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useAsked } from "../../composables/useAsked";
import DifferenceTable from "../../components/DifferenceTable.vue";
import { useWays } from "./useWays";

/** What can be done at one feed: a stage put in, replaced or taken out, with what it changes before it is done. */
const props = defineProps<{ way: string; to: string; name: string; soc: Record<string, number> }>();
const emit = defineEmits<{ done: [] }>();
type Stage = Schemas["Stage"];
const { find, setFeeds } = useWays();
const metres = ref(1);
const picked = shallowRef<Stage>();
const list = ref<HTMLElement>();
const HOW: Record<Stage["how"], string> = {
  "insert-first": "put in",
  "insert-last": "put in",
  replace: "replace",
  remove: "take out",
  cut: "cut off",
};
/** What was done is done, and its feed may be called otherwise now. */
let done = false;
let last: Stage[] | undefined;
const { answer, trouble, asking, again, follow } = useAsked(
  async (site, changes) => {
    if (done) return last;
    const { way: arrangement, to, soc } = props;
    const body = { arrangement, to, length_m: metres.value, soc, changes };
    last = taken(await api.POST("/sites/{site}/stages", { params: { path: { site } }, body })).options;
    return last;
  },
  () => [props.way, props.to, metres.value],
);
const options = computed<Stage[]>(() => answer.value ?? []);
const ready = computed(() => answer.value !== undefined && !(asking.value && entered));
// Keys go to what can be done when it is asked for, and stay where they are when something else changed.
let entered = true;
watch([() => props.way, () => props.to, metres], () => {
  entered = true;
  picked.value = undefined;
});
watch(answer, async (now) => {
  picked.value = now?.find((it) => it.words === picked.value?.words);
  if (!entered || !now) return;
  entered = false;
  await nextTick();
  if (!(document.activeElement instanceof HTMLInputElement)) buttons()[0]?.focus();
});
follow();
/** What gets tight by it at most stands below what worsens nothing, with what it costs. */
const fitting = computed(() => [
  ...options.value.filter((it) => it.fits),
  ...options.value.filter((it) => !it.fits && it.bearable),
]);
/** Each refused one once: put in before and behind, it is refused for the same. */
const refused = computed(() => {
  const seen = new Set<string>();
  return options.value.filter((it) => {
    const key = `${it.words.replace(/ (before|behind) the lead$/, "")} ${it.reason ?? ""}`;
    if (it.fits || it.bearable || seen.has(key)) return false;
    seen.add(key);
    return true;
  });
});
const buttons = () => [...(list.value?.querySelectorAll<HTMLElement>("button.option") ?? [])];
function arrow(event: KeyboardEvent) {
  if (event.key === "Escape") {
    event.stopPropagation();
    if (picked.value) picked.value = undefined;
    else emit("done");
  }
  const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  const at = buttons().findIndex((it) => it === document.activeElement);
  if (step === 0 || at < 0) return;
  event.preventDefault();
  buttons()[Math.min(Math.max(at + step, 0), buttons().length - 1)]?.focus();
}
async function look(it: Stage) {
  picked.value = picked.value === it ? undefined : it;
  await nextTick();
  list.value?.querySelector<HTMLElement>("[data-test=do-stage]")?.focus();
}
async function take(it: Stage) {
  const way = find(props.way);
  if (!way) return;
  done = true;
  done = await setFeeds(way.id, it.feeds, `${way.label}: ${it.words}`.slice(0, 200));
  if (done) emit("done");
}
</script>

<template>
  <div ref="list" class="stages" data-test="stages" @keydown="arrow">
    <p class="length label">
      <span
        >What can be done at the feed into <strong>{{ name }}</strong>, with new leads of</span
      >
      <InlineNumber
        :value="metres"
        name="length of new leads"
        unit="m"
        @change="(v) => v > 0 && (metres = v)"
      />
      <button type="button" class="door" @click="emit('done')">leave it</button>
    </p>
    <AnswerState :ready="ready" :trouble="trouble" looking="What can be done is tried out …" @again="again" />
    <ul aria-label="what can be done">
      <li v-for="it in fitting" :key="it.how + it.words" data-test="stage">
        <button type="button" class="option" :aria-expanded="picked === it" @click="look(it)">
          <span class="how label">{{ HOW[it.how] }}</span> {{ it.words }}
        </button>
        <span v-if="!it.fits" class="label" data-status="tight" data-test="bearable">{{ it.reason }}</span>
        <span v-if="picked !== it" class="label faint">{{ it.difference?.sentence }}</span>
        <div v-else class="seen">
          <p v-if="it.proposes.length" class="label">proposed: {{ it.proposes.join(", ") }}</p>
          <DifferenceTable v-if="it.difference" :difference="it.difference" />
          <button type="button" class="door do" data-test="do-stage" @click="take(it)">do it</button>
          <button type="button" class="door" @click="picked = undefined">not this one</button>
        </div>
      </li>
    </ul>
    <details v-if="refused.length">
      <summary class="label">{{ refused.length }} that do not fit, and why</summary>
      <ul>
        <li v-for="it in refused" :key="it.how + it.words" class="faint">
          {{ it.words }}: <span data-status="trips">{{ it.reason }}</span>
        </li>
      </ul>
    </details>
  </div>
</template>

<style scoped>
.length {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
}
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--line);
  padding: 3px 0;
}
.option {
  color: var(--primary);
  font-weight: 600;
  padding: 4px 14px 4px 0;
}
.how {
  display: inline-block;
  width: 62px;
  color: var(--faint);
  font-weight: 400;
}
.seen {
  padding: 2px 0 6px 62px;
}
.do {
  font-weight: 600;
  margin-right: 18px;
}
summary {
  cursor: pointer;
  color: var(--faint);
  padding: 4px 0;
}
@media (--narrow) {
  .seen {
    padding-left: 0;
  }
}
</style>
