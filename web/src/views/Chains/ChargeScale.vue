<script setup lang="ts">
import { computed } from "vue";
import { fixed } from "../../format/number";

/** The charge of the stores, from empty to full, as a scale that is set by pointer and keys. */
const soc = defineModel<number>({ required: true });
const props = defineProps<{
  label: string;
  floor: number | undefined;
  volts: string;
  /** Where the first window is broken. */
  breaks: { soc: number; name: string; sentence: string } | undefined;
}>();
const breakWords = computed(() => {
  const it = props.breaks;
  if (!it) return "";
  if (it.soc < 0.005) return `${it.name}: broken when empty`;
  return it.soc > 0.995
    ? `${it.name}: broken when full`
    : `${it.name}: broken below ${fixed(it.soc * 100, 0)} %`;
});
</script>

<template>
  <label class="scale label">
    <span class="what">{{ label }}</span>
    <span class="track">
      <input
        v-model.number="soc"
        type="range"
        min="0"
        max="1"
        step="0.01"
        :aria-valuetext="`${fixed(soc * 100, 0)} %`"
        data-test="charge"
      />
      <span v-if="floor !== undefined" class="floor" :style="{ left: `calc(7px + ${floor} * (100% - 14px))` }"
        >floor</span
      >
      <span
        v-if="breaks"
        class="breaks"
        data-test="breaks"
        role="img"
        :aria-label="breaks.sentence"
        :title="breaks.sentence"
        :style="{ left: `calc(7px + ${breaks.soc} * (100% - 14px))` }"
      />
    </span>
    <strong class="percent">{{ fixed(soc * 100, 0) }} %</strong>
    <span class="faint beside"
      ><span>{{ volts }}</span
      ><span v-if="breaks" class="broken" data-test="breaks-word">{{ breakWords }}</span></span
    >
  </label>
</template>

<style scoped>
.scale {
  display: flex;
  align-items: center;
  gap: 12px;
  white-space: nowrap;
}
.what {
  color: var(--faint);
}
.track {
  position: relative;
  width: 190px;
  padding-bottom: 12px;
}
input {
  appearance: none;
  width: 100%;
  height: 24px;
  margin: 0;
  background: linear-gradient(var(--ink), var(--ink)) 0 50% / 100% 1px no-repeat;
}
input::-webkit-slider-thumb {
  appearance: none;
  width: 14px;
  height: 14px;
  background: var(--primary);
  clip-path: polygon(50% 0, 100% 100%, 0 100%);
}
input::-moz-range-thumb {
  width: 14px;
  height: 14px;
  border: 0;
  border-radius: 0;
  background: var(--primary);
}
.floor {
  position: absolute;
  bottom: 0;
  transform: translateX(-50%);
  font-size: var(--size-mark);
  line-height: 12px;
  color: var(--trips);
}
/* A bed that breaks off. */
.breaks {
  position: absolute;
  top: 3px;
  width: 9px;
  height: 18px;
  transform: translateX(-50%);
  pointer-events: none;
  background: var(--trips);
  clip-path: polygon(30% 0, 62% 0, 100% 45%, 66% 45%, 90% 100%, 8% 52%, 44% 52%);
}
.beside {
  display: grid;
  line-height: 1.15;
}
.broken {
  color: var(--trips);
  font-size: var(--size-small);
}
.percent {
  min-width: 44px;
  font-size: var(--size-word);
  text-align: right;
}
@media (--narrow) {
  .scale {
    flex-wrap: wrap;
    gap: 2px 10px;
  }
  .track {
    width: 150px;
  }
}
</style>
