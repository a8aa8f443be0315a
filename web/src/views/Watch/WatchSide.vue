<script setup lang="ts">
import { computed } from "vue";
import { fixed } from "../../format/number";
import { worthDropping } from "./picture";
import type { Told } from "./useWatch";

/** The one switch that buys most, what comes, and what displays make of it. */
const props = defineProps<{ told: Told; labelOf: (id: string) => string }>();
const emit = defineEmits<{ drop: [device: string] }>();
const best = computed(() => worthDropping(props.told)[0]);
const others = computed(() => worthDropping(props.told).slice(1, 4));
</script>

<template>
  <aside>
    <section v-if="best && !told.mains_back" aria-label="drop">
      <h2 class="label">drop</h2>
      <button type="button" class="drop" data-test="drop" @click="emit('drop', best.device)">
        <span
          ><kbd>d</kbd><strong>{{ labelOf(best.device) }}</strong></span
        >
        <span class="wins">{{ best.wins }}</span>
        <span v-if="best.mind" class="mind">{{ best.mind }}</span>
      </button>
      <p v-for="it in others" :key="it.device" class="other label">
        <button type="button" class="door" :data-test="`drop-${it.device}`" @click="emit('drop', it.device)">
          {{ labelOf(it.device) }}
        </button>
        <span class="faint">{{ it.wins }}</span>
      </p>
    </section>
    <section aria-label="next">
      <h2 class="label">next</h2>
      <p
        v-for="it in told.coming.slice(0, 4)"
        :key="`${it.at_h} ${it.what}`"
        class="coming"
        data-test="coming"
      >
        <strong>{{ it.when }}</strong> {{ it.what }}
        <span v-if="it.why" class="faint">{{ it.why }}</span>
      </p>
      <p v-if="!told.coming.length" class="faint">Nothing happens by itself.</p>
    </section>
    <section v-if="told.estimate.claims.length" aria-label="what the display claims">
      <h2 class="label">what the display claims</h2>
      <p v-for="it in told.estimate.claims" :key="it.source" class="claim">
        <strong>{{ fixed(it.hours, 1) }} h </strong
        ><span class="faint">{{ labelOf(it.source) }}. {{ it.sentence }}</span>
      </p>
    </section>
  </aside>
</template>

<style scoped>
h2 {
  font-size: var(--size-text);
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 14px 0 6px;
  padding-bottom: 2px;
}
.drop {
  display: grid;
  width: 100%;
  padding: 8px 12px;
  border: 1px solid var(--primary);
  min-height: 48px;
}
.drop strong {
  font-size: var(--size-title);
}
.wins {
  font-size: var(--size-word);
}
.mind {
  color: var(--tight);
}
.coming {
  font-size: var(--size-word);
  padding: 2px 0;
}
.coming strong {
  font-size: var(--size-head);
}
.coming .faint {
  display: block;
  font: var(--size-note) var(--font-label);
}
.claim strong {
  margin-right: 6px;
  font-size: var(--size-head);
}
.other {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
kbd {
  font: 600 var(--size-line) var(--font-label);
  color: var(--primary);
  margin-right: 7px;
}
</style>
