<script setup lang="ts">
import GroundPatterns from "./GroundPatterns.vue";
import type { Drop, Run, SitePlace, Step } from "./siteLayout";
import { useMoving } from "./useMoving";

/** The drawing of a whole site: ground, water, weirs, shafts, stores. */
const props = defineProps<{ place: SitePlace; letter: string; name: string; moment: string }>();
const moving = useMoving(() => props.moment);
/** The middle of the water, along which ripples run. */
const middle = (it: Run | Step) => `M${it.x1} ${it.y1 + it.h1 / 2} L${it.x2} ${it.y2 + it.h2 / 2}`;
const bottom = (run: { y1: number; h1: number }) => run.y1 + run.h1;
const water = (it: Run | Step) =>
  `M${it.x1} ${it.y1} L${it.x2} ${it.y2} V${it.y2 + it.h2} L${it.x1} ${bottom(it)} Z`;
const weir = (it: Step) => {
  const middle = (it.x1 + it.x2) / 2;
  const crest = `C${middle} ${it.y1} ${middle} ${it.y2} ${it.x2} ${it.y2}`;
  return `M${it.x1} ${it.y1} ${crest} V${it.y2 + it.h2} L${it.x1} ${bottom(it)} Z`;
};
/** The walls of a shaft; its far one ends where the water of the lead begins. */
const dropBed = (it: Drop, scale: number) => {
  const ends = it.bottom - Math.max(2, it.node.nearW * scale);
  return `M${it.x} ${it.top} V${it.bottom} M${it.x + it.width} ${it.top} V${ends}`;
};
const surface = (it: Step) => {
  const middle = (it.x1 + it.x2) / 2;
  return `M${it.x1} ${it.y1} C${middle} ${it.y1} ${middle} ${it.y2} ${it.x2} ${it.y2}`;
};
</script>

