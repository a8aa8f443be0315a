<script setup lang="ts">
/** A file that is given: words to click; the field behind them is for keys, and for who hears the page. */
import { useTemplateRef } from "vue";

defineOptions({ inheritAttrs: false });
defineProps<{ says: string }>();
const input = useTemplateRef("input");
defineExpose({
  /** Takes back what was given, so that the same file can be given again. */
  clear: () => {
    if (input.value) input.value.value = "";
  },
});
</script>

<template>
  <label class="file"
    ><input ref="input" type="file" v-bind="$attrs" /><span class="door">{{ says }}</span></label
  >
</template>

<style scoped>
.file {
  position: relative;
  display: inline-flex;
  max-width: 24em;
  cursor: pointer;
}
input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.file:focus-within {
  outline: 2px solid var(--primary);
}
.door {
  overflow: hidden;
  padding: 2px 0;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--file-ink, var(--primary));
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
