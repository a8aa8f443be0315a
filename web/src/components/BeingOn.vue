<script setup lang="ts">
import { computed, ref } from "vue";
import { switched, WORDS, type BeingOn, type How } from "../composables/switching";
import { copyOf } from "../composables/useKit";
import { useSite } from "../composables/useSite";
import { useSwitchLook } from "../composables/useSwitchLook";
import DifferenceTable from "./DifferenceTable.vue";

/** What something costs for being on, what switching it would save, and the switch, looked at before it is done. */
const props = defineProps<{ on: BeingOn; name: string; soc?: Record<string, number> | undefined }>();
const { plan } = useSite();
const box = ref<HTMLElement>();
const { seen, trouble, look: lookAt, carryOut } = useSwitchLook<How>(box, () => props.soc);
const way = computed(() => plan.value?.arrangements.find((it) => it.id === props.on.arrangement));
/** What can be done, what saves most first. */
const doable = computed<How[]>(() => {
  const all: How[] = ["left_on"];
  // What must not be cut, or comes to harm by the clock, is not offered.
  if (props.on.by_clock) all.unshift("hours");
  if (props.on.worth) all.unshift("with_load");
  return all.filter((it) => it !== props.on.now.how);
});
const body = (how: How) => {
  const found = way.value;
  return found ? { ...copyOf(found), switching: switched(copyOf(found), props.on, how) } : undefined;
};
const look = (how: How) => lookAt(how, () => body(how));
const done = (how: How) => carryOut(`${way.value?.label}: ${props.name} ${WORDS[how]}`, body(how));
</script>

<template>
  <div ref="box" class="being-on" data-test="being-on" @keydown.esc.stop="seen = undefined">
    <p class="told">
      <span data-test="being-on-told">{{ on.sentence }}</span>
      <button
        v-for="how in doable"
        :key="how"
        type="button"
        class="label"
        :class="{ first: how === 'with_load' }"
        :data-test="`switch-${how}`"
        :aria-label="`${name}: ${WORDS[how]}, look at what it does`"
        @click="look(how)"
      >
        {{ WORDS[how] }}
      </button>
    </p>
    <p v-if="trouble" role="alert" data-status="trips">{{ trouble }}</p>
    <div v-if="seen" class="seen">
      <DifferenceTable :difference="seen.difference" />
      <p class="label">
        <button type="button" class="first" data-test="do-switch" @click="done(seen.how)">
          do it: {{ WORDS[seen.how] }}
        </button>
        <button type="button" @click="seen = undefined">leave it</button>
      </p>
    </div>
  </div>
</template>

<style scoped>
.told {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 16px;
  margin: 0;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
}
.first {
  font-weight: 600;
}
.seen {
  border-left: 3px solid var(--primary);
  padding: 2px 0 4px 12px;
}
.seen p {
  display: flex;
  gap: 20px;
  margin: 0;
}
@media (pointer: coarse) {
  button {
    padding: 10px 0;
  }
}
</style>
