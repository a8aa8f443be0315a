<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { copyOf, useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";

/** A mend by rules of an outage: put into the one that is chosen, beside those that it has. */
const props = defineProps<{
  mend: Schemas["Mend"];
  /** The arrangement and the finding that it would mend. */
  arrangement: string;
  code: string;
  where: string;
}>();
type Outage = Schemas["Outage"];
type Rule = Schemas["Rule"];
const { id: site, plan } = useSite();
const { changes } = useEdits();
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
/** The outage with the rules in it. */
function ruled(it: Outage): Outage {
  const own = it.rules ?? [];
  const more = rules.value.filter((rule) => !own.some((one) => same(one, rule)));
  return { ...copyOf(it), rules: [...copyOf(own), ...copyOf(more)] };
}
/** What the checks would say of it with the rule. */
const seen = ref<string>();
watch([outage, changes], () => (seen.value = undefined));
async function look() {
  const it = outage.value;
  if (!it) return;
  try {
    const then = { kind: "outage", id: it.id, body: ruled(it) };
    const told = taken(
      await api.POST("/sites/{site}/findings", {
        params: { path: { site: site.value } },
        body: { arrangements: [props.arrangement], changes: [...changes.value, then] },
      }),
    );
    const all = told.arrangements[0]?.findings ?? [];
    const own = all.filter((one) => one.code === props.code && one.where === props.where);
    const said = own.flatMap((one) => one.ruled ?? []).find((one) => one.outage === it.id);
    seen.value = said?.sentence ?? "With it the checks say nothing else.";
  } catch (error) {
    seen.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
async function put() {
  const it = outage.value;
  if (!it) return;
  const body = ruled(it);
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
    <button
      type="button"
      class="label"
      data-test="look-rule"
      :aria-label="`what would it change: ${mend.sentence}`"
      @click="look"
    >
      what would it change?
    </button>
    <span v-if="seen" class="seen label" role="status" data-test="rule-seen">{{ seen }}</span>
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
.rules > :deep(select) {
  width: auto;
  max-width: 100%;
}
.seen {
  color: var(--ink);
  width: 100%;
  padding-left: 18px;
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
