<script setup lang="ts">
import StatusMark from "../../components/StatusMark.vue";
import { bought } from "./front";
import { short, span } from "./shelf";
import ShorePicture from "./ShorePicture.vue";
import type { Found } from "./useFinder";

/** What nothing betters, as a shore and as a list, and what lies under water. */
defineProps<{ found: Found; wanted: number; chosen: number; currency: string }>();
defineEmits<{ choose: [at: number] }>();
const switches = (hand: number) =>
  hand < 0.5 ? "" : `, ${Math.round(hand)} action${hand < 1.5 ? "" : "s"} by hand a day`;
</script>

<template>
  <div>
    <div class="both">
      <ShorePicture
        :front="found.front"
        :under="found.bettered"
        :wanted="wanted"
        :chosen="chosen"
        :currency="currency"
        @choose="$emit('choose', $event)"
      />
      <ol class="members">
        <li v-for="(it, at) in found.front" :key="at">
          <button type="button" :aria-pressed="at === chosen" data-test="member" @click="$emit('choose', at)">
            <StatusMark :status="it.status" />
            <strong>{{ span(it.hours) }}</strong>
            <span class="label"
              >{{
                bought(it).length
                  ? `${bought(it).join(", ")}: ${it.priced ? `${short(it.spend)} ${currency}` : "no price"}`
                  : "nothing to buy"
              }}, {{ short(it.drawn_wh_day) }} Wh a day{{ switches(it.by_hand) }},
              {{ Math.round(Math.max(0, it.least_margin) * 100) }} % room</span
            >
          </button>
        </li>
      </ol>
    </div>
    <details v-if="found.bettered.length" class="faint" data-test="under">
      <summary class="label">+ under water: put together, and bettered ({{ found.bettered.length }})</summary>
      <ul class="sunk">
        <li v-for="(it, at) in found.bettered" :key="at">{{ it.sentence }}</li>
      </ul>
    </details>
  </div>
</template>

<style scoped>
.both {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 28px;
  padding: 10px 0;
}
.members {
  flex: 1 1 320px;
  margin: 0;
  padding: 0;
  list-style: none;
  max-height: 330px;
  overflow: auto;
}
.members button {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 5px 8px;
  width: 100%;
}
.members button[aria-pressed="true"] {
  background: var(--sheet);
  outline: 1px solid var(--primary);
  outline-offset: -1px;
}
.sunk {
  margin: 4px 0 8px;
  padding-left: 18px;
}
.sunk li {
  padding: 2px 0;
}
summary {
  cursor: pointer;
  min-height: 28px;
}
@media (--phone) {
  .members {
    max-height: none;
  }
}
</style>
