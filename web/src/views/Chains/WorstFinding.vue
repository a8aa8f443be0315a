<script setup lang="ts">
import { computed } from "vue";
import type { Way } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";
import { RANK } from "./tree";
import { useSpot } from "./useSpot";

/** What is worst of all that is shown, in a sentence, with the door to its place. */
const props = defineProps<{ ways: Way[] }>();
const { show } = useSpot();
/** The way whose worst finding is worst; the first of equals. */
const worst = computed(() => {
  const bad = props.ways.filter((it) => it.findings.length > 0);
  return [...bad].sort((a, b) => RANK.indexOf(b.status) - RANK.indexOf(a.status))[0];
});
const finding = computed(() => worst.value?.findings[0]);
</script>

<template>
  <p v-if="worst && finding" class="called" :data-status="worst.status" data-test="worst">
    <StatusMark :status="worst.status" />
    <span
      >{{ ways.length > 1 ? `${worst.label}: ` : "" }}{{ finding.message }}
      <button type="button" class="door label" data-test="worst-door" @click="show(worst.id, finding.where)">
        show where
      </button></span
    >
  </p>
</template>

<style scoped>
.called {
  display: flex;
  gap: 7px;
  align-items: baseline;
  font-size: var(--size-word);
}
</style>
