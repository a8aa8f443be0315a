<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { who } from "../Watch/useWatch";
import type { Schemas } from "../../api/client";
import type { Check } from "./useLog";

/** What is due, the most urgent first; each is done by one key, put off, or left out with a reason. */
const props = defineProps<{
  site: string;
  due: Schemas["DueTold"] | undefined;
  answer: (body: Schemas["CheckAnswerGiven"]) => Promise<boolean>;
  own: (body: Schemas["OwnCheckGiven"]) => Promise<boolean>;
  things: { id: string; label: string }[];
}>();
/** So many are shown at first. */
const FEW = 9;
const all = ref(false);
const open = ref("");
const note = ref("");
const until = ref("");
const mode = ref<"done" | "put-off" | "left-out">("done");
/** The one whose reason is read: the most urgent where none was chosen. */
const wide = ref("");
const opened = (it: Check, index: number) =>
  wide.value === it.id || open.value === it.id || (wide.value === "" && index === 0);
const making = ref(false);
const title = ref("");
const every = ref(30);
const about = ref("");
const list = ref<HTMLElement>();

const counted = computed(() => props.due?.checks.filter((it) => it.left_out == null) ?? []);
const left = computed(() => props.due?.checks.filter((it) => it.left_out != null) ?? []);
const shown = computed(() => (all.value ? counted.value : counted.value.slice(0, FEW)));

const span = (days: number) => {
  if (days < 14) return `${days} ${days === 1 ? "day" : "days"}`;
  if (days < 70) return `${Math.round(days / 7)} weeks`;
  return `${Math.round(days / 30.4)} months`;
};
const state = (it: Check) => {
  if (it.overdue_days > 0) return `overdue by ${span(it.overdue_days)}`;
  if (it.in_days > 0) return `in ${span(it.in_days)}`;
  return it.last ? "due today" : "never done here";
};
const mark = (it: Check) => (it.overdue_days > 0 ? "trips" : it.in_days === 0 ? "tight" : "holds");

async function send(it: Check) {
  const body = {
    check: it.id,
    did: mode.value,
    note: note.value || null,
    until: mode.value === "put-off" ? until.value || null : null,
    by: who.value || null,
  };
  if (await props.answer(body)) close();
}
function close() {
  open.value = "";
  note.value = "";
  until.value = "";
  mode.value = "done";
}
function choose(it: Check, how: typeof mode.value) {
  mode.value = how;
  open.value = it.id;
  void nextTick(() => list.value?.querySelector<HTMLInputElement>("form input")?.focus());
}
async function make() {
  const body = { title: title.value, item: about.value, every_days: every.value, first: null };
  if (await props.own(body)) {
    making.value = false;
    title.value = "";
  }
}
defineExpose({
  /** The most urgent one, ready for its note. */
  doFirst: () => {
    const first = counted.value[0];
    if (first) choose(first, "done");
  },
});
</script>

