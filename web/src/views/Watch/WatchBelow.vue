<script setup lang="ts">
import { toRef } from "vue";
import { useEarlier } from "./useEarlier";
import type { Entry, Told } from "./useWatch";

/** The devices, each with its switch; and what was read, done and noticed, each with its way back. */
const props = defineProps<{ told: Told }>();
const emit = defineEmits<{
  act: [did: Entry["did"], item: string];
  back: [entry: number, undone: boolean];
}>();

const { shown, left, isOpen, trouble, more, fewer } = useEarlier(toRef(props, "told"));
</script>

<template>
  <div class="both">
    <section aria-label="devices">
      <h2 class="label">devices</h2>
      <p v-for="it in told.devices" :key="it.id" class="device label" :data-state="it.state">
        <span>{{ it.label }}</span>
        <span class="faint">{{ it.until }}</span>
        <button
          v-if="it.state === 'on'"
          type="button"
          class="door"
          :aria-label="`switch ${it.label} off`"
          @click="emit('act', 'drop', it.id)"
        >
          off
        </button>
        <button
          v-else
          type="button"
          class="door"
          :aria-label="`switch ${it.label} on`"
          :data-test="`on-${it.id}`"
          @click="emit('act', 'restore', it.id)"
        >
          on
        </button>
      </p>
    </section>
    <section aria-label="what was done">
      <h2 class="label">read, done, noticed</h2>
      <ul class="entries label">
        <li
          v-for="it in shown"
          :key="`${it.number ?? it.at_h} ${it.words}`"
          :class="[it.kind, { undone: it.undone }]"
          data-test="entry"
        >
          <span class="faint">{{ it.when }}</span> {{ it.words
          }}<span v-if="it.by" class="faint">, {{ it.by }}</span>
          <button
            v-if="it.number != null && told.open"
            type="button"
            class="door"
            :aria-label="`${it.undone ? 'count it' : 'take back'}: ${it.words}`"
            @click="emit('back', it.number, !it.undone)"
          >
            {{ it.undone ? "count it" : "take back" }}
          </button>
        </li>
        <li v-if="!told.entries.length" class="faint">nothing yet</li>
      </ul>
      <p v-if="left > 0 || isOpen" class="label">
        <button v-if="left > 0" type="button" class="door" data-test="earlier" @click="more">
          {{ left }} earlier
        </button>
        <button v-if="isOpen" type="button" class="door" @click="fewer">only the latest</button>
        <span v-if="trouble" class="faint" role="alert">{{ trouble }}</span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 5fr) minmax(0, 6fr);
  gap: 0 36px;
  align-content: start;
  margin-top: 6px;
}
h2 {
  font-size: var(--size-text);
  font-weight: 500;
  color: var(--faint);
  border-bottom: 1px solid var(--line);
  margin: 14px 0 6px;
  padding-bottom: 2px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.device {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.device .faint {
  margin-left: auto;
}
.device[data-state="dropped"] span:first-child,
.device[data-state="lost"] span:first-child {
  text-decoration: line-through;
}
.entries li {
  padding: 2px 0;
}
.entries .door {
  margin-left: 10px;
}
.entries .noticed {
  color: var(--tight);
}
.entries .undone {
  text-decoration: line-through;
  color: var(--faint);
}
@media (--tablet) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
