<script setup lang="ts">
import { computed, watch } from "vue";
import { useSite } from "../../composables/useSite";
import WatchBegin from "./WatchBegin.vue";
import WatchNow from "./WatchNow.vue";
import WatchReview from "./WatchReview.vue";
import { useWatch } from "./useWatch";

const { line, lineOf } = useSite();
const {
  list,
  told,
  trouble,
  refused: theirs,
  question,
  took,
  isOpen,
  chosen,
  look,
  begin,
  bringIn,
  choose,
  enter,
  takeBack,
  setClock,
  end,
} = useWatch();
const ended = computed(() => (told.value && !told.value.open ? told.value : undefined));
watch(told, (now) => {
  if (!now) return;
  line.value = now.open ? now.since : `${now.label}, ${now.start.replace("T", " ")}`;
  lineOf.value = undefined;
});
const refused = computed(() => theirs.value || trouble.value);
</script>

<template>
  <main class="page-watch">
    <p v-if="refused && !told" class="trouble" role="alert">
      {{ refused }} <button type="button" class="door" @click="look">try again</button>
    </p>
    <template v-if="isOpen && told">
      <WatchNow
        :told="told"
        :question="question"
        :took="took"
        :refused="refused"
        @enter="enter"
        @back="takeBack"
        @clock="setClock"
        @end="end"
        @unasked="question = undefined"
      />
    </template>
    <template v-else-if="ended && chosen !== undefined">
      <p class="label">
        <button type="button" class="door" data-test="leave-review" @click="choose(undefined)">
          ← all that was watched
        </button>
      </p>
      <WatchReview :key="ended.number" :number="ended.number" />
    </template>
    <p v-else-if="!list || chosen !== undefined" class="faint" role="status">Reading what is known …</p>
    <WatchBegin v-else :list="list" @begin="begin" @choose="choose" @past="bringIn" />
  </main>
</template>

<style scoped>
.page-watch {
  flex: 1;
  display: flex;
  flex-direction: column;
  padding: 8px 24px 14px;
}
.trouble {
  color: var(--trips);
}
@media (--narrow) {
  .page-watch {
    padding: 4px 16px 12px;
  }
}
</style>
