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
  props.moments.map((key, index) => {
    const [kind = "", id] = key.split(" ");
    const name = id ? (props.names[id] ?? id) : kind.replace("-", " ");
    // Said once for a row of devices that start, so that all of them stand in one line.
    const first = id !== undefined && props.moments[index - 1]?.split(" ")[0] !== kind;
    return {
      key,
      text: name,
      kind: first ? `${kind}:` : "",
      told: id ? `${kind}${first ? ":" : ""} ${name}` : name,
    };
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
      :aria-label="it.told"
      @click="moment = it.key"
    >
      <span v-if="it.kind" class="kind">{{ it.kind }}</span>
      <span class="name">{{ it.text }}</span>
      <StatusMark v-if="worst[it.key] && worst[it.key] !== 'holds'" :status="worst[it.key] ?? 'holds'" />
    </button>
  </div>
</template>

<style scoped>
.moments {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
}
button {
  display: flex;
  gap: 6px;
  align-items: baseline;
  padding: 5px 0 4px;
  color: var(--faint);
  font-size: var(--size-word);
}
.name {
  border-bottom: 3px solid transparent;
}
button[aria-pressed="true"] .name {
  color: var(--ink);
  font-weight: 600;
  border-color: var(--primary);
}
</style>
