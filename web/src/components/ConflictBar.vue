<script setup lang="ts">
import { useEdits } from "../composables/useEdits";
import { typed } from "../format/figure";

/** Two windows changed the same: both values, and a choice. */
const { conflicts, choose } = useEdits();

function shown(value: unknown): string {
  if (value == null) return "nothing";
  if (typeof value === "string" || typeof value === "boolean") return String(value);
  if (typeof value === "number" || (typeof value === "object" && "value" in value))
    return typed(value as never);
  return "another one";
}
</script>

<template>
  <section
    v-for="conflict in conflicts"
    :key="conflict.kind + conflict.id"
    class="conflict"
    role="alertdialog"
    aria-label="Changed elsewhere too"
    data-test="conflict"
  >
    <p>
      <strong>{{ conflict.label }}</strong> was changed in another window too.
    </p>
    <ul>
      <li v-for="clash in conflict.clashes" :key="clash.path.join('.')">
        {{ clash.name }}: yours <strong>{{ shown(clash.mine) }}</strong>, theirs
        <strong>{{ shown(clash.theirs) }}</strong>
      </li>
    </ul>
    <p class="choices">
      <button type="button" data-test="mine" @click="choose(conflict, true)">keep mine</button>
      <button type="button" data-test="theirs" @click="choose(conflict, false)">take theirs</button>
    </p>
  </section>
</template>

<style scoped>
.conflict {
  padding: 8px 24px;
  border-bottom: 1px solid var(--tight);
  background: var(--sheet);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
  align-items: baseline;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.choices {
  display: flex;
  gap: 18px;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
  font-weight: 600;
}
</style>
