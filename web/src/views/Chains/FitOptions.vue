<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useAsked } from "../../composables/useAsked";
import { volts, watts, wattHours } from "../../format/number";
import { useWays } from "./useWays";

/** Each way to feed something, or what can follow a port: what fits first, and why the rest does not. */
const props = defineProps<{
  way: string;
  to: string | undefined;
  from: { item: string; port: string } | undefined;
}>();
const emit = defineEmits<{ done: [] }>();
type Fit = Schemas["Fit"];
const { find, setFeeds } = useWays();
const metres = ref(2);
const list = ref<HTMLElement>();
/** What was taken is fed, and is not asked about any more. */
let done = false;
let last: Fit[] | undefined;
const { answer, trouble, asking, again, follow } = useAsked(
  async (site, changes) => {
    if (done) return last;
    const { way: arrangement, to = null, from = null } = props;
    const body = { arrangement, length_m: metres.value, to, from, changes };
    last = taken(await api.POST("/sites/{site}/fits", { params: { path: { site } }, body })).options;
    return last;
  },
  () => [props.way, props.to, props.from, metres.value],
);
const options = computed<Fit[]>(() => answer.value ?? []);
// Keys go to what fits when it is asked for, and stay where they are when something else changed.
let entered = true;
watch([() => props.way, () => props.to, () => props.from, metres], () => (entered = true));
watch(answer, async (now) => {
  if (!entered || !now) return;
  entered = false;
  await nextTick();
  if (!(document.activeElement instanceof HTMLInputElement)) buttons()[0]?.focus();
});
follow();

const buttons = () => [...(list.value?.querySelectorAll<HTMLElement>("button") ?? [])];
/** Up and down go along what fits; Enter takes it, Escape leaves. */
function arrow(event: KeyboardEvent) {
  const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  if (event.key === "Escape") emit("done");
  const at = buttons().findIndex((it) => it === document.activeElement);
  if (step === 0) return;
  event.preventDefault();
  buttons()[Math.min(Math.max(at + step, 0), buttons().length - 1)]?.focus();
}
function told(it: Fit): string {
  const end = it.volts == null ? "" : `; ${volts(it.volts)} V at its end`;
  return `draws ${watts(it.more_w)} W more, ${wattHours(it.more_day_wh)} Wh a day${end}; ${it.proposes.join(", ")}`;
}
const path = (it: Fit) => [it.from, ...it.through, it.to].join(" → ");
async function take(it: Fit) {
  const way = find(props.way);
  if (!way) return;
  done = true;
  const words = `${way.label}: ${path(it)}`.slice(0, 200);
  done = await setFeeds(way.id, [...way.feeds, ...it.feeds], words);
  if (done) emit("done");
}
</script>

<template>
  <div class="options" @keydown="arrow">
    <p class="length label">
      leads of
      <InlineNumber
        :value="metres"
        name="length of the leads"
        unit="m"
        @change="(v) => v > 0 && (metres = v)"
      />
      <span class="faint">the area and the fuse are proposed for it · Enter takes one, Escape leaves</span>
    </p>
    <AnswerState
      :ready="!asking || options.length > 0"
      :trouble="trouble"
      looking="What fits is tried out …"
      @again="again"
    />
    <p
      v-if="options.length && !options.some((it) => it.fits || it.bearable)"
      class="none"
      data-test="nothing-fits"
    >
      Nothing that you have fits.
      <RouterLink to="/supply" class="door">Put a converter on the shelf</RouterLink> that makes one of these
      into what it needs, and it is offered here.
    </p>
    <ul ref="list" aria-label="what fits">
      <li v-for="it in options" :key="path(it)" :class="{ unfit: !it.fits && !it.bearable }" data-test="fit">
        <button v-if="it.fits || it.bearable" type="button" @click="take(it)">{{ path(it) }}</button>
        <span v-else class="path">{{ path(it) }}</span>
        <p v-if="it.fits || it.bearable" class="label">{{ told(it) }}</p>
        <p v-if="it.fits && it.status !== 'holds'" class="label least" :class="it.status">
          <StatusMark :status="it.status" /> {{ it.least }}
        </p>
        <p v-if="it.reason" class="label reason" :data-status="it.bearable ? 'tight' : undefined">
          {{ it.bearable ? `Only if you can bear that: ${it.reason}` : it.reason }}
        </p>
      </li>
    </ul>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--line);
  padding: 4px 0;
}
li p {
  font-size: var(--size-note);
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  font-weight: 600;
  padding: 3px 0;
}
.unfit {
  color: var(--faint);
}
.reason,
.trouble {
  color: var(--trips);
}
.least.tight,
.least.brief {
  color: var(--tight);
}
.least.unproven {
  color: var(--unproven);
}
.length {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: baseline;
}
</style>
