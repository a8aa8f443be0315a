<script setup lang="ts">
import { fixed } from "../../format/number";

/** The charge of the stores, from empty to full, as a scale that is set by pointer and keys. */
const soc = defineModel<number>({ required: true });
defineProps<{ label: string; floor: number | undefined; volts: string }>();
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
    </span>
    <strong class="percent">{{ fixed(soc * 100, 0) }} %</strong>
    <span class="faint">{{ volts }}</span>
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
  font-size: 12px;
  line-height: 12px;
  color: var(--trips);
}
.percent {
  min-width: 44px;
  font-size: 16px;
  text-align: right;
}
@media (max-width: 720px) {
  .scale {
    flex-wrap: wrap;
    gap: 2px 10px;
  }
  .track {
    width: 150px;
  }
}
</style>
