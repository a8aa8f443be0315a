<script setup lang="ts">
import { computed } from "vue";
import type { Stored } from "../../api/client";
import { fixed } from "../../format/number";

/** What a store gives, as a length of water: what the label promises, and what is taken from it. */
const props = defineProps<{ stored: Stored; test?: string | null | undefined }>();
const WIDTH = 300;
/** The longer of the label and what the discharge curve makes of it is the whole. */
const whole = computed(() => {
  const rises = props.stored.steps.filter((it) => it.wh > 0).reduce((sum, it) => sum + it.wh, 0);
  return Math.max(props.stored.nominal_wh + rises, 1e-9);
});
const px = (wh: number) => (wh / whole.value) * WIDTH;
const taken = computed(() => {
  let x = px(props.stored.usable_wh);
  const falls = props.stored.steps.filter((it) => it.wh < 0).reverse();
  return falls.map((it) => {
    const part = { name: it.name, x, width: px(-it.wh) };
    x += part.width;
    return part;
  });
});
const shown = (wh: number) =>
  wh === 0 ? "0" : `${wh > 0 ? "+" : ""}${fixed(wh, Math.abs(wh) < 10 ? 1 : 0)}`;
</script>

<template>
  <div class="store">
    <svg class="bar" :viewBox="`0 0 ${WIDTH} 26`" aria-hidden="true">
      <defs>
        <pattern id="spared" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0 V6" class="hatch" />
        </pattern>
      </defs>
      <rect x="0" y="4" :width="px(stored.usable_wh)" height="18" class="water" />
      <rect
        v-for="part in taken"
        :key="part.name"
        :x="part.x"
        y="4"
        :width="part.width"
        height="18"
        fill="url(#spared)"
      />
      <path :d="`M0 22 H${WIDTH}`" class="bed" />
      <path :d="`M${px(stored.nominal_wh)} 0 V26`" class="label-line" />
    </svg>
    <p class="sum">
      <strong>{{ fixed(stored.usable_wh, 0) }} Wh</strong>
      <span class="faint">
        of the {{ fixed(stored.nominal_wh, 0) }} Wh by its
        <RouterLink v-if="test" :to="{ path: '/bench', query: { test } }" class="door" data-test="store-test"
          >measured size</RouterLink
        ><template v-else>{{ stored.basis === "measured" ? "measured size" : stored.basis }}</template
        >, {{ fixed(stored.share * 100, 0) }} %</span
      >
    </p>
    <ul class="steps label">
      <li v-for="step in stored.steps" :key="step.name">
        <span>{{ step.name }}</span><span class="wh">{{ shown(step.wh) }} Wh</span
        ><span class="faint">{{ step.words }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.bar {
  display: block;
  width: 100%;
  max-width: 320px;
}
.water {
  fill: var(--water);
}
.hatch {
  stroke: var(--loss);
  stroke-width: 2;
}
.bed {
  stroke: var(--ink);
}
.label-line {
  stroke: var(--ink);
  stroke-dasharray: 3 2;
}
.sum strong {
  font-size: var(--size-line);
  font-weight: 600;
}
.steps {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  font-size: var(--size-note);
}
li {
  display: grid;
  grid-template-columns: 104px 70px 1fr;
  gap: 8px;
}
.wh {
  text-align: right;
}
</style>
