<script setup lang="ts">
import { computed } from "vue";
import type { Feed, Figure } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import FieldLabel from "../../components/FieldLabel.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useSite } from "../../composables/useSite";
import { FUSE_CHOICES } from "../../format/fuses";

/** Everything else of a lead: how its wires are made up, what lies beside it, how its fuses are built. */
const props = defineProps<{ feed: Feed; name: string; refused: (field: string) => string | undefined }>();
const emit = defineEmits<{ change: [field: string, how: (feed: Feed) => void] }>();
const { plan } = useSite();
type Cable = NonNullable<Feed["cable"]>;
type Fuse = NonNullable<Feed["fuse"]>;
type End = "fuse" | "fuse_far";
function cable(field: string, how: (cable: Cable) => void) {
  emit("change", field, (it) => it.cable && how(it.cable));
}
function setStrand(value: string) {
  cable("strand", (it) => {
    if (value === "") Reflect.deleteProperty(it, "strand");
    else it.strand = value as "class5";
  });
}
function setBundle(value: Figure | null) {
  cable("bundle", (it) => (value === null ? delete it.bundle : (it.bundle = value)));
}
function setMarked(value: string) {
  cable("marked", (it) => {
    if (value === "") Reflect.deleteProperty(it, "marked");
    else it.marked = value === "true";
  });
}
function fuse(end: End, field: string, how: (fuse: Fuse) => void) {
  emit("change", `${end}.${field}`, (it) => {
    const found = it[end];
    if (found) how(found);
  });
}
function setType(end: End, value: string) {
  fuse(end, "type", (it) => {
    if (value === "") Reflect.deleteProperty(it, "type");
    else it.type = value as "blade";
  });
}
function setRating(end: End, key: "rated_v_dc" | "breaks_a", value: Figure | null) {
  fuse(end, key, (it) => (value === null ? Reflect.deleteProperty(it, key) : (it[key] = value)));
}
function setFar(value: Figure | null) {
  emit("change", "fuse_far", (it) => {
    if (value === null) Reflect.deleteProperty(it, "fuse_far");
    else it.fuse_far = { ...(it.fuse_far ?? {}), rating_a: value };
  });
}
const ends = () => (["fuse", "fuse_far"] as const).filter((it) => props.feed[it]);
/** What its ends are called: of USB-C the cable is marked or not, of RJ45 it feeds over pairs. */
const plugs = computed(() => {
  const kit = plan.value?.kit;
  const { item, port } = props.feed.from;
  const ports =
    kit?.sources.find((it) => it.id === item)?.ports ?? kit?.converters.find((it) => it.id === item)?.outputs;
  const far = [...(kit?.devices ?? []), ...(kit?.converters ?? [])].find((it) => it.id === props.feed.to);
  const ends = [ports?.find((it) => it.id === port)?.connector, far?.input.connector];
  return ends.join(" ");
});
const usb = computed(() => /usb-c/i.test(plugs.value));
const data = computed(() => /rj45|poe/i.test(plugs.value) || props.feed.cable?.pairs != null);
/** A lead is of pairs, of an area or of a gauge. */
function setPairs(value: Figure | null) {
  cable("pairs", (it) => {
    if (value === null) {
      Reflect.deleteProperty(it, "pairs");
      it.area_mm2 ??= 0.2;
      return;
    }
    it.pairs = value;
    for (const key of ["area_mm2", "awg", "strand"]) Reflect.deleteProperty(it, key);
  });
}
const charges = () => props.feed.to.includes("/");
const words = (end: End) => (end === "fuse" ? "fuse" : "fuse at the battery");
</script>

<template>
  <div class="fields" data-test="lead-details">
    <template v-if="feed.cable">
      <FieldLabel name="its wires">
        <ChoiceEntry
          :value="feed.cable.strand ?? ''"
          :name="`wires of the lead to ${name}`"
          :choices="[
            ['', 'not told: as a bare bar'],
            ['solid', 'one solid wire'],
            ['class2', 'a few: class 2'],
            ['class5', 'many, flexible: class 5'],
          ]"
          @change="setStrand"
        />
      </FieldLabel>
      <FieldLabel name="leads that lie together">
        <FigureEntry
          :figure="feed.cable.bundle"
          :at="[feed.cable, 'bundle']"
          :name="`leads that lie with that to ${name}`"
          target="plain"
          unit=""
          :silent="1"
          optional
          :refused="refused('bundle')"
          @change="setBundle"
        />
      </FieldLabel>
      <FieldLabel v-if="data" name="pairs that feed">
        <FigureEntry
          :figure="feed.cable.pairs"
          :at="[feed.cable, 'pairs']"
          :name="`pairs of the data cable to ${name}`"
          target="plain"
          unit=""
          silent="none"
          optional
          :refused="refused('pairs')"
          @change="setPairs"
        />
      </FieldLabel>
      <FieldLabel v-if="usb" name="USB-C cable">
        <ChoiceEntry
          :value="String(feed.cable.marked ?? '')"
          :name="`whether the cable to ${name} is marked`"
          :choices="[
            ['', 'not told'],
            ['true', 'marked for 5 A'],
            ['false', 'not marked'],
          ]"
          @change="setMarked"
        />
      </FieldLabel>
    </template>
    <template v-for="end in ends()" :key="end">
      <FieldLabel :name="`type of ${words(end)}`">
        <ChoiceEntry
          :value="feed[end]?.type ?? ''"
          :name="`type of the ${words(end)} of ${name}`"
          :choices="FUSE_CHOICES"
          @change="(v) => setType(end, v)"
        />
      </FieldLabel>
      <FieldLabel name="breaks up to">
        <FigureEntry
          :figure="feed[end]?.breaks_a"
          :at="[feed[end], 'breaks_a']"
          :name="`amperes that the ${words(end)} of ${name} breaks`"
          target="amps"
          unit="A"
          nominal
          silent="by its type"
          optional
          :refused="refused(`${end}.breaks_a`)"
          @change="(v) => setRating(end, 'breaks_a', v)"
        />
      </FieldLabel>
      <FieldLabel name="at up to">
        <FigureEntry
          :figure="feed[end]?.rated_v_dc"
          :at="[feed[end], 'rated_v_dc']"
          :name="`volts that the ${words(end)} of ${name} breaks`"
          target="volts"
          unit="V"
          nominal
          silent="by its type"
          optional
          :refused="refused(`${end}.rated_v_dc`)"
          @change="(v) => setRating(end, 'rated_v_dc', v)"
        />
      </FieldLabel>
    </template>
    <FieldLabel v-if="charges()" name="fuse at the battery">
      <FigureEntry
        :figure="feed.fuse_far?.rating_a"
        :at="[feed.fuse_far, 'rating_a']"
        :name="`fuse at the battery's end of the lead to ${name}`"
        target="amps"
        unit="A"
        nominal
        silent="no fuse"
        optional
        :refused="refused('fuse_far')"
        @change="setFar"
      />
    </FieldLabel>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 8px 20px;
  align-items: end;
  border-left: 2px solid var(--line);
  padding: 4px 0 8px 14px;
}
</style>
