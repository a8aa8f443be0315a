<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import { api, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useSite } from "../../composables/useSite";

/** A watch begins by itself where a meter that sees the mains says that it is gone, and hears by it that it is back. */
const props = defineProps<{ arrangement: string; outage: string }>();
const { id: site, attempt, plan } = useSite();
const chosen = shallowRef<Schemas["BeginsBy"]>();
const meters = shallowRef<Schemas["LiveMeter"][]>([]);
const picked = ref("");
const below = ref(150);
const path = computed(() => ({ params: { path: { site: site.value } } }));
const values = computed<[string, string][]>(() =>
  meters.value.flatMap((meter) =>
    meter.values
      .filter((it) => it.unit === "V")
      .map((it): [string, string] => [JSON.stringify([meter.id, it.name]), `${meter.label}, ${it.name}`]),
  ),
);
const nameOf = (id: string) => meters.value.find((it) => it.id === id)?.label ?? id;
const wayOf = (id: string) => plan.value?.arrangements.find((it) => it.id === id)?.label ?? id;
async function look() {
  await attempt(async () => {
    const found = await api.GET("/sites/{site}/watches/begins", path.value);
    chosen.value = (found.data ?? undefined) as Schemas["BeginsBy"] | undefined;
    meters.value = (await api.GET("/meters")).data?.meters ?? [];
    picked.value ||= values.value[0]?.[0] ?? "";
  });
}
async function choose(body: Schemas["BeginsBy"] | null) {
  await attempt(async () => {
    await api.POST("/sites/{site}/watches/begins", { ...path.value, body: body as Schemas["BeginsBy"] });
    await look();
  });
}
function set() {
  const [meter, value] = JSON.parse(picked.value) as [string, string];
  void choose({ meter, value, below_v: below.value, arrangement: props.arrangement, outage: props.outage });
}
onMounted(() => void look());
</script>

<template>
  <section class="by label" aria-label="Begins by itself">
    <p v-if="chosen" data-test="begins-by">
      It begins by itself when {{ nameOf(chosen.meter) }} shows less than {{ chosen.below_v }} V ({{
        chosen.value
      }}), with {{ wayOf(chosen.arrangement) }}.
      <button type="button" class="door" @click="choose(null)">no longer</button>
    </p>
    <form v-else-if="values.length" @submit.prevent="set">
      <label
        >or by itself, when
        <ChoiceEntry :value="picked" name="or by itself, when" :choices="values" @change="picked = $event"
      /></label>
      <label
        >shows less than
        <input v-model.number="below" type="number" min="1" max="1000" aria-label="volts" /> V</label
      >
      <button type="submit" class="door" data-test="begins-set">begin so</button>
    </form>
  </section>
</template>

<style scoped>
.by {
  margin-top: 14px;
  color: var(--faint);
}
form {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 16px;
}
:deep(select) {
  width: auto;
  max-width: 280px;
}
input {
  font: inherit;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  width: 7ch;
}
</style>
