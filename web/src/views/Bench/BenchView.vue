<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import type { Plan, Schemas } from "../../api/client";
import { useAddress } from "../../composables/useAddress";
import { useSite } from "../../composables/useSite";
import { day } from "../../format/units";
import InstrumentsList from "./InstrumentsList.vue";
import NextList from "./NextList.vue";
import { subjectName, subjects } from "./subjects";
import TestSheet from "./TestSheet.vue";
import { useTests, type Test } from "./useTests";

/** The bench: measure it, and use the measured figure everywhere. */
const { plan } = useSite();
const { guides, tests, open, current, trouble, begin } = useTests();
const chosen = ref<string>();
const subject = ref<string>();
/** What is opened from a list further down is brought into sight. */
const columns = ref<HTMLElement>();
watch([open, chosen], async () => {
  await nextTick();
  if ((columns.value?.getBoundingClientRect().top ?? 0) < 0) columns.value?.scrollIntoView();
});
const guide = computed(() => guides.value.find((it) => it.protocol === chosen.value));

const choices = computed(() =>
  guide.value && plan.value ? guide.value.subjects.flatMap((it) => subjects(it, plan.value as Plan)) : [],
);
watch(choices, (now) => (subject.value = now[0]?.[0]));
const nameOf = (of: Test["of"]) => (plan.value ? subjectName(of, plan.value) : of.id);
const guideOf = (protocol: string) => guides.value.find((it) => it.protocol === protocol);

async function start() {
  const [kind = "", id = "", part] = (subject.value ?? "").split("|");
  if (!guide.value || !id) return;
  await beginOf(guide.value.protocol, { kind, id, ...(part ? { part } : {}) });
}
async function beginOf(protocol: string, of: Test["of"]) {
  await begin({ protocol, of, meters: [], rows: [] });
  chosen.value = undefined;
}
const beginNext = (next: Schemas["Next"]) => beginOf(next.protocol, next.of);
/** A door from a figure leads to its test; one from a thing to its latest. */
const route = useRoute();
let gone: unknown;
watch(
  [() => route.query, tests],
  ([query]) => {
    const asked = String(query.test ?? "");
    // Each door is gone through once: what was closed since stays so.
    if (query === gone || !tests.value.some((it) => it.id === asked)) return;
    gone = query;
    open.value = asked;
  },
  { immediate: true },
);
useAddress({ test: { now: () => open.value, take: () => undefined } });
/** A later test that offers to replace an earlier one's figure. */
const offering = computed(() => tests.value.filter((it) => it.offers));
const headline = computed(() => {
  const used = tests.value.filter((it) => it.in_use).length;
  if (tests.value.length === 0)
    return "Nothing is measured yet. Begin with the idle draw of a converter: ten minutes, two meters.";
  return `${tests.value.length} ${tests.value.length === 1 ? "test" : "tests"}, ${used} in use by the plan.`;
});
</script>

<template>
  <main class="bench">
    <h1 data-test="headline">{{ headline }}</h1>
    <p v-if="offering.length" class="offering" data-test="offering">
      <button type="button" class="door" @click="open = offering[0]?.id">
        {{ nameOf(offering[0]!.test.of) }}: a later test
      </button>
      offers to replace the figure that the plan computes with.
    </p>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
    <div ref="columns" class="columns">
      <nav aria-label="Tests">
        <h3>Done and begun</h3>
        <p v-if="tests.length === 0" class="faint">None yet.</p>
        <ul>
          <li v-for="it in tests" :key="it.id">
            <button
              type="button"
              class="door kept"
              :aria-current="open === it.id"
              data-test="kept-test"
              @click="
                open = it.id;
                chosen = undefined;
              "
            >
              {{ nameOf(it.test.of) }}
            </button>
            <span class="label faint">
              {{ guideOf(it.test.protocol)?.title }}, {{ day(it.begun)
              }}{{ it.in_use ? ", in use" : it.offers ? ", offers to replace" : "" }}
            </span>
          </li>
        </ul>
        <details :open="!current" data-test="begin-list">
          <summary>Begin a test</summary>
          <ul>
            <li v-for="it in guides" :key="it.protocol">
              <button
                type="button"
                class="door"
                :aria-pressed="chosen === it.protocol"
                data-test="protocol"
                @click="chosen = chosen === it.protocol ? undefined : it.protocol"
              >
                {{ it.title }}
              </button>
            </li>
          </ul>
        </details>
        <InstrumentsList />
      </nav>
      <section v-if="guide" class="new" :aria-label="guide.title" data-test="new-test">
        <h2>{{ guide.title }}</h2>
        <p>{{ guide.answers }}</p>
        <p class="label faint">Takes {{ guide.needs.join("; ") }}; about {{ guide.minutes }} minutes.</p>
        <p v-if="choices.length === 0" class="faint">The site has nothing that this is done to.</p>
        <p v-else class="pick">
          <span class="label">of</span>
          <ChoiceEntry
            :value="subject ?? ''"
            name="what is tested"
            :choices="choices"
            @change="(v) => (subject = v)"
          />
          <button type="button" class="door" data-test="begin" @click="start">begin</button>
        </p>
      </section>
      <TestSheet
        v-else-if="current && guideOf(current.test.protocol)"
        :key="current.id"
        :tested="current"
        :guide="guideOf(current.test.protocol)!"
        :name="nameOf(current.test.of)"
        @open="(id) => (open = id)"
      />
      <NextList v-else @begin="beginNext" />
    </div>
  </main>
</template>

<style scoped>
.bench {
  padding: 14px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  line-height: 1.25;
}
.columns {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
  gap: 12px 36px;
  padding-top: 10px;
}
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
h3 {
  margin: 10px 0 2px;
  font-size: var(--size-text);
  font-weight: 600;
}
h3:first-child {
  margin-top: 0;
}
summary {
  cursor: pointer;
  font-size: var(--size-text);
  font-weight: 600;
  padding: 6px 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 2px 0;
}
.kept {
  display: block;
}
[aria-pressed="true"],
[aria-current="true"] {
  font-weight: 600;
}
.pick {
  display: flex;
  gap: 14px;
  align-items: baseline;
  max-width: 520px;
  padding: 10px 0;
}
.pick .door {
  font-size: var(--size-line);
  font-weight: 600;
}
@media (--tablet) {
  .bench {
    padding: 12px 16px;
  }
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  h1 {
    font-size: var(--size-head);
  }
  /* What there is to do comes first under the thumb, what was done below it. */
  .columns nav {
    order: 2;
  }
  .door {
    min-height: 40px;
  }
}
</style>
