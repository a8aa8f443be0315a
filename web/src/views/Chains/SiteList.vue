<script setup lang="ts">
import { computed } from "vue";
import type { Way } from "../../api/client";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import { fixed, hours, volts, watts, wattHours } from "../../format/number";
import MiniStaff from "./MiniStaff.vue";
import { statusAt, type Node, type Tree } from "./tree";
import { isMeant, useSpot } from "./useSpot";
import { verdictOf } from "./verdict";

/** A whole site on a narrow screen: a vertical list of falls, each stage a row as deep in as it lies downstream. */
const props = defineProps<{ trees: Tree[]; way: Way }>();
defineEmits<{ working: [key: string]; boards: [place: string] }>();
const { placeIn } = useSpot();
const meant = (place: string) => {
  const wanted = placeIn(props.way.id);
  return wanted !== undefined && isMeant(place, wanted);
};

interface Row {
  node: Node;
  depth: number;
}
const most = computed(() => Math.max(1, ...props.trees.map((it) => it.drawnW)));
function rows(nodes: Node[], depth: number): Row[] {
  return nodes.flatMap((node) => [{ node, depth }, ...rows(node.children, depth + 1)]);
}
const lists = computed(() => props.trees.map((tree) => ({ tree, rows: rows(tree.children, 1) })));
const verdict = (id: string) => verdictOf(props.way, id);
const lowest = (id: string) => props.way.devices.find((it) => it.device === id)?.lowest_v;
function lasts(source: string): string {
  const found = props.way.lasting[source]?.to_floor_h;
  return found == null ? "" : ` · ${hours(found)} h`;
}
const isDevice = (node: Node) => props.way.flow.devices[node.id] !== undefined;
const lost = (node: Node) => node.losses.reduce((sum, it) => sum + it.watts, 0);
</script>

<template>
  <div class="list">
    <section v-for="{ tree, rows: list } in lists" :key="tree.source.id" data-test="site-list">
      <p class="row store">
        <strong>{{ tree.source.label }}</strong>
        <FigureText
          :text="watts(tree.drawnW)"
          unit="W"
          :name="`drawn from ${tree.source.label}`"
          @working="$emit('working', `sources.${tree.source.id}.watts`)"
        />
      </p>
      <div
        v-for="{ node, depth } in list"
        :key="node.id"
        class="row"
        :class="{ meant: meant(node.id) }"
        :data-test="meant(node.id) ? 'flag' : undefined"
        :style="{ paddingLeft: `${Math.min(depth, 5) * 12}px` }"
      >
        <span
          class="water"
          aria-hidden="true"
          :style="{ height: `${Math.max(2, (node.inW / most) * 34)}px` }"
        />
        <span class="what">
          <span :class="{ device: isDevice(node) }">{{ node.label }}</span>
          <span v-if="isDevice(node)" class="label faint small"
            >{{ volts(lowest(node.id) ?? node.farV) }} V at worst ·
            {{ wattHours(way.day.devices[node.id] ?? 0) }} Wh a day{{ lasts(tree.source.id) }}</span
          >
          <span v-if="node.kind === 'weir'" class="label spill"
            >spills {{ fixed(lost(node), 1) }} W{{ node.on ? `, ${node.on.words}` : "" }}</span
          >
          <span v-else-if="node.feed?.cable" class="label faint"
            >lead loses {{ fixed(node.dropV, 2) }} V</span
          >
        </span>
        <span class="figures">
          <FigureText
            v-if="isDevice(node)"
            :text="volts(node.farV)"
            unit="V"
            :name="`voltage at ${node.label}`"
            @working="$emit('working', `devices.${node.id}.input_v`)"
          />
          <span
            v-if="isDevice(node) && verdict(node.id)"
            class="verdict label"
            :data-status="verdict(node.id)!.status"
          >
            <StatusMark :status="verdict(node.id)!.status" /> {{ verdict(node.id)!.word }}
          </span>
          <span v-else-if="node.boards.length" class="verdict label" :data-status="statusAt(node.boards)">
            <StatusMark :status="statusAt(node.boards)" /> {{ statusAt(node.boards) }}
          </span>
          <MiniStaff
            v-if="node.boards.length || node.window || node.fuse"
            :boards="node.boards.length ? node.boards : node.fuse ? [node.fuse] : []"
            :window="isDevice(node) ? node.window : undefined"
            :name="node.label"
            @open="$emit('boards', node.id)"
          />
        </span>
      </div>
    </section>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  border-bottom: 1px solid var(--line);
  padding: 4px 0;
}
.store {
  padding-top: 10px;
  border-bottom: 2px solid var(--ink);
}
.water {
  width: 10px;
  flex: none;
  background: var(--water);
  border-top: 2px solid var(--surface);
}
.what {
  display: grid;
  flex: 1;
  min-width: 0;
}
.device {
  font-weight: 600;
}
.spill {
  color: var(--loss);
  font-size: var(--size-small);
}
.figures {
  display: grid;
  justify-items: end;
  font-weight: 600;
}
.verdict,
.small {
  font-size: var(--size-small);
}
.meant {
  background: var(--sheet);
  box-shadow: inset 3px 0 0 var(--primary);
}
</style>
