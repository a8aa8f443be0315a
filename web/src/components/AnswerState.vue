<script setup lang="ts">
/**
 * What stands where an answer is not there yet: that it is looked for, or why it failed, with a button that asks again.
 * Nothing where the answer is there; an answer that is missing is never a good one.
 */
defineProps<{ ready: boolean; trouble?: string; looking?: string }>();
defineEmits<{ again: [] }>();
</script>

<template>
  <p v-if="trouble" class="state" role="alert" data-status="trips" data-test="failed">
    {{ trouble }}
    <button type="button" class="door" data-test="ask-again" @click="$emit('again')">again</button>
  </p>
  <p v-else-if="!ready" class="state faint" role="status" data-test="looking">
    {{ looking ?? "Being worked out …" }}
  </p>
</template>

<style scoped>
.state {
  padding: 4px 0;
}
</style>
