<script setup lang="ts">
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useChosen } from "./useOutage";

/** Which outage of which arrangement, how far, and what it is set beside. */
defineProps<{ way: string; outage: string; spares: boolean; besides: [string, string][] }>();
const emit = defineEmits<{
  choose: [change: { way?: string; outage?: string }];
  everything: [everything: boolean];
}>();
const beside = defineModel<string>("beside", { required: true });
const { ways, outages } = useChosen();
</script>

<template>
  <div class="controls label">
    <label
      >arrangement
      <ChoiceEntry
        :value="way"
        name="arrangement"
        :choices="ways.map((it) => [it.id, it.label])"
        @change="emit('choose', { way: $event })"
    /></label>
    <label
      >outage
      <ChoiceEntry
        :value="outage"
        name="outage"
        :choices="outages.map((it) => [it.id, it.label])"
        @change="emit('choose', { outage: $event })"
    /></label>
    <span role="group" aria-label="how far" class="pair">
      <button type="button" :aria-pressed="spares" data-test="spare" @click="emit('everything', false)">
        spare the battery
      </button>
      <button type="button" :aria-pressed="!spares" data-test="everything" @click="emit('everything', true)">
        use everything
      </button>
    </span>
    <label
      >beside it <ChoiceEntry :value="beside" name="beside it" :choices="besides" @change="beside = $event"
    /></label>
    <span class="sure"><slot /></span>
  </div>
</template>

<style scoped>
.controls {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 22px;
  padding: 4px 0 8px;
}
.controls label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  color: var(--faint);
}
.controls label :deep(select) {
  width: auto;
  max-width: 190px;
}
.pair button {
  padding: 4px 10px 4px 0;
  color: var(--faint);
}
.pair [aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: underline;
  text-decoration-color: var(--primary);
  text-underline-offset: 4px;
}
.sure {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
}
@media (--narrow) {
  .sure {
    margin-left: 0;
  }
}
</style>
