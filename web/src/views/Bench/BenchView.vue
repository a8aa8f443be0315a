<script setup lang="ts">
import { computed, ref, shallowRef, watch } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { api, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";
import { moment } from "../../format/units";
import TestSheet from "./TestSheet.vue";
import { useTests, type Guide, type Test } from "./useTests";

/** The bench: measure it, and use the measured figure everywhere. */
const { plan, id: site } = useSite();
const { guides, tests, open, current, trouble, begin } = useTests();
const chosen = ref<string>();
const subject = ref<string>();
const guide = computed(() => guides.value.find((it) => it.protocol === chosen.value));

/** What a protocol can be done to, each as `kind/id` or `kind/id/part`. */
function subjectsOf(it: Guide): [string, string][] {
  const kit = plan.value?.kit;
  if (!kit) return [];
  return it.subjects.flatMap((kind): [string, string][] => {
    if (kind === "arrangement")
      return (plan.value?.arrangements ?? []).flatMap((way) =>
        way.feeds
          .filter((feed) => feed.cable)
          .map((feed): [string, string] => [
            `arrangement|${way.id}|${feed.to}`,
            `${way.label}: lead to ${labelOf(feed.to)}`,
          ]),
      );
    const list = { device: kit.devices, source: kit.sources, converter: kit.converters }[kind] ?? [];
    return list
      .filter((one) => kind !== "converter" || ("kind" in one && one.kind !== "junction"))
      .map((one): [string, string] => [`${kind}|${one.id}`, one.label]);
  });
}
function labelOf(id: string): string {
  const kit = plan.value?.kit;
  const all = [...(kit?.devices ?? []), ...(kit?.converters ?? []), ...(kit?.sources ?? [])];
  return all.find((it) => it.id === id)?.label ?? id;
}
const choices = computed(() => (guide.value ? subjectsOf(guide.value) : []));
watch(choices, (now) => (subject.value = now[0]?.[0]));
function nameOf(of: Test["of"]): string {
  if (of.kind !== "arrangement") return labelOf(of.id);
  const way = plan.value?.arrangements.find((it) => it.id === of.id);
  return `${way?.label ?? of.id}, lead to ${labelOf(of.part ?? "")}`;
}
const guideOf = (protocol: string) => guides.value.find((it) => it.protocol === protocol);

/** What meters usually are: half a percent of volts, one of amperes, and the last digit shown. */
function usual(it: Guide): Test["meters"] {
  return it.readings.map((column) => ({
    share: column.unit === "V" ? 0.005 : 0.01,
    fixed: 0,
    step: Number((10 ** -column.digits).toFixed(column.digits)),
  }));
}
async function start() {
  const [kind = "", id = "", part] = (subject.value ?? "").split("|");
  if (!guide.value || !id) return;
  await begin({
    protocol: guide.value.protocol,
    of: { kind, id, ...(part ? { part } : {}) },
    meters: usual(guide.value),
    rows: [],
  });
  chosen.value = undefined;
}
const headline = computed(() => {
  const used = tests.value.filter((it) => it.in_use).length;
  if (tests.value.length === 0)
    return "Nothing is measured yet. Begin with the idle draw of a converter: ten minutes, two meters.";
  return `${tests.value.length} ${tests.value.length === 1 ? "test" : "tests"}, ${used} in use by the plan.`;
});
/** What to measure next: asked once when the bench is entered, as it takes hundreds of plans to say. */
const matters = shallowRef<Schemas["Matters"]>();
watch(
  site,
  async (id) => {
    if (!id) return;
    try {
      const params = { path: { site: id } };
      matters.value = taken(await api.POST("/sites/{site}/matters", { params, body: {} }));
    } catch {
      // The bench is whole without it, and a server that is gone is told by the page.
      matters.value = undefined;
    }
  },
  { immediate: true },
);
</script>

<template>
  <main class="bench">
    <h1 data-test="headline">{{ headline }}</h1>
    <p class="next" data-test="next">
      <template v-if="matters">
        {{ matters.headline }}
        <RouterLink to="/needs" class="door label">all that matters, in Needs</RouterLink>
      </template>
    </p>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
    <div class="columns">
      <nav aria-label="Tests">
        <h3>Begin a test</h3>
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
              {{ guideOf(it.test.protocol)?.title }}, {{ moment(it.begun) }}{{ it.in_use ? ", in use" : "" }}
            </span>
          </li>
        </ul>
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
      />
      <p v-else class="faint">Choose a test at the left.</p>
    </div>
  </main>
</template>

<style scoped>
.bench {
  padding: 14px 24px;
}
h1 {
  font-size: 21px;
  font-weight: 600;
  line-height: 1.25;
}
/* Its room is kept before it is there, so that nothing moves away from under a finger. */
.next {
  min-height: 32px;
}
.columns {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
  gap: 12px 36px;
  padding-top: 10px;
}
h2 {
  font-size: 19px;
  font-weight: 600;
}
h3 {
  margin: 10px 0 2px;
  font-size: 15px;
  font-weight: 600;
}
h3:first-child {
  margin-top: 0;
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
  font-size: 17px;
  font-weight: 600;
}
@media (max-width: 820px) {
  .bench {
    padding: 12px 16px;
  }
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  h1 {
    font-size: 18px;
  }
  .door {
    min-height: 40px;
  }
}
</style>
