<script setup lang="ts">
import { computed } from "vue";
import type { Way } from "../../api/client";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useSite } from "../../composables/useSite";
import { raw } from "../../format/figure";
import { hours, volts, watts, wattHours } from "../../format/number";
import MiniStaff from "./MiniStaff.vue";
import type { Node } from "./tree";
import { verdictOf } from "./verdict";

/** The foot of a branch: what arrives at a device, whether it is enough, what it takes; or a store that is charged. */
const props = defineProps<{ node: Node; way: Way; source: string }>();
defineEmits<{ working: [key: string]; boards: [place: string] }>();
const { plan } = useSite();
const verdict = computed(() => verdictOf(props.way, props.node.id));
const lowest = computed(() => props.way.devices.find((it) => it.device === props.node.id)?.lowest_v);
const count = (id: string) => raw(plan.value?.kit.devices.find((it) => it.id === id)?.quantity) ?? 1;
const named = (node: Node) => (count(node.id) > 1 ? `${node.label}, ${count(node.id)}` : node.label);
const isDevice = (node: Node) => props.way.flow.devices[node.id] !== undefined;
const charges = (node: Node) => props.way.flow.inputs?.[node.id] !== undefined;
/** How long its store carries a device. */
function lasts(source: string): string {
  const found = props.way.lasting[source]?.to_floor_h;
  return found == null ? "" : ` · ${hours(found)} h`;
}
</script>

<template>
  <template v-if="isDevice(node)">
    <p class="first">
      <strong>{{ named(node) }}</strong>
      <FigureText
        :text="volts(node.farV)"
        unit="V"
        :name="`voltage at ${node.label}`"
        class="volts"
        @working="$emit('working', `devices.${node.id}.input_v`)"
      />
      <span v-if="verdict" class="verdict" :data-status="verdict.status" :title="verdict.sentence">
        <StatusMark :status="verdict.status" />
        {{ verdict.word }}
      </span>
    </p>
    <p class="label second">
      <span
        >{{ volts(lowest ?? node.farV) }} V at worst · {{ wattHours(way.day.devices[node.id] ?? 0) }} Wh a
        day{{ lasts(source) }}</span
      >
      <MiniStaff
        v-if="node.window"
        :window="node.window"
        :name="`voltage at ${node.label}`"
        @open="$emit('boards', node.id)"
      />
    </p>
  </template>
  <template v-else-if="charges(node)">
    <p class="first">
      <strong>{{ node.label }}</strong>
      <FigureText
        :text="volts(node.farV)"
        unit="V"
        :name="`voltage at ${node.label}`"
        class="volts"
        @working="$emit('working', `feeds.${node.id}.far_v`)"
      />
      <span class="verdict faint">charged</span>
    </p>
    <p class="label second">with {{ watts(node.inW) }} W, as a store of its own below</p>
  </template>
  <p v-else class="label faint">{{ node.label }}: nothing hangs on it</p>
</template>

<style scoped>
.first {
  display: flex;
  gap: 8px;
  align-items: baseline;
  white-space: nowrap;
}
.first strong {
  font-weight: 600;
  max-width: 128px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.volts {
  font-weight: 700;
  margin-left: auto;
}
.second {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  font-size: var(--size-small);
  white-space: nowrap;
  color: var(--faint);
}
.verdict {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  width: 78px;
  font-size: var(--size-note);
  font-weight: 600;
}
</style>
