<script setup lang="ts">
import { computed } from "vue";
import type { DeviceVerdict, Way } from "../../api/client";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useSite } from "../../composables/useSite";
import { habits } from "../../format/habits";
import { raw } from "../../format/figure";
import { fixed, volts, watts, wattHours } from "../../format/number";
import { gaugeOfArea, toFeet } from "../../format/units";
import MiniStaff from "./MiniStaff.vue";
import SiteGround from "./SiteGround.vue";
import type { Run, SitePlace } from "./siteLayout";
import { statusAt, type Node } from "./tree";

/** A whole site: one long section through the ground for each source, from its store to every device. */
const props = defineProps<{ place: SitePlace; way: Way; letter: string }>();
defineEmits<{ working: [key: string] }>();
const { plan } = useSite();

const verdicts = computed<Record<string, DeviceVerdict>>(() =>
  Object.fromEntries(props.way.devices.map((it) => [it.device, it])),
);
const count = (id: string) => raw(plan.value?.kit.devices.find((it) => it.id === id)?.quantity) ?? 1;
const named = (node: Node) => (count(node.id) > 1 ? `${node.label}, ${count(node.id)}` : node.label);
const isDevice = (node: Node) => props.way.flow.devices[node.id] !== undefined;
const efficiency = (node: Node) => (node.inW > 0 ? `${fixed((node.outW / node.inW) * 100, 0)} %` : "");
const idle = (node: Node) => node.losses.find((it) => it.kind === "idle");

function lead(node: Node): string {
  const cable = node.feed?.cable;
  if (!cable) return "";
  const metres = raw(cable.length_m) ?? 0;
  const length =
    habits.length === "ft" ? `${fixed(toFeet(metres), 0)} ft` : `${fixed(metres, metres % 1 ? 1 : 0)} m`;
  const area = raw(cable.area_mm2);
  const gauge = raw(cable.awg);
  const size =
    gauge !== undefined
      ? `AWG ${gauge}`
      : area === undefined
        ? ""
        : habits.area === "awg"
          ? `AWG ${gaugeOfArea(area)}`
          : `${fixed(area, area % 1 ? ((area * 10) % 1 ? 2 : 1) : 0)} mm²`;
  const lost = node.collapsed ? "it collapses" : `${fixed(node.dropV, node.dropV < 0.095 ? 2 : 1)} V lost`;
  return `${length} of ${size}: ${lost}`;
}
/** Room that words of this many letters take, px. */
const wide = (text: string) => text.length * 6.3 + 10;
/** The words of the last lead stand only where they do not run into those of the weir before it. */
function leadWords(run: Run): string {
  const text = lead(run.node);
  const before = props.place.trees
    .flatMap((it) => it.steps)
    .filter((it) => it.x2 <= run.x1 + 1 && it.x1 < run.x1 && Math.abs(it.y2 - run.y1) < 8)
    .map((it) => it.x1 + 66 + wide(`${it.node.label} ${efficiency(it.node)}`));
  const from = Math.max(run.x1, ...before);
  return run.x2 - from > wide(text) + 8 ? text : "";
}
const word = (text: string) => `verdict ${text}`;
</script>

<template>
  <div class="site-fall" :style="{ height: `${place.height}px` }" data-test="site-fall">
    <SiteGround :place="place" :letter="letter" :name="way.label" />

    <template v-for="it in place.trees" :key="it.tree.source.id">
      <div class="over store" :style="{ left: '6px', top: `${it.y + 8}px` }">
        <strong>{{ it.tree.source.label }}</strong>
        <FigureText
          :text="watts(it.tree.drawnW)"
          unit="W"
          :name="`drawn from ${it.tree.source.label}`"
          class="big"
          @working="$emit('working', `sources.${it.tree.source.id}.watts`)"
        />
        <span v-if="it.tree.terminalV !== undefined" class="label">{{ volts(it.tree.terminalV) }} V</span>
      </div>
      <div
        v-for="step in it.steps"
        :key="`n${step.node.id}`"
        class="over weir label"
        data-test="weir"
        :style="{ left: `${step.x1}px`, top: `${step.y1 - 19}px` }"
      >
        <MiniStaff v-if="step.node.boards.length" :boards="step.node.boards" />
        <StatusMark v-if="step.node.boards.length" :status="statusAt(step.node.boards)" />
        <strong>{{ step.node.label }}</strong>
        <FigureText
          :text="efficiency(step.node)"
          :name="`loss of ${step.node.label}`"
          @working="$emit('working', idle(step.node)?.key ?? step.node.losses[0]?.key ?? 'totals.drawn_w')"
        />
      </div>
      <template v-for="run in it.runs" :key="`c${run.node.id}`">
        <div
          v-if="run.x2 === place.right && leadWords(run)"
          class="over label faint lead"
          data-test="lead"
          :style="{ right: `${place.width - place.right + 8}px`, top: `${run.y2 - 19}px` }"
        >
          {{ leadWords(run) }}
        </div>
      </template>
      <div
        v-for="end in it.ends"
        :key="`e${end.node.id}`"
        class="over end"
        data-test="end"
        :style="{ left: `${place.right + 12}px`, top: `${end.y + 4}px` }"
      >
        <template v-if="isDevice(end.node)">
          <p class="first">
            <strong>{{ named(end.node) }}</strong>
            <FigureText
              :text="volts(end.node.farV)"
              unit="V"
              :name="`voltage at ${end.node.label}`"
              class="volts"
              @working="$emit('working', `devices.${end.node.id}.input_v`)"
            />
            <span v-if="verdicts[end.node.id]" :class="word(verdicts[end.node.id]!.status)">
              <StatusMark :status="verdicts[end.node.id]!.status" />
              {{ verdicts[end.node.id]!.status }}
            </span>
          </p>
          <p class="label faint second">
            {{ wattHours(way.day.devices[end.node.id] ?? 0) }} Wh a day · {{ watts(end.node.inW) }} W now
          </p>
        </template>
        <p v-else class="label faint">{{ end.node.label }}: nothing hangs on it</p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.site-fall {
  position: relative;
}
.over {
  position: absolute;
  line-height: 1.2;
}
.store {
  display: grid;
  width: 94px;
}
.store strong {
  font-size: 14px;
}
.store .big {
  font-weight: 700;
}
.weir {
  display: flex;
  gap: 5px;
  align-items: center;
  white-space: nowrap;
  font-size: 14px;
}
.weir strong {
  font-weight: 600;
}
.lead {
  white-space: nowrap;
  font-size: 13px;
}
.end {
  width: 250px;
}
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
  font-size: 13px;
  white-space: nowrap;
}
.verdict {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  width: 78px;
  font-size: 14px;
  font-weight: 600;
  color: var(--holds);
}
.verdict.tight,
.verdict.brief {
  color: var(--tight);
}
.verdict.unproven {
  color: var(--unproven);
}
.verdict.trips {
  color: var(--trips);
}
</style>
