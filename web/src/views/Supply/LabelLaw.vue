<script setup lang="ts">
import { ref } from "vue";
import { api, Refused, taken, type Figure, type LossLaw } from "../../api/client";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { raw } from "../../format/figure";

/** A loss law from nothing but a label, by a stated rule and with the ± that this deserves. */
const props = defineProps<{ name: string; kind?: string; alternating: boolean; rated: number | undefined }>();
const emit = defineEmits<{ law: [law: LossLaw] }>();
const open = ref(false);
const efficiency = ref<Figure | null>(null);
const standby = ref<Figure | null>(null);
const words = ref("");
const trouble = ref("");

async function claim() {
  trouble.value = "";
  const body = {
    alternating: props.alternating,
    kind: props.kind ?? null,
    rated_w: props.rated ?? null,
    efficiency: raw(efficiency.value) ?? null,
    standby_w: raw(standby.value) ?? null,
  };
  try {
    const claimed = taken(await api.POST("/claim", { body }));
    words.value = claimed.words;
    emit("law", claimed.loss);
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
</script>

<template>
  <div class="claim">
    <button
      v-if="!open"
      type="button"
      class="label"
      :aria-label="`it has only a label: ${name}`"
      @click="open = true"
    >
      it has only a label
    </button>
    <template v-else>
      <FieldLabel name="efficient, says the label">
        <FigureEntry
          :figure="efficiency"
          :name="`${name}, efficiency by its label`"
          target="share"
          unit=""
          silent="not told"
          optional
          @change="(v) => (efficiency = v)"
        />
      </FieldLabel>
      <FieldLabel name="standby, says the label">
        <FigureEntry
          :figure="standby"
          :name="`${name}, standby by its label`"
          target="watts"
          unit="W"
          silent="not told"
          optional
          @change="(v) => (standby = v)"
        />
      </FieldLabel>
      <button type="button" class="label" :aria-label="`take that: the label of ${name}`" @click="claim">
        take that
      </button>
      <p v-if="words" class="words label" role="status">{{ words }}</p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    </template>
  </div>
</template>

<style scoped>
.claim {
  grid-column: 1 / -1;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 6px 20px;
  align-items: end;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
  justify-self: start;
  white-space: nowrap;
}
.words,
.trouble {
  grid-column: 1 / -1;
  font-size: var(--size-note);
  color: var(--unproven);
}
.trouble {
  color: var(--trips);
}
</style>
