<script setup lang="ts">
import type { Lying } from "./staff";

/** A surveyor's staff that lies down: what is allowed, levels carried for a while, and the tide marks below. */
defineProps<{ at: Lying; width: number; told: string; mini?: boolean }>();
</script>

<template>
  <svg
    class="lying surveyor"
    :viewBox="`-4 0 ${width + 8} ${mini ? 14 : 24}`"
    :width="width + 8"
    :height="mini ? 14 : 24"
    role="img"
    :aria-label="told"
  >
    <rect x="0" :y="mini ? 1 : 4" :width="width" :height="mini ? 7 : 10" class="staff" />
    <rect
      v-for="tick in mini ? 3 : 6"
      :key="tick"
      :x="((tick - 1) * width) / (mini ? 3 : 6)"
      :y="mini ? 1 : 4"
      :width="width / (mini ? 6 : 12)"
      :height="mini ? 3.5 : 5"
      class="tick"
    />
    <rect x="0" :y="mini ? 1 : 4" :width="at.from" :height="mini ? 7 : 10" class="beyond" />
    <rect :x="at.to" :y="mini ? 1 : 4" :width="width - at.to" :height="mini ? 7 : 10" class="beyond" />
    <line v-if="at.from > 0" :x1="at.from" :x2="at.from" y1="0" :y2="mini ? 10 : 17" class="limit" />
    <line v-if="at.to < width" :x1="at.to" :x2="at.to" y1="0" :y2="mini ? 10 : 17" class="limit" />
    <line
      v-for="(it, index) in at.overloads"
      :key="`o${index}`"
      :x1="it.x"
      :x2="it.x"
      y1="0"
      :y2="mini ? 10 : 17"
      class="overload"
      :class="{ untimed: !it.timed }"
    />
    <path v-if="at.off !== undefined" :d="`M${at.off} 0 V${mini ? 10 : 17} M${at.off} 1 h7`" class="off" />
    <path
      v-for="(it, index) in at.tides"
      :key="`t${index}`"
      :d="mini ? `M${it.x} 8 l-3 6 h6 Z` : `M${it.x} 14 l-4 9 h8 Z`"
      class="tide"
    />
  </svg>
</template>

<style scoped>
.lying {
  flex: none;
  overflow: visible;
}
</style>
