<script setup lang="ts">
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useAsked } from "../../composables/useAsked";
import type { Told } from "./useWatch";

/** The outlets to which a device can be plugged over, each judged and tried from here. */
const props = defineProps<{ told: Told; device: string }>();
const emit = defineEmits<{ over: [outlet: string] }>();
const { answer, trouble, again, follow } = useAsked(
  async (site, _, signal) => {
    const path = { site, number: props.told.number, device: props.device };
    const asked = api.GET("/sites/{site}/watches/{number}/outlets/{device}", { params: { path }, signal });
    return taken(await asked);
  },
  () => props.device,
);
follow();
const outletOf = (it: Schemas["Outlet"]) => `${it.port.item}/${it.port.port}`;
</script>

<template>
  <AnswerState
    :ready="answer !== undefined"
    :trouble="trouble"
    looking="Each outlet is tried …"
    @again="again"
  />
  <template v-if="answer">
    <p v-if="answer.none" data-test="no-outlet">{{ answer.none }}</p>
    <ul v-else aria-label="Outlets">
      <li v-for="it in answer.outlets" :key="outletOf(it)" :data-status="it.status">
        <button
          type="button"
          class="outlet"
          :data-test="`over-${outletOf(it)}`"
          @click="emit('over', outletOf(it))"
        >
          <StatusMark :status="it.status" />
          <strong>{{ it.label }}</strong>
          <span>{{ it.text }}</span>
        </button>
        <p v-if="it.mind" class="mind">{{ it.mind }}</p>
      </li>
    </ul>
    <p class="faint">
      See that the volts and the plug fit before it is plugged in; the maker of the device has the last word.
    </p>
  </template>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
}
li {
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.outlet {
  display: grid;
  grid-template-columns: 16px minmax(0, 15em) minmax(0, 1fr);
  gap: 4px 10px;
  align-items: center;
  width: 100%;
  min-height: 32px;
  text-align: left;
}
.outlet strong {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.mind {
  padding-left: 26px;
  color: var(--tight);
}
[data-status="trips"] .mind {
  color: var(--trips);
}
@media (--tablet) {
  .outlet {
    min-height: 44px;
    grid-template-columns: 16px minmax(0, 1fr);
  }
  .outlet span {
    grid-column: 2;
  }
}
</style>
