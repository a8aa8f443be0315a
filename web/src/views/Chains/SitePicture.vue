<script setup lang="ts">
import { computed } from "vue";
import type { Way } from "../../api/client";
import FigureText from "../../components/FigureText.vue";
import StatusMark from "../../components/StatusMark.vue";
import { habits } from "../../format/habits";
import { raw } from "../../format/figure";
import { fixed, volts, watts } from "../../format/number";
import { gaugeName, gaugeOfArea, toFeet } from "../../format/units";
import MiniStaff from "./MiniStaff.vue";
import SiteEnd from "./SiteEnd.vue";
import SiteGround from "./SiteGround.vue";
import type { Placed, Run, SitePlace, Step } from "./siteLayout";
import { flagAt } from "./siteFlag";
import { statusAt, type Node } from "./tree";
import { isMeant, useSpot } from "./useSpot";

/** A whole site: one long section through the ground for each source, from its store to every device. */
const props = defineProps<{ place: SitePlace; way: Way; letter: string }>();
defineEmits<{ working: [key: string]; boards: [place: string] }>();
const { placeIn } = useSpot();

const isDevice = (node: Node) => props.way.flow.devices[node.id] !== undefined;
const efficiency = (node: Node) => (node.inW > 0 ? `${fixed((node.outW / node.inW) * 100, 0)} %` : "");
/** Volts into a weir, and out of it into its leads. */
function through(node: Node): string {
  const out = node.children[0]?.nearV;
  return out === undefined || !node.feed ? "" : `${volts(node.farV)} to ${volts(out)} V`;
}
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
      ? gaugeName(gauge)
      : area === undefined
        ? ""
        : habits.area === "awg" && gaugeOfArea(area) !== undefined
          ? gaugeName(gaugeOfArea(area) ?? 0)
          : `${fixed(area, area % 1 ? ((area * 10) % 1 ? 2 : 1) : 0)} mm²`;
  const ends = node.collapsed ? "it collapses" : `${volts(node.nearV)} to ${volts(node.farV)} V`;
  return `${length} of ${size}: ${ends}`;
}
/** Room that words of this many letters take, px. */
const wide = (text: string) => text.length * 6.3 + 10;
/** The words of the last lead stand only where they do not run into those of the weir before it. */
function leadWords(run: Run): string {
  const text = lead(run.node);
  const before = props.place.trees
    .flatMap((it) => it.steps)
    .filter((it) => it.x2 <= run.x1 + 1 && it.x1 < run.x1 && Math.abs(it.y2 - run.y1) < 8)
    .map((it) => it.x1 + 66 + wide(`${it.node.label} ${efficiency(it.node)} ${through(it.node)}`));
  const from = Math.max(run.x1, ...before);
  return run.x2 - from > wide(`00.0 W ${text}`) + 8 ? text : "";
}
/** Leads with a fuse and room for its staff; behind a weir the words of that stand there first. */
const fused = (it: Placed) =>
  it.runs.filter((run) => {
    const behind = it.steps.some((step) => step.x2 === run.x1 && Math.abs(step.y2 - run.y1) < 1);
    const least = behind ? 240 : run.node.children.length ? 40 : 140;
    return run.node.fuse && run.x2 - run.x1 >= least;
  });
/** What the words of a weir may take up to the next one in its row, px. */
function room(it: Placed, step: Step): number | undefined {
  const next = it.steps.filter((other) => other.x1 > step.x1 && Math.abs(other.y1 - step.y1) < 14);
  return next.length ? Math.min(...next.map((other) => other.x1)) - step.x1 - 6 : undefined;
}
const meant = (id: string) => {
  const place = placeIn(props.way.id);
  return place !== undefined && isMeant(id, place);
};
const flag = computed(() => {
  const place = placeIn(props.way.id);
  return place === undefined ? undefined : flagAt(props.place, place);
});
</script>

