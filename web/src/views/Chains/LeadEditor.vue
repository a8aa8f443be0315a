<script setup lang="ts">
import { computed } from "vue";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import InlineEntry from "../../components/InlineEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import type { Figure } from "../../api/client";
import { fixed } from "../../format/number";
import { readSize, sizeText, type Size } from "../../format/spoken";
import { figureValue, useEdits, withFigure } from "../../composables/useEdits";
import type { Reach } from "./chain";

/** A lead's length and area, edited where it lies, with the volts it loses. */
const props = defineProps<{ way: string; reach: Reach; narrow?: boolean; fuse?: boolean }>();
defineEmits<{ working: [key: string] }>();

const { edit, settle, refusedAt } = useEdits();
const cable = computed(() => props.reach.feed.cable);
const element = computed(() => ({ kind: "arrangement", id: props.way }));

const metres = computed(() => figureValue(cable.value?.length_m));
const own = (figure: Figure | null | undefined) => (figure == null ? undefined : figureValue(figure));
const size = computed(() => sizeText({ area_mm2: own(cable.value?.area_mm2), awg: own(cable.value?.awg) }));
const gauges = computed(() => size.value.unit === "AWG");
const readsSize = (text: string) => readSize(text, gauges.value);

function change(field: string, how: (cable: NonNullable<Reach["feed"]["cable"]>) => void) {
  edit(element.value, field + props.reach.to, (body) => {
    const feeds = (body as { feeds: Reach["feed"][] }).feeds;
    const found = feeds.find((it) => it.to === props.reach.to)?.cable;
    if (found) how(found);
  });
}
const setLength = (value: number) =>
  change("length_m", (it) => (it.length_m = withFigure(it.length_m, value)));
/** As it is typed: what was an area may become a gauge, and the other way round. */
function setSize(value: Size) {
  change("size", (it) => {
    const [key, other] = "awg" in value ? (["awg", "area_mm2"] as const) : (["area_mm2", "awg"] as const);
    it[key] = withFigure(it[key], "awg" in value ? value.awg : value.area_mm2);
    Reflect.deleteProperty(it, other);
  });
}
</script>

<template>
  <div v-if="cable" class="lead label" :class="{ narrow }">
    <span class="numbers">
      <InlineNumber
        :value="metres"
        name="length"
        unit="m"
        :refused="refusedAt(`length_m${reach.to}`)"
        @change="setLength"
        @settle="settle"
      />
      <template v-if="size.text">
        of {{ gauges ? "AWG" : "" }}
        <InlineEntry
          :shown="size.text"
          :name="gauges ? 'gauge' : 'area'"
          :unit="gauges ? '' : size.unit"
          :read="readsSize"
          remedy="write 2.5 mm², 12 AWG or 1/0 AWG"
          :refused="refusedAt(`size${reach.to}`)"
          @change="setSize"
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
  font-size: var(--size-note);
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
