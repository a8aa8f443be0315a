<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { useKeys } from "../../composables/useKeys";
import { useAddress } from "../../composables/useAddress";
import { useSite } from "../../composables/useSite";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import BatteryPlot from "./BatteryPlot.vue";
import ItemCard from "./ItemCard.vue";
import DueList from "./DueList.vue";
import LogEntry from "./LogEntry.vue";
import LogRow from "./LogRow.vue";
import LogTools from "./LogTools.vue";
import { kinds, useLog, type Line } from "./useLog";
import { useThings } from "./useThings";

/** Everything that happened, what is due, and how the batteries age. */
const log = useLog();
const { words, kind, item, entries, next, due, batteries, trouble, busy, isNarrowed } = log;
const { line, lineOf } = useSite();
const things = useThings();
const route = useRoute();
item.value = typeof route.query.item === "string" ? route.query.item : "";
useAddress({
  item: { now: () => item.value, take: () => undefined },
  kind: { now: () => kind.value, take: (text) => (kind.value = text as typeof kind.value) },
  words: { now: () => words.value, take: (text) => (words.value = text) },
});

watch(
  due,
  (now) => {
    if (!now) return;
    line.value = now.overdue
      ? `${now.overdue} ${now.overdue === 1 ? "check is" : "checks are"} overdue`
      : "nothing is overdue";
    lineOf.value = undefined;
  },
  { immediate: true },
);

/** The rows of one day stand together. */
const days = computed(() => {
  const found: { day: string; rows: Line[] }[] = [];
  for (const it of entries.value ?? []) {
    const last = found[found.length - 1];
    if (last?.day === it.day) last.rows.push(it);
    else found.push({ day: it.day, rows: [it] });
  }
  return found;
});
const named = (day: string) =>
  new Date(`${day}T12:00:00`).toLocaleDateString("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "long",
    year: "numeric",
  });

const search = ref<HTMLInputElement>();
const writer = ref<InstanceType<typeof LogEntry>>();
const checks = ref<InstanceType<typeof DueList>>();
useKeys({
  n: () => writer.value?.focus(),
  "/": () => void nextTick(() => search.value?.focus()),
  d: () => checks.value?.doFirst(),
  escape: () => {
    words.value = "";
    kind.value = "";
    item.value = "";
  },
});
</script>

<template>
  <main class="page-log">
    <p v-if="trouble" class="trouble" role="alert" data-test="log-trouble">{{ trouble }}</p>
    <div class="columns" :class="{ about: item }">
      <section class="list" aria-label="what happened">
        <LogEntry ref="writer" :write="log.write" :busy="busy" />
        <div class="find label">
          <label
            ><span class="hidden">look for</span
            ><input
              ref="search"
              v-model="words"
              type="text"
              placeholder="look for words  ( / )"
              autocomplete="off"
              spellcheck="false"
              data-test="log-search"
            />
          </label>
          <label
            ><span class="hidden">of what kind</span>
            <ChoiceEntry
              :value="kind"
              name="of what kind"
              :choices="[['', 'everything'], ...kinds]"
              data-test="log-kind"
              @change="kind = $event"
          /></label>
          <label
            ><span class="hidden">about what</span>
            <ChoiceEntry
              :value="item"
              name="about what"
              :choices="[['', 'about anything'], ...things.map((it): [string, string] => [it.id, it.label])]"
              data-test="log-item"
              @change="item = $event"
          /></label>
        </div>
        <ItemCard v-if="item && log.site.value" :key="item" :site="log.site.value" :item="item" />
        <p v-if="!entries" class="faint" role="status">Reading the log …</p>
        <p v-else-if="!entries.length" class="faint empty" data-test="log-empty">
          <template v-if="isNarrowed">
            Nothing in the log says so. Fewer words find more; Esc shows everything.
          </template>
          <template v-else>
            Nothing has happened yet. Tests, outages, walks and changes of the plan come here by themselves;
            write the rest in the line above.
          </template>
        </p>
        <div v-for="it in days" :key="it.day" class="day">
          <h2 class="label">{{ named(it.day) }}</h2>
          <LogRow
            v-for="row in it.rows"
            :key="row.id"
            :row="row"
            :site="log.site.value"
            @strike="log.strike"
            @files="log.addFiles"
            @item="item = $event"
          />
        </div>
        <p v-if="next">
          <button type="button" class="door label" data-test="log-more" @click="log.more">
            earlier ones
          </button>
        </p>
      </section>
      <aside>
        <DueList
          ref="checks"
          :site="log.site.value"
          :due="due"
          :answer="log.answer"
          :own="log.own"
          :things="things"
        />
        <BatteryPlot v-for="it in batteries ?? []" :key="it.source" :battery="it" />
        <LogTools :site="log.site.value" :bring="log.bring" />
      </aside>
    </div>
  </main>
</template>

<style scoped>
.page-log {
  flex: 1;
  padding: 12px 24px 24px;
}
.trouble {
  color: var(--trips);
  padding-bottom: 8px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 7fr) minmax(0, 5fr);
  gap: 0 44px;
  align-items: start;
}
.find {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  padding: 10px 0 4px;
  border-bottom: 1px solid var(--line);
}
.find label:first-child {
  flex: 1;
}
.find input {
  font: var(--size-text) var(--font-label);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
  border-radius: 0;
  padding: 5px 2px;
  width: 100%;
}
.find :deep(select) {
  max-width: 12em;
}
.find input::placeholder {
  color: var(--faint);
}
.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
.empty {
  padding: 14px 0;
  max-width: 60ch;
}
.day h2 {
  font-size: var(--size-note);
  font-weight: 500;
  color: var(--faint);
  padding: 12px 0 2px;
}
@media (--tablet) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  aside {
    order: -1;
    display: contents;
  }
  aside > :deep(.due) {
    order: -1;
  }
  aside > :deep(:not(.due)) {
    order: 2;
  }
  /* Whoever came by the code on a label wants its item. */
  .about aside > :deep(.due) {
    order: 2;
  }
}
@media (--narrow) {
  .page-log {
    padding: 8px 16px 20px;
  }
  .find label:first-child {
    flex-basis: 100%;
  }
}
</style>
