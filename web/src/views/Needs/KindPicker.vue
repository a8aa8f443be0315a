<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from "vue";
import { api, taken, type Device } from "../../api/client";
import { watts } from "../../format/number";
import { raw } from "../../format/figure";

/** A device to start from: a ready-made kind found by typing, or an empty one of the name that was typed. */
const emit = defineEmits<{ pick: [device: Device]; close: [] }>();
const kinds = ref<Device[]>([]);
const text = ref("");
const at = ref(0);
const input = ref<HTMLInputElement>();
const trouble = ref("");

onMounted(async () => {
  await nextTick();
  input.value?.focus();
  try {
    kinds.value = taken(await api.GET("/kinds")).devices;
  } catch {
    trouble.value = "The ready-made kinds cannot be had just now; an empty device can.";
  }
});

const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  const says = (it: Device) => `${it.label} ${it.role ?? ""} ${it.id}`.toLowerCase();
  return kinds.value.filter((it) => words.every((word) => says(it).includes(word)));
});
const empty = computed<Device>(() => ({
  id: "",
  label: text.value.trim() || "New device",
  input: { current: "dc", rated_v: 12 },
  phases: [{ when: "running", watts: 0 }],
}));
const choices = computed(() => [...found.value, empty.value]);
const running = (it: Device) => raw(it.phases.find((phase) => phase.when === "running")?.watts) ?? 0;

const told = (it: Device) =>
  it.id ? `${watts(running(it))} W, ${raw(it.input.rated_v)} V ${it.input.current.toUpperCase()}` : "empty";

function press(event: KeyboardEvent) {
  if (event.key === "ArrowDown") at.value = Math.min(at.value + 1, choices.value.length - 1);
  else if (event.key === "ArrowUp") at.value = Math.max(at.value - 1, 0);
  else if (event.key === "Enter") choose(choices.value[at.value] ?? empty.value);
  else if (event.key === "Escape") emit("close");
  else return;
  event.preventDefault();
  event.stopPropagation();
}
function choose(device: Device) {
  emit("pick", device);
}
</script>

<template>
  <div class="picker" role="group" aria-label="Add a device">
    <label
      ><span class="label">add a device</span>
      <input
        ref="input"
        v-model="text"
        type="text"
        autocomplete="off"
        placeholder="router, pump, heater …"
        aria-label="find a kind"
        role="combobox"
        aria-expanded="true"
        aria-controls="kinds"
        :aria-activedescendant="`kind-${at}`"
        @input="at = 0"
        @keydown="press"
    /></label>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ul id="kinds" role="listbox" aria-label="kinds">
      <li
        v-for="(kind, index) in choices"
        :id="`kind-${index}`"
        :key="kind.id || 'empty'"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @click="choose(kind)"
      >
        <strong>{{ kind.label }}</strong>
        <span class="faint label">{{ told(kind) }}</span>
      </li>
    </ul>
    <button type="button" class="label close" @click="$emit('close')">not now</button>
  </div>
</template>

<style scoped>
.picker {
  padding: 10px 0 12px 40px;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 6px;
  max-width: 620px;
}
label {
  display: grid;
}
label .label {
  font-size: 13px;
  color: var(--faint);
}
input {
  font: inherit;
  font-size: 17px;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  padding: 4px 2px;
}
input::placeholder {
  color: var(--faint);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 258px;
  overflow-y: auto;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 7px 6px;
  cursor: pointer;
}
li strong {
  font-weight: 500;
}
.at {
  background: var(--sheet);
  outline: 1px solid var(--primary);
  outline-offset: -1px;
}
.close {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  justify-self: start;
  padding: 6px 0;
}
.trouble {
  color: var(--trips);
}
@media (max-width: 720px) {
  .picker {
    padding-left: 0;
  }
}
</style>
