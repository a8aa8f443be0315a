<script setup lang="ts">
/** The hatchings of a section: ground, what is lost for being on, and what is lost with the square of the load. */
defineProps<{ prefix: string }>();
</script>

<template>
  <defs>
    <pattern
      :id="`${prefix}-ground`"
      width="8"
      height="8"
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(-35)"
    >
      <line x1="0" y1="0" x2="0" y2="8" class="hatch" />
    </pattern>
    <pattern
      :id="`${prefix}-idle`"
      width="5"
      height="5"
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(45)"
    >
      <line x1="0" y1="0" x2="0" y2="5" class="idle-line" />
    </pattern>
    <pattern :id="`${prefix}-squared`" width="4" height="4" patternUnits="userSpaceOnUse">
      <rect x="0" y="0" width="4" height="2.4" class="load-part" />
    </pattern>
  </defs>
</template>

<style scoped>
.hatch {
  stroke: var(--hatch);
  stroke-width: 1.6;
}
.idle-line {
  stroke: var(--loss);
  stroke-width: 3;
}
.load-part {
  fill: var(--loss);
}
</style>