<template>
  <section ref="list" class="due" aria-label="what is due">
    <h2 class="label">due</h2>
    <p v-if="due" class="said" data-test="due-sentence">{{ due.sentence }}</p>
    <article v-for="(it, index) in shown" :key="it.id" class="check" :data-test="`check-${it.id}`">
      <p class="title">
        <span class="state label" :data-status="mark(it)">{{ state(it) }}</span>
        <button
          type="button"
          class="name"
          :aria-expanded="opened(it, index)"
          @click="wide = opened(it, index) ? '-' : it.id"
        >
          {{ it.title }}
        </button>
      </p>
      <template v-if="opened(it, index)">
        <p class="reason">{{ it.reason }}</p>
        <p class="acts label">
          <button type="button" class="door" :data-test="`done-${it.id}`" @click="choose(it, 'done')">
            <kbd v-if="index === 0">d</kbd> done
          </button>
          <RouterLink v-if="it.protocol" to="/bench" class="door">measure it</RouterLink>
          <button
            type="button"
            class="door"
            :aria-label="`put off: ${it.title}`"
            @click="choose(it, 'put-off')"
          >
            put off
          </button>
          <button
            type="button"
            class="door"
            :aria-label="`leave out: ${it.title}`"
            @click="choose(it, 'left-out')"
          >
            leave out
          </button>
          <span class="faint">every {{ span(it.every_days) }}{{ it.last ? `, last ${it.last}` : "" }}</span>
        </p>
      </template>
      <form v-if="open === it.id" class="answer label" @submit.prevent="send(it)" @keydown.esc.stop="close">
        <input
          v-if="mode === 'put-off'"
          v-model="until"
          type="date"
          aria-label="until which day"
          data-test="check-until"
        />
        <input
          v-model="note"
          :aria-label="mode === 'left-out' ? 'why it is left out' : 'a note or a reading'"
          :placeholder="mode === 'left-out' ? 'why it is left out' : 'a note or a reading, or nothing'"
          data-test="check-note"
        />
        <button type="submit" class="door" data-test="check-send">
          {{ mode === "done" ? "it is done" : mode === "put-off" ? "put it off" : "leave it out" }}
        </button>
        <button type="button" class="door" @click="close">not now</button>
      </form>
    </article>
    <p class="acts label foot">
      <button
        v-if="counted.length > FEW"
        type="button"
        class="door"
        data-test="all-checks"
        @click="all = !all"
      >
        {{ all ? "fewer" : `all ${counted.length}` }}
      </button>
      <button type="button" class="door" data-test="own-check" @click="making = !making">
        one of your own
      </button>
      <a class="door" :href="`/api/sites/${site}/due/calendar.ics`" download>as a calendar</a>
    </p>
    <form v-if="making" class="answer label" @submit.prevent="make">
      <input
        v-model="title"
        aria-label="what is to be checked"
        placeholder="what is to be checked"
        maxlength="120"
        data-test="own-title"
      />
      <label
        >every
        <input v-model.number="every" type="number" min="1" max="3660" class="days" data-test="own-days" />
        days</label
      >
      <label
        >of
        <select v-model="about">
          <option value="">the whole site</option>
          <option v-for="it in things" :key="it.id" :value="it.id">{{ it.label }}</option>
        </select></label
      >
      <button type="submit" class="door" data-test="own-send">make it</button>
    </form>
    <template v-if="all && left.length">
      <h3 class="label">left out</h3>
      <p v-for="it in left" :key="it.id" class="label left">
        <span>{{ it.title }}: {{ it.left_out }}</span>
        <button type="button" class="door" @click="answer({ check: it.id, did: 'back' })">ask again</button>
      </p>
    </template>
  </section>
</template>

<style scoped>
h2,
h3 {
  font-size: var(--size-text);
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 0 0 6px;
  padding-bottom: 2px;
}
h3 {
  margin-top: 12px;
}
.said {
  font-size: var(--size-line);
  padding-bottom: 6px;
}
.check {
  padding: 5px 0 6px;
  border-bottom: 1px solid var(--line);
}
.title {
  font-weight: 600;
}
.name {
  font-weight: inherit;
}
.state {
  float: right;
  font-weight: 400;
  padding-inline-start: 12px;
}
.reason {
  color: var(--faint);
  font-size: var(--size-note);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
  align-items: baseline;
  font-size: var(--size-text);
}
.foot {
  padding-top: 6px;
}
.answer {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  padding: 4px 0;
}
.answer input,
.answer select {
  font: var(--size-text) var(--font-label);
  color: var(--ink);
  color-scheme: light dark;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
}
.answer option {
  background: var(--page);
}
.answer input:not([type]) {
  flex: 1;
  min-width: 11em;
}
.days {
  width: 5em;
}
.left {
  display: flex;
  gap: 14px;
  justify-content: space-between;
}
</style>
