<script setup lang="ts">
import { useElementSize } from "../../composables/useElementSize";
import { computed, ref } from "vue";
import type { Plan, Way } from "../../api/client";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import { fixed, hours, wattHours } from "../../format/number";
import SiteList from "./SiteList.vue";
import SitePicture from "./SitePicture.vue";
import { laySite, siteScale } from "./siteLayout";
import { treesOf } from "./tree";
import { useSpot } from "./useSpot";

/** Whole sites beside each other, on one scale of watts. */
const props = defineProps<{ plan: Plan; ways: Way[]; compact: boolean; height: number }>();
defineEmits<{ working: [index: number, key: string]; boards: [way: string, place: string] }>();
const { show } = useSpot();
const frame = ref<HTMLElement>();
const { width } = useElementSize(frame, 1200);
const COLUMN = 276;
const LETTERS = ["A", "B", "C", "D"];
const trees = computed(() => props.ways.map((it) => treesOf(props.plan, it)));
const scale = computed(() => siteScale(trees.value, props.height));
const places = computed(() => trees.value.map((it) => laySite(it, width.value, COLUMN, scale.value)));
defineExpose({ scale });
const worst = (way: Way) => way.findings[0];
const empty = (way: Way) => Object.keys(way.flow.feeds).length === 0;
const margin = (way: Way) =>
  empty(way) ? "Nothing is fed yet: press b, and build it." : (worst(way)?.message ?? "Everything holds.");
function used(way: Way): string {
  const share = way.tightest?.used;
  return share == null ? "it collapses" : `${fixed(share * 100, 0)} % used`;
}
function parts(way: Way): string {
  const { converters, leads, fuses, price, weight_kg } = way.parts;
  const said = [`${converters} conversions`, `${leads} leads`, `${fuses} fuses`];
  if (price != null)
    said.push(`boxes cost ${fixed(price, 0)} ${props.plan.site.energy_price?.currency ?? ""}`.trim());
  if (weight_kg != null) said.push(`${fixed(weight_kg, 1)} kg`);
  return said.join(", ");
}
</script>

<template>
  <div ref="frame" class="sites">
    <section v-for="(way, index) in ways" :key="way.id" class="way" :aria-label="way.label">
      <div v-if="ways.length > 1 || empty(way)" class="head">
        <h2>
          <span class="letter">{{ LETTERS[index] }}</span> {{ way.label }}
        </h2>
        <p :data-status="empty(way) ? undefined : way.status">
          <StatusMark v-if="!empty(way)" :status="way.status" /> {{ margin(way) }}
          <button v-if="worst(way)" type="button" class="door label" @click="show(way.id, worst(way)!.where)">
            show where
          </button>
        </p>
      </div>
      <SiteList
        v-if="compact"
        :trees="trees[index] ?? []"
        :way="way"
        @working="$emit('working', index, $event)"
        @boards="$emit('boards', way.id, $event)"
      />
      <SitePicture
        v-else-if="places[index]"
        :place="places[index]!"
        :way="way"
        :letter="LETTERS[index] ?? ''"
        @working="$emit('working', index, $event)"
        @boards="$emit('boards', way.id, $event)"
      />
      <p v-if="!empty(way)" class="foot label" data-test="site-foot">
        <FigureText
          :text="wattHours(way.day.drawn_wh)"
          unit="Wh a day"
          name="drawn in a day"
          @working="$emit('working', index, 'day.drawn_wh')"
        />
        <span>{{ wattHours(way.day.idle_wh) }} Wh of it only for being on</span>
        <span>{{
          way.to_floor_h == null ? "nothing runs down" : `${hours(way.to_floor_h)} h to the first floor`
        }}</span>
        <span v-if="way.tightest">least room: {{ way.tightest.name }}, {{ used(way) }}</span>
        <span>{{ parts(way) }}</span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.way + .way {
  border-top: 2px solid var(--line);
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
  align-items: baseline;
  padding: 2px 0 4px;
}
h2 {
  font-size: var(--size-head);
  font-weight: 600;
}
.letter {
  font-weight: 300;
  font-size: var(--size-figure);
  color: var(--primary);
  margin-right: 6px;
}
.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 26px;
  padding: 8px 0 10px;
}
</style>
