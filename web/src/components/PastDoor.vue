<script setup lang="ts">
import { usePast, type Place } from "../composables/usePast";

/** One click to what was said of a figure, where anything was. */
const props = defineProps<{ at?: Place | null; name: string }>();
const { hasPast, shown } = usePast();
function open() {
  if (!props.at) return;
  const { kind, id, path } = props.at;
  shown.value = { kind, id, path };
}
</script>

<template>
  <button
    v-if="hasPast(at)"
    type="button"
    class="door"
    :aria-label="`its past: what was said of ${name}`"
    data-test="term-past"
    @click="open"
  >
    its past
  </button>
</template>
