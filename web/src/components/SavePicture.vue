<script setup lang="ts">
import { ref } from "vue";
import { saveFile } from "../format/save";
import { pictureOf, pixels } from "./picture";

/** Saves what an element shows, as SVG or as PNG; what it `says` stands above, where the page has that elsewhere. */
const props = defineProps<{ of: HTMLElement | null | undefined; name: string; says?: string }>();
const trouble = ref("");

async function save(kind: "svg" | "png") {
  if (!props.of) return;
  trouble.value = "";
  try {
    const picture = await pictureOf(props.of, props.name, props.says);
    const blob = kind === "svg" ? new Blob([picture.svg], { type: "image/svg+xml" }) : await pixels(picture);
    saveFile(`${props.name}.${kind}`, blob);
  } catch (error) {
    trouble.value = `The picture was not made: ${error instanceof Error ? error.message : String(error)}`;
  }
}
</script>

<template>
  <span class="save label">
    save as
    <button type="button" class="door" data-test="save-svg" @click="save('svg')">SVG</button>
    <button type="button" class="door" data-test="save-png" @click="save('png')">PNG</button>
    <span v-if="trouble" role="alert" data-status="trips">{{ trouble }}</span>
  </span>
</template>

<style scoped>
.save {
  display: inline-flex;
  gap: 8px;
  align-items: baseline;
}
@media print {
  .save {
    display: none;
  }
}
</style>