<template>
  <svg
    class="settles"
    :class="{ moving }"
    :width="place.width"
    :height="place.height"
    role="img"
    :aria-label="`${name}: from its sources to every device`"
  >
    <GroundPatterns :prefix="`site-${letter}`" />
    <g v-for="it in place.trees" :key="it.tree.source.id">
      <template v-for="run in [...it.runs, ...it.steps]" :key="`g${run.node.id}${run.x1}`">
        <path
          :d="`M${run.x1} ${bottom(run)} L${run.x2} ${run.y2 + run.h2} v8 L${run.x1} ${bottom(run) + 8} Z`"
          class="ground"
        />
        <path
          :d="`M${run.x1} ${bottom(run)} L${run.x2} ${run.y2 + run.h2} v8 L${run.x1} ${bottom(run) + 8} Z`"
          :fill="`url(#site-${letter}-ground)`"
        />
      </template>
      <g v-for="(layer, index) in it.layers" :key="`l${index}`">
        <rect :x="layer.x1" :y="layer.y" :width="layer.x2 - layer.x1" :height="layer.height" class="water" />
        <path v-if="layer.top" :d="`M${layer.x1} ${layer.y} H${layer.x2}`" class="surface" />
        <path :d="`M${layer.edge} ${layer.y + layer.height} H${layer.x2}`" class="bed" />
      </g>
      <g v-for="drop in it.drops" :key="`d${drop.node.id}`">
        <rect
          :x="drop.x"
          :y="drop.top"
          :width="drop.width"
          :height="Math.max(0, drop.bottom - drop.top)"
          class="water"
        />
        <path
          v-for="line in 3"
          :key="line"
          :d="`M${drop.x + (drop.width / 4) * line} ${drop.top} V${drop.bottom}`"
          class="falling"
        />
        <path :d="dropBed(drop, place.scale)" class="bed" />
      </g>
      <g v-for="run in it.runs" :key="`r${run.node.id}`">
        <path :d="water(run)" class="water" />
        <path :d="`M${run.x1} ${run.y1} L${run.x2} ${run.y2}`" class="surface" />
        <path :d="`M${run.x1} ${bottom(run)} L${run.x2} ${run.y2 + run.h2}`" class="bed" />
        <path v-if="run.h1 > 6" :d="middle(run)" class="ripple" />
        <path
          v-if="run.node.collapsed"
          :d="`M${(run.x1 + run.x2) / 2 - 8} ${run.y1 - 6} l6 16 l5 -8 l7 18`"
          class="broken"
        />
      </g>
      <g v-for="step in it.steps" :key="`s${step.node.id}`">
        <path :d="weir(step)" class="water" />
        <path v-if="step.h2 > 6" :d="middle(step)" class="ripple" />
        <path :d="surface(step)" class="surface" />
        <path :d="`M${step.x1} ${bottom(step)} L${step.x2} ${step.y2 + step.h2}`" class="bed" />
        <rect
          v-for="slot in step.slots"
          :key="slot.loss.key"
          :x="slot.x"
          :y="slot.y"
          :width="slot.width"
          :height="slot.height"
          class="slot"
          :class="slot.loss.kind"
          :fill="
            slot.loss.kind === 'idle'
              ? `url(#site-${letter}-idle)`
              : slot.loss.kind === 'squared'
                ? `url(#site-${letter}-squared)`
                : undefined
          "
        />
      </g>
      <!-- What is on only while it is needed: a sluice, let down as long as it is shut. -->
      <g v-for="step in it.steps.filter((one) => one.node.on)" :key="`o${step.node.id}`">
        <path
          :d="`M${step.x1 + 2} ${step.y1 - 5} v${step.h1 + 5} m12 0 v${-step.h1 - 5} m-14 0 h16`"
          class="wall"
        />
        <rect
          :x="step.x1 + 2"
          :y="step.y1 - 3"
          width="12"
          :height="(step.h1 + 3) * (1 - (step.node.on?.hours ?? 24) / 24)"
          class="gate"
        />
      </g>
      <!-- The store. -->
      <rect x="1" :y="it.y + 4" width="102" :height="it.height - 8" class="basin" />
      <rect
        v-if="it.tree.source.soc !== undefined"
        x="1"
        :y="it.y + 4 + (it.height - 8) * (1 - it.tree.source.soc)"
        width="102"
        :height="(it.height - 8) * it.tree.source.soc"
        class="water"
      />
      <path :d="`M1 ${it.y + 4} V${it.y + it.height - 4} H103`" class="wall" />
      <line
        v-if="it.tree.source.floor !== undefined"
        x1="1"
        x2="103"
        :y1="it.y + 4 + (it.height - 8) * (1 - it.tree.source.floor)"
        :y2="it.y + 4 + (it.height - 8) * (1 - it.tree.source.floor)"
        class="floor"
      />
    </g>
    <line :x1="place.right" :x2="place.right" y1="2" :y2="place.height - 2" class="post" />
  </svg>
</template>

<style scoped>
.gate {
  fill: var(--ground);
  stroke: var(--ink);
  stroke-width: 1.2;
}
svg {
  display: block;
}
.water {
  fill: var(--water);
}
.basin {
  fill: var(--sheet);
}
.ground {
  fill: var(--ground);
}
.surface {
  stroke: var(--surface);
  stroke-width: 2;
  fill: none;
}
.bed,
.wall {
  stroke: var(--ink);
  stroke-width: 1.2;
  fill: none;
}
.wall {
  stroke-width: 2;
}
.falling {
  stroke: var(--surface);
  stroke-width: 0.8;
}
.floor {
  stroke: var(--trips);
  stroke-dasharray: 4 3;
}
.post {
  stroke: var(--ink);
  stroke-width: 3;
}
.slot {
  stroke: var(--ink);
  stroke-width: 0.6;
}
.slot.load {
  fill: var(--loss);
}
.broken {
  stroke: var(--trips);
  stroke-width: 2.5;
  fill: none;
}
</style>
