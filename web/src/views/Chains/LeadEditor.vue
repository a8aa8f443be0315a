<script setup lang="ts">
import { computed } from "vue";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { habits } from "../../format/habits";
import { fixed } from "../../format/number";
import { fromFeet, gaugeOfArea, toFeet } from "../../format/units";
import { figureValue, useEdits, withFigure } from "../../composables/useEdits";
import type { Reach } from "./chain";

/** A lead's length and area, edited where it lies, with the volts it loses. */
const props = defineProps<{ way: string; reach: Reach; narrow?: boolean; fuse?: boolean }>();
defineEmits<{ working: [key: string] }>();

const { edit, settle, refusedAt } = useEdits();
const cable = computed(() => props.reach.feed.cable);
const element = computed(() => ({ kind: "arrangement", id: props.way }));

const feet = computed(() => habits.length === "ft");
const metres = computed(() => figureValue(cable.value?.length_m));
/** The gauge that is shown: its own, or the nearest of its area where gauges are the habit. */
const gauge = computed(() => {
  const own = cable.value?.awg;
  if (own != null) return figureValue(own);
  return habits.area === "awg" ? gaugeOfArea(figureValue(cable.value?.area_mm2)) : undefined;
});

function setGauge(value: number) {
  edit(element.value, `awg${props.reach.to}`, (body) => {
    const feeds = (body as { feeds: Reach["feed"][] }).feeds;
    const found = feeds.find((it) => it.to === props.reach.to)?.cable;
    if (!found) return;
    Reflect.deleteProperty(found, "area_mm2");
    found.awg = value;
  });
}

function change(field: "length_m" | "area_mm2", value: number) {
  edit(element.value, field + props.reach.to, (body) => {
    const feeds = (body as { feeds: Reach["feed"][] }).feeds;
    const found = feeds.find((it) => it.to === props.reach.to)?.cable;
    if (found) found[field] = withFigure(found[field], value);
  });
}
</script>

<template>
  <div v-if="cable" class="lead label" :class="{ narrow }">
    <span class="numbers">
      <InlineNumber
        :value="feet ? Number(toFeet(metres).toFixed(1)) : metres"
        name="length"
        :unit="feet ? 'ft' : 'm'"
        :refused="refusedAt(`length_m${reach.to}`)"
        @change="change('length_m', feet ? fromFeet($event) : $event)"
        @settle="settle"
      />
      <template v-if="gauge !== undefined">
        of AWG
        <InlineNumber
          :value="gauge"
          name="gauge"
          unit=""
          :refused="refusedAt(`awg${reach.to}`)"
          @change="setGauge"
          @settle="settle"
        />
      </template>
      <template v-else-if="cable.area_mm2 != null">
        of
        <InlineNumber
          :value="figureValue(cable.area_mm2)"
          name="area"
          unit="mm²"
          :refused="refusedAt(`area_mm2${reach.to}`)"
          @change="change('area_mm2', $event)"
          @settle="settle"
        />
      </template>
    </span>
    <FigureText
      :text="`loses ${fixed(reach.dropV, reach.dropV < 0.095 ? 3 : 2)}`"
      unit="V"
      :name="`lost in the lead to ${reach.to}`"
      @working="$emit('working', `feeds.${reach.to}.drop_v`)"
    />
    <span v-if="fuse && reach.board" class="fuse"
      ><StatusMark :status="reach.board.status" /> {{ reach.board.limit }} A fuse
      {{ reach.board.status }}</span
    >
  </div>
</template>

<style scoped>
.lead {
  display: flex;
  gap: 4px 12px;
  align-items: baseline;
  white-space: nowrap;
  font-size: 14px;
}
.fuse {
  display: flex;
  gap: 5px;
  align-items: center;
}
.narrow {
  flex-direction: column;
}
</style>
