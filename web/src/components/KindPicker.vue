<script
  setup
  lang="ts"
  generic="T extends { id: string; label: string; role?: string | null; kind?: string }"
>
import { computed, nextTick, onMounted, ref, shallowRef } from "vue";
import { api, taken, type Kit } from "../api/client";

/** Something to start from: a ready-made kind found by typing, or an empty one of the name that was typed. */
const props = defineProps<{
  what: "device" | "source" | "converter";
  example: string;
  /** What is said behind a kind's name. */
  told: (kind: T) => string;
  /** An empty one of a name, where there is such a thing. */
  empty?: (label: string) => T;
}>();
const emit = defineEmits<{ pick: [kind: T]; close: [] }>();
const kinds = shallowRef<T[]>([]);
const text = ref("");
const at = ref(0);
const input = ref<HTMLInputElement>();
const trouble = ref("");
let waiting = false;
const LISTS = { device: "devices", source: "sources", converter: "converters" } as const;

onMounted(async () => {
  await nextTick();
  input.value?.focus();
  try {
    const kit: Kit = taken(await api.GET("/kinds"));
    kinds.value = kit[LISTS[props.what]] as unknown as T[];
    // Enter that came before the kinds did is not lost.
    if (waiting) choose(choices.value[at.value]);
  } catch {
    trouble.value = "The ready-made kinds cannot be had just now.";
  }
});

const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  const says = (it: T) => `${it.label} ${it.role ?? ""} ${it.kind ?? ""} ${it.id}`.toLowerCase();
  return kinds.value.filter((it) => words.every((word) => says(it).includes(word)));
});
const choices = computed<T[]>(() => {
  const made = props.empty?.(text.value.trim() || `New ${props.what}`);
  return made ? [...found.value, made] : found.value;
});

function press(event: KeyboardEvent) {
  if (event.key === "ArrowDown") at.value = Math.min(at.value + 1, choices.value.length - 1);
  else if (event.key === "ArrowUp") at.value = Math.max(at.value - 1, 0);
  else if (event.key === "Enter") choose(choices.value[at.value]);
  else if (event.key === "Escape") emit("close");
  else return;
  event.preventDefault();
  event.stopPropagation();
}
function choose(kind: T | undefined) {
  if (kind) emit("pick", kind);
  else waiting = true;
}
</script>

<template>
  <div class="picker" role="group" :aria-label="`Add a ${what}`">
    <label
      ><span class="label">add a {{ what }}</span>
      <input
        ref="input"
        v-model="text"
        type="text"
        autocomplete="off"
        :placeholder="example"
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
        <span class="faint label">{{ kind.id ? told(kind) : "empty" }}</span>
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
  font-size: var(--size-small);
  color: var(--faint);
}
input {
  font: inherit;
  font-size: var(--size-line);
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
@media (--narrow) {
  .picker {
    padding-left: 0;
  }
}
</style>
