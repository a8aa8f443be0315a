<script setup lang="ts">
import type { Preview } from "../../api/client";

/** What an import would do, and what of it could not be read. */
defineProps<{ seen: Preview; plan: boolean }>();
defineEmits<{ yes: []; open: [] }>();
</script>

<template>
  <div class="preview" data-test="preview" role="status">
    <p>
      <strong>{{ seen.headline }}</strong>
    </p>
    <ul>
      <li v-for="it in [...seen.added, ...seen.changed]" :key="it.kind + it.id">
        <span class="faint label row">{{ it.row == null ? "" : `row ${it.row}` }}</span> {{ it.words }}
      </li>
    </ul>
    <ul v-if="seen.problems.length > 0" class="problems" aria-label="not read">
      <li v-for="(it, index) in seen.problems" :key="index">
        <span class="label row">{{ it.row == null ? "" : `row ${it.row}` }}</span>
        <span
          ><strong v-if="it.column">{{ it.column }}</strong> {{ it.message }}: {{ it.remedy }}.</span
        >
      </li>
    </ul>
    <p class="label actions">
      <button v-if="seen.changes.length > 0" type="button" data-test="yes" @click="$emit('yes')">
        yes, {{ seen.problems.length > 0 ? "do this much" : "do it" }}
      </button>
      <button v-if="plan" type="button" data-test="as-site" @click="$emit('open')">
        open it as a site of its own
      </button>
    </p>
  </div>
</template>

<style scoped>
.preview {
  border-left: 2px solid var(--primary);
  padding: 4px 0 0 14px;
}
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  max-height: 260px;
  overflow-y: auto;
}
li {
  display: flex;
  gap: 10px;
  padding: 2px 0;
}
.row {
  flex: 0 0 48px;
}
.problems {
  color: var(--trips);
}
.actions {
  display: flex;
  gap: 22px;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
  font-weight: 600;
}
</style>
