<script setup lang="ts">
import { computed } from "vue";
import type { Status } from "../../api/client";
import StatusMark from "../../components/StatusMark.vue";

/** What flows: the moments as words, the one in use underlined, with the worst verdict of each. */
const moment = defineModel<string>({ required: true });
const props = defineProps<{
  moments: string[];
  names: Record<string, string>;
  worst: Record<string, Status>;
}>();

const shown = computed(() =>
  props.moments.map((key) => {
    const [kind = "", id] = key.split(" ");
    return { key, text: id ? `${kind} ${(props.names[id] ?? id).toLowerCase()}` : kind.replace("-", " ") };
  }),
);
</script>

<template>
  <div class="moments label" role="group" aria-label="Moments">
    <button
      v-for="it in shown"
      :key="it.key"
      type="button"
      :aria-pressed="moment === it.key"
      @click="moment = it.key"
    >
      {{ it.text }}
      <StatusMark v-if="worst[it.key] && worst[it.key] !== 'holds'" :status="worst[it.key] ?? 'holds'" />
    </button>
  </div>
</template>

<style scoped>
.moments {
  display: flex;
  flex-wrap: wrap;
  gap: 0 22px;
}
button {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 5px 0 4px;
  border-bottom: 3px solid transparent;
  color: var(--faint);
  font-size: 16px;
}
button[aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
  border-color: var(--primary);
}
</style>
