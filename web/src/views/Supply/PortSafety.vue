<script setup lang="ts">
import { computed } from "vue";
import type { Figure, Port } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";

/** What opens an outlet in a short circuit, how its neutral is bonded, and how far its wave is from a sine. */
const props = defineProps<{ port: Port; name: string; refused: (field: string) => string | undefined }>();
const emit = defineEmits<{ change: [field: string, how: (port: Port) => void] }>();
type Protection = NonNullable<Port["protection"]>;
const opens = computed(() => props.port.protection && props.port.protection.kind !== "none");
const KEYS: [keyof Protection & ("rating_a" | "rated_v_dc" | "breaks_a"), string, string, string][] = [
  ["rating_a", "of", "amps", "A"],
  ["rated_v_dc", "breaks at most", "volts", "V"],
  ["breaks_a", "and at most", "amps", "A"],
];
const NAMES = {
  rating_a: "it opens above",
  rated_v_dc: "the volts that it breaks",
  breaks_a: "the amperes that it breaks",
};
function setKind(kind: string) {
  emit("change", "protection", (it) => {
    if (kind === "") Reflect.deleteProperty(it, "protection");
    else if (kind === "none") it.protection = { kind: "none" };
    else it.protection = { ...(it.protection ?? {}), kind: kind as "fuse" };
  });
}
function setFigure(key: "rating_a" | "rated_v_dc" | "breaks_a", value: Figure | null) {
  emit("change", `protection.${key}`, (it) => {
    if (!it.protection) return;
    if (value === null) Reflect.deleteProperty(it.protection, key);
    else it.protection[key] = value;
  });
}
const wave = computed(() => ("ac_v" in props.port.voltage ? props.port.voltage : undefined));
function setDistortion(value: Figure | null) {
  emit("change", "voltage.distortion", (it) => {
    if (!("ac_v" in it.voltage)) return;
    if (value === null) Reflect.deleteProperty(it.voltage, "distortion");
    else it.voltage.distortion = value;
  });
}
function setNeutral(value: string) {
  emit("change", "neutral", (it) => {
    if (value === "") Reflect.deleteProperty(it, "neutral");
    else it.neutral = value as "floating";
  });
}
</script>

<template>
  <div v-if="port.current === 'dc'" class="fields">
    <FieldLabel name="a short circuit is opened by">
      <ChoiceEntry
        :value="port.protection?.kind ?? ''"
        :name="`${name}: a short circuit is opened by`"
        :choices="[
          ['', 'nobody knows'],
          ['fuse', 'a fuse'],
          ['breaker', 'a breaker'],
          ['electronic', 'its electronics'],
          ['none', 'nothing'],
        ]"
        @change="setKind"
      />
    </FieldLabel>
    <template v-if="opens">
      <FieldLabel v-for="[key, label, target, unit] in KEYS" :key="key" :name="label">
        <FigureEntry
          :figure="port.protection?.[key]"
          :at="[port.protection, key]"
          :name="`${name}: ${NAMES[key]}`"
          :target="target"
          :unit="unit"
          nominal
          silent="nobody knows"
          optional
          :refused="refused(`protection.${key}`)"
          @change="(v) => setFigure(key, v)"
        />
      </FieldLabel>
    </template>
  </div>
  <div v-else-if="wave" class="fields">
    <FieldLabel name="its neutral is">
      <ChoiceEntry
        :value="port.neutral === 'unknown' ? '' : (port.neutral ?? '')"
        :name="`${name}: its neutral is`"
        :choices="[
          ['', 'nobody knows'],
          ['floating', 'bonded to nothing'],
          ['bonded', 'bonded to earth'],
        ]"
        @change="setNeutral"
      />
    </FieldLabel>
    <FieldLabel name="off a sine, under load">
      <FigureEntry
        :figure="wave.distortion"
        :at="[wave, 'distortion']"
        :name="`${name}: distortion`"
        target="share"
        unit=""
        silent="nobody knows"
        optional
        :refused="refused('voltage.distortion')"
        @change="setDistortion"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 20px;
  align-items: end;
}
</style>
