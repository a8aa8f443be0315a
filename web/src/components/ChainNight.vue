<script setup lang="ts">
import { computed, ref } from "vue";
import { sleeping, sleepable, type BeingOn } from "../composables/switching";
import { copyOf } from "../composables/useKit";
import { useSite } from "../composables/useSite";
import { useSwitchLook } from "../composables/useSwitchLook";
import DifferenceTable from "./DifferenceTable.vue";

/** A whole chain off at night, or left on again: looked at first, and one step. What must not be cut stays as it is. */
const props = defineProps<{
  list: BeingOn[];
  name: string;
  soc?: Record<string, number> | undefined;
  named: (place: string) => string;
}>();
const { plan } = useSite();
const box = ref<HTMLElement>();
const { seen, trouble, look, carryOut } = useSwitchLook<boolean>(box, () => props.soc);
const can = computed(() => sleepable(props.list));
const way = computed(() => plan.value?.arrangements.find((it) => it.id === props.list[0]?.arrangement));
const rows = (off: boolean) => (way.value ? sleeping(copyOf(way.value), can.value, off) : []);
/** Whether nothing more would be switched. */
const sleeps = computed(
  () => can.value.length > 0 && JSON.stringify(rows(true)) === JSON.stringify(way.value?.switching ?? []),
);
const stays = computed(() =>
  props.list.filter((it) => !can.value.includes(it)).map((it) => props.named(it.place)),
);
const words = computed(() => (sleeps.value ? "left on again at night" : "all of it off at night"));
const body = (off: boolean) => (way.value ? { ...copyOf(way.value), switching: rows(off) } : undefined);
const ask = () => look(!sleeps.value, () => body(!sleeps.value));
const done = (off: boolean) => carryOut(`${props.name}: ${words.value}`, body(off));
</script>

<template>
  <div v-if="can.length > 1" ref="box" class="night" @keydown.esc.stop="seen = undefined">
    <button
      type="button"
      class="label"
      data-test="night-off"
      :aria-label="`${name}: ${words}, look at what it does`"
      @click="ask"
    >
      {{ words }}
    </button>
    <p v-if="trouble" role="alert" data-status="trips">{{ trouble }}</p>
    <div v-if="seen" class="seen">
      <p v-if="stays.length && seen.how" class="label">
        {{ stays.join(", ") }}: not switched by the clock, as something behind it must not be cut.
      </p>
      <DifferenceTable :difference="seen.difference" />
      <p class="label">
        <button type="button" class="first" data-test="do-switch" @click="done(seen.how)">
          do it: {{ words }}
        </button>
        <button type="button" @click="seen = undefined">leave it</button>
      </p>
    </div>
  </div>
</template>

<style scoped>
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
  flex-wrap: wrap;
  gap: 4px 20px;
  margin: 0;
}
@media (pointer: coarse) {
  button {
    padding: 10px 0;
  }
}
</style>
