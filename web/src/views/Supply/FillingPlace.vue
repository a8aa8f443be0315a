<script setup lang="ts">
import { computed, ref } from "vue";
import type { Source } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useSite } from "../../composables/useSite";
import FillingUp from "../Outage/FillingUp.vue";

/** How a store gets full again, where it stands: by what an arrangement wires to it, and what would be faster. */
const props = defineProps<{ source: Source }>();
const { plan } = useSite();
const open = ref(false);
const ways = computed(() => plan.value?.arrangements ?? []);
/** The one that fills it, else one that uses it. */
const first = computed(() => {
  const fills = ways.value.find((it) => it.feeds.some((feed) => feed.to.split("/")[0] === props.source.id));
  const uses = ways.value.find((it) => it.feeds.some((feed) => feed.from.item === props.source.id));
  return (fills ?? uses ?? ways.value[0])?.id ?? "";
});
const chosen = ref("");
const arrangement = computed(() =>
  ways.value.some((it) => it.id === chosen.value) ? chosen.value : first.value,
);
</script>

<template>
  <details
    v-if="source.battery && ways.length"
    class="place"
    data-test="filling-place"
    @toggle="open = ($event.target as HTMLDetailsElement).open"
  >
    <summary class="label" :aria-label="`how it gets full again: ${source.label}`">
      how it gets full again
    </summary>
    <template v-if="open">
      <p class="label which">
        as wired in
        <ChoiceEntry
          :value="arrangement"
          name="arrangement that fills it"
          :choices="ways.map((it) => [it.id, it.label])"
          @change="chosen = $event"
        />
      </p>
      <FillingUp :arrangement="arrangement" :only="source.id" />
    </template>
  </details>
</template>

<style scoped>
.place {
  grid-column: 1 / -1;
}
summary {
  cursor: pointer;
  color: var(--primary);
  min-height: 28px;
}
.which {
  white-space: nowrap;
  display: flex;
  gap: 6px;
  align-items: baseline;
  max-width: 420px;
}
@media (pointer: coarse) {
  summary {
    min-height: 40px;
  }
}
</style>
