<script setup lang="ts">
import { computed } from "vue";
import StatusMark from "../../components/StatusMark.vue";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import type { RunCell } from "./shelf";
import { useTaking } from "./useShelf";

/** A cell opened: what decides, what it is made of, and that it can be made an arrangement. */
const props = defineProps<{ device: string; port: string; cell: RunCell }>();
const emit = defineEmits<{ close: [] }>();
const { plan } = useSite();
const { take } = useTaking();
const feeds = computed(() => props.cell.arrangement?.feeds ?? []);
function label(place: string) {
  const kit = plan.value?.kit;
  const all = [...(kit?.devices ?? []), ...(kit?.sources ?? []), ...(kit?.converters ?? [])];
  return all.find((it) => it.id === place)?.label ?? place;
}
const number = (it: unknown) =>
  typeof it === "number" ? it : ((it as { value?: number } | null)?.value ?? undefined);
function lead(feed: (typeof feeds.value)[number]) {
  const cable = feed.cable;
  const fuse = number(feed.fuse?.rating_a);
  const own = cable ? `${number(cable.length_m)} m of ${number(cable.area_mm2)} mm²` : "its own cord or plug";
  return fuse === undefined ? own : `${own}, ${fuse} A fuse`;
}
const takeIt = () => {
  if (props.cell.arrangement && props.cell.status !== "trips") void take(props.cell.arrangement);
};
useKeys({ a: takeIt, escape: () => emit("close") });
</script>

<template>
  <section class="detail" :aria-label="`${device} on ${port}`" data-test="cell-detail">
    <h2>
      <StatusMark :status="cell.status" /> {{ device }} on {{ port }}
      <button type="button" class="door label" data-test="close-detail" @click="emit('close')">
        close (Esc)
      </button>
    </h2>
    <p data-test="cell-message">{{ cell.message }}</p>
    <p v-if="cell.rating && cell.rating.message !== cell.message" class="faint">{{ cell.rating.message }}</p>
    <ol v-if="feeds.length">
      <li v-for="feed in feeds" :key="feed.to">
        {{ label(feed.from.item) }}, {{ feed.from.port }} → {{ label(feed.to) }}
        <span class="label faint">{{ lead(feed) }}</span>
      </li>
    </ol>
    <p v-if="cell.arrangement && cell.status !== 'trips'">
      <button type="button" class="door" data-test="take-cell" @click="takeIt">
        a make it an arrangement
      </button>
      <span class="faint label">with the leads and fuses that it was judged with; its chain opens then</span>
    </p>
  </section>
</template>

<style scoped>
.detail {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 8px 14px 10px;
  margin: 10px 0;
  max-width: 820px;
}
h2 {
  font-size: 17px;
  font-weight: 600;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
}
h2 .door {
  margin-left: auto;
  font-weight: 400;
}
.door + .label {
  margin-left: 8px;
}
ol {
  margin: 6px 0;
  padding-left: 22px;
}
</style>
