<script setup lang="ts">
import { computed } from "vue";
import type { Device } from "../../api/client";
import { raw } from "../../format/figure";
import DeviceHabits from "./DeviceHabits.vue";
import DeviceInput from "./DeviceInput.vue";
import PhaseEditor from "./PhaseEditor.vue";
import { useDevices } from "./useDevices";

/** The opened row: everything about a device, edited where it stands. */
const props = defineProps<{ device: Device; place: number; count: number }>();
const emit = defineEmits<{ close: []; copied: [id: string] }>();
const { move, remove, add } = useDevices();
const volts = computed(() => raw(props.device.input.rated_v));

async function copy() {
  const made = await add({ ...props.device, label: `${props.device.label}, another` });
  if (made) emit("copied", made);
}
</script>

<template>
  <section class="editor" :aria-label="`Everything about ${device.label}`" @keydown.esc.stop="$emit('close')">
    <DeviceInput :device="device" />
    <PhaseEditor :device="device" :volts="volts" />
    <DeviceHabits :device="device" />

    <p class="actions label">
      <button type="button" :disabled="place === 1" @click="move(device.id, place - 2)">move up</button>
      <button type="button" :disabled="place === count" @click="move(device.id, place)">move down</button>
      <button type="button" @click="copy">copy</button>
      <button type="button" class="remove" @click="remove(device.id)">remove</button>
      <button type="button" class="close" @click="$emit('close')">close</button>
    </p>
  </section>
</template>

<style scoped>
.editor {
  padding: 6px 0 14px 40px;
  display: grid;
  gap: 14px;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
}
.actions button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
}
.actions button:disabled {
  color: var(--faint);
  text-decoration: none;
  cursor: default;
}
.actions .remove {
  color: var(--trips);
}
.close {
  margin-left: auto;
}
@media (--narrow) {
  .editor {
    padding-left: 0;
  }
}
</style>
