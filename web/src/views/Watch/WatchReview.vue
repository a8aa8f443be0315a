<script setup lang="ts">
import { onMounted, ref, shallowRef } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { fixed } from "../../format/number";
import { useSite } from "../../composables/useSite";
import ReviewPlot from "./ReviewPlot.vue";

/** Looked back at: the plan, what was told at each hour, what happened; decisions; what was learned. */
const props = defineProps<{ number: number }>();
const { id: site, attempt } = useSite();
const told = shallowRef<Schemas["Reviewed"]>();
const trouble = ref("");
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
  <section class="review" aria-label="Looked back at" data-test="review">
    <p v-if="trouble" role="alert">
      {{ trouble }} <button type="button" class="door" @click="look">try again</button>
    </p>
    <p v-else-if="!told" class="faint" role="status">Marching through it again, hour by hour …</p>
    <template v-else>
      <h1 data-test="review-headline">{{ told.headline }}</h1>
      <p v-if="told.hid" class="hid">Hidden in it: {{ told.hid }}.</p>
      <ReviewPlot :told="told" />
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
            <span class="when">{{ fixed(it.at_s / 3600, 1) }} h in</span> {{ it.sentence }}
          </li>
        </ul>
      </section>
    </template>
  </section>
</template>

<style scoped>
h1 {
  font-size: var(--size-figure);
  font-weight: 600;
}
h2 {
  font-size: var(--size-line);
  font-weight: 600;
  margin: 16px 0 4px;
}
.hid {
  font-size: var(--size-line);
  color: var(--tight);
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
  font: 600 var(--size-text) var(--font-label);
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
@media (--tablet) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
