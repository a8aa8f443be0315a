<script setup lang="ts">
import { computed, ref } from "vue";
import { api, taken, type Question } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";
import WorkingDrawer from "../../components/WorkingDrawer.vue";
import WorkingSum from "../../components/WorkingSum.vue";
import { useAsked } from "../../composables/useAsked";
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

/** The sum behind what decides: of its arrangement as of any other, judged as it would be once it stood in the plan. */
const shows = ref(false);
const unsaved = ref<Question["changes"]>([]);
const sums = useAsked(async (site, changes) => {
  const { arrangement } = props.cell;
  if (!arrangement) return undefined;
  unsaved.value = [...changes, { kind: "arrangement", id: arrangement.id, body: arrangement }];
  const body = { arrangements: [arrangement.id], changes: unsaved.value };
  const told = taken(await api.POST("/sites/{site}/findings", { params: { path: { site } }, body }));
  const found = told.arrangements[0]?.findings;
  return found?.find((it) => it.code === props.cell.code && it.where === props.cell.where);
});
const asked = ref<{ key: string; question: Question }>();
function see(key: string) {
  const found = sums.answer.value;
  if (!found) return;
  const { arrangement, moment, soc } = found;
  asked.value = { key, question: { arrangements: [arrangement], moment, soc, changes: unsaved.value } };
}
let asks = false;
function show() {
  if (!props.cell.arrangement || !props.cell.code) return;
  shows.value = !shows.value;
  if (asks) return;
  asks = true;
  sums.follow();
}
useKeys({ a: takeIt, s: show, escape: () => emit("close") });
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
    <p v-if="cell.arrangement && cell.code">
      <button type="button" class="door" data-test="cell-sum" :aria-expanded="shows" @click="show">
        s the sum behind it
      </button>
    </p>
    <WorkingDrawer v-model="asked" />
    <div v-if="shows" class="sum" data-test="cell-working">
      <WorkingSum v-if="sums.answer.value" :working="sums.answer.value.working" unsaid="limit" @see="see" />
      <p v-else-if="sums.trouble.value" role="alert">{{ sums.trouble.value }}</p>
      <p v-else class="faint">Its arrangement is judged …</p>
    </div>
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
  font-size: var(--size-line);
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
.sum {
  display: grid;
  gap: 10px;
  margin: 6px 0 12px;
}
ol {
  margin: 6px 0;
  padding-left: 22px;
}
</style>