<template>
  <div class="site-fall" :style="{ height: `${place.height}px` }" data-test="site-fall">
    <SiteGround :place="place" :letter="letter" :name="way.label" :moment="way.flow.moment" />

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
        <span v-if="it.tree.boards.length" class="staff">
          <MiniStaff
            :boards="it.tree.boards"
            :name="it.tree.source.label"
            @open="$emit('boards', it.tree.source.id)"
          />
          <StatusMark :status="statusAt(it.tree.boards)" />
        </span>
      </div>
      <div
        v-for="step in it.steps"
        :key="`n${step.node.id}`"
        class="over weir label"
        data-test="weir"
        :style="{
          left: `${step.x1}px`,
          top: `${step.y1 - 19}px`,
          maxWidth: room(it, step) === undefined ? undefined : `${room(it, step)}px`,
        }"
      >
        <MiniStaff
          v-if="step.node.boards.length"
          :boards="step.node.boards"
          :name="step.node.label"
          @open="$emit('boards', step.node.id)"
        />
        <StatusMark v-if="step.node.boards.length" :status="statusAt(step.node.boards)" />
        <strong>{{ step.node.label }}</strong>
        <FigureText
          :text="efficiency(step.node)"
          :name="`loss of ${step.node.label}`"
          @working="$emit('working', idle(step.node)?.key ?? step.node.losses[0]?.key ?? 'totals.drawn_w')"
        />
        <span v-if="through(step.node)" class="faint">{{ through(step.node) }}</span>
        <span v-if="step.node.on" class="shut" data-test="sluice">{{ step.node.on.words }}</span>
      </div>
      <span
        v-for="run in fused(it)"
        :key="`f${run.node.id}`"
        class="over staff"
        :style="{ left: `${run.x1 + 5}px`, top: `${run.y1 - 15}px` }"
      >
        <MiniStaff
          :boards="[run.node.fuse!]"
          :name="`fuse of the lead to ${run.node.label}`"
          short
          @open="$emit('boards', run.node.id)"
        />
        <StatusMark v-if="run.node.fuse!.status !== 'holds'" :status="run.node.fuse!.status" />
        <span v-if="run.x2 - run.x1 > 92" class="label faint tiny">fuse</span>
      </span>
      <template v-for="run in it.runs" :key="`c${run.node.id}`">
        <div
          v-if="run.x2 === place.right && leadWords(run)"
          class="over label faint lead"
          data-test="lead"
          :style="{ right: `${place.width - place.right + 8}px`, top: `${run.y2 - 19}px` }"
        >
          <FigureText
            :text="watts(run.node.inW)"
            unit="W"
            :name="`drawn by ${run.node.label}`"
            class="now"
            @working="
              $emit('working', isDevice(run.node) ? `devices.${run.node.id}.watts` : 'totals.drawn_w')
            "
          />
          {{ leadWords(run) }}
        </div>
      </template>
      <div
        v-for="end in it.ends"
        :key="`e${end.node.id}`"
        class="over end"
        :class="{ meant: meant(end.node.id) }"
        data-test="end"
        :style="{ left: `${place.right + 12}px`, top: `${end.y + 4}px` }"
      >
        <SiteEnd
          :node="end.node"
          :way="way"
          :source="it.tree.source.id"
          @working="$emit('working', $event)"
          @boards="$emit('boards', $event)"
        />
      </div>
    </template>
    <div
      v-if="flag"
      class="over flag label"
      data-test="flag"
      :style="{ left: `${flag.x}px`, top: `${flag.y}px` }"
    >
      here
    </div>
  </div>
</template>

<style scoped>
.shut {
  font-weight: 600;
  color: var(--primary);
}
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
  font-size: var(--size-note);
}
.store .big {
  font-weight: 700;
}
.weir {
  display: flex;
  gap: 5px;
  align-items: center;
  white-space: nowrap;
  font-size: var(--size-note);
}
.weir strong {
  font-weight: 600;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.lead {
  white-space: nowrap;
  font-size: var(--size-small);
}
.end {
  width: 262px;
}
.meant {
  outline: 2px solid var(--primary);
  outline-offset: 3px;
}
.staff {
  display: flex;
  gap: 4px;
  align-items: center;
}
.tiny {
  font-size: var(--size-mark);
}
.now {
  color: var(--ink);
  font-weight: 600;
}
</style>
