<script setup lang="ts">
import type { Status } from "../api/client";

/** The mark of a verdict: each has a shape of its own, so that colour is never alone. */
defineProps<{ status: Status }>();
</script>

<template>
  <svg class="mark" :class="status" viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
    <rect v-if="status === 'holds'" x="1" y="1" width="10" height="10" class="full" />
    <template v-else-if="status === 'tight'">
      <rect x="1.5" y="1.5" width="9" height="9" class="open" />
      <rect x="1" y="6" width="10" height="5" class="full" />
    </template>
    <path v-else-if="status === 'brief'" d="M1 1 H11 L1 11 H11 Z" class="full" />
    <rect v-else-if="status === 'unproven'" x="1.5" y="1.5" width="9" height="9" class="open dashed" />
    <path v-else d="M2 2 L10 10 M10 2 L2 10" class="cross" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
  color: var(--holds);
}
.tight,
.brief {
  color: var(--tight);
}
.unproven {
  color: var(--unproven);
}
.trips {
  color: var(--trips);
}
.full {
  fill: currentcolor;
}
.open,
.cross {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.5;
}
.cross {
  stroke-width: 2.6;
}
.dashed {
  stroke-dasharray: 2.5 2;
}
</style>
