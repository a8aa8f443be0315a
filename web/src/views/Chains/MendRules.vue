<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";

/** A mend by rules of an outage: put into the one that is chosen, beside those that it has. */
const props = defineProps<{ mend: Schemas["Mend"] }>();
type Outage = Schemas["Outage"];
type Rule = Schemas["Rule"];
const { plan } = useSite();
const { step } = useKit();
const same = (one: Rule, other: Rule) => JSON.stringify(one) === JSON.stringify(other);
const rules = computed<Rule[]>(() => props.mend.rules ?? []);
/** The outages that lack one of them. */
const open = computed(() =>
  (plan.value?.outages ?? []).filter((it) =>
    rules.value.some((rule) => !(it.rules ?? []).some((own) => same(own, rule))),
  ),
);
const picked = ref("");
const outage = computed<Outage | undefined>(
  () => open.value.find((it) => it.id === picked.value) ?? open.value[0],
);
async function put() {
  const it = outage.value;
  if (!it) return;
  const own = it.rules ?? [];
  const more = rules.value.filter((rule) => !own.some((one) => same(one, rule)));
  const body = { ...copyOf(it), rules: [...copyOf(own), ...copyOf(more)] };
  await step(`${it.label}: ${props.mend.sentence}`.slice(0, 200), [{ kind: "outage", id: it.id, body }]);
}
</script>

<template>
  <span v-if="outage" class="rules">
    <button
      type="button"
      class="label"
      data-test="mend-rule"
      :aria-label="`make it a rule of ${outage.label}`"
      @click="put"
    >
      make it a rule of{{ open.length > 1 ? "" : ` ${outage.label}` }}
    </button>
    <ChoiceEntry
      v-if="open.length > 1"
      :value="outage.id"
      name="the outage whose rule it becomes"
      :choices="open.map((it) => [it.id, it.label])"
      @change="picked = $event"
    />
  </span>
  <span v-else-if="!plan?.outages?.length" class="label">
    Describe an outage in Outage, and this can become a rule of it.
  </span>
</template>

<style scoped>
.rules {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
}
.rules > :last-child {
  width: auto;
  max-width: 100%;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
  margin: 0 9px 0 6px;
  font-weight: 600;
}
</style>
