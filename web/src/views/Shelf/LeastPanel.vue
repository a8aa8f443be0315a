<script setup lang="ts">
import { computed, reactive } from "vue";
import { api, taken, type Schemas } from "../../api/client";
import AnswerState from "../../components/AnswerState.vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useAsked } from "../../composables/useAsked";
import { useSite } from "../../composables/useSite";
import { useChosen } from "../Outage/useOutage";
import OutageChoice from "./OutageChoice.vue";

/** The question turned round: how small a part would still do. A sentence that is edited where it stands. */
type What = Schemas["SmallestKind"];
const KINDS: [What, string][] = [
  ["store", "the smallest capacity"],
  ["lead", "the thinnest lead"],
  ["length", "the longest lead"],
  ["inverter", "the smallest rating"],
  ["start", "the latest start"],
];
const { plan } = useSite();
const { ways } = useChosen();
const asked = reactive({ what: "store" as What, item: "", way: "", outage: "", hours: 72, chance: "" });
const way = computed(() => ways.value.find((it) => it.id === asked.way) ?? ways.value[0]);
const label = (id: string) => {
  const kit = plan.value?.kit;
  const all = [...(kit?.devices ?? []), ...(kit?.sources ?? []), ...(kit?.converters ?? [])];
  return all.find((it) => it.id === id)?.label ?? id;
};
/** What the question can be asked of in this arrangement. */
const items = computed<[string, string][]>(() => {
  const feeds = way.value?.feeds ?? [];
  const kit = plan.value?.kit;
  if (asked.what === "lead" || asked.what === "length") {
    const leads = feeds.filter((it) => it.cable).map((it) => it.to as string);
    return leads.map((it) => [
      it,
      label(it.split("/")[0] ?? it) + (it.includes("/") ? `, ${it.split("/")[1]}` : ""),
    ]);
  }
  if (asked.what === "inverter") {
    const fed = new Set(feeds.map((it) => it.to as string));
    return (kit?.converters ?? [])
      .filter((it) => fed.has(it.id) && it.kind !== "junction")
      .map((it) => [it.id, it.label]);
  }
  const used = new Set(feeds.map((it) => it.from.item));
  if (asked.what === "start")
    return (kit?.sources ?? [])
      .filter((it) => it.kind === "generator" || (it.kind === "vehicle" && it.alternator))
      .filter((it) => used.has(it.id))
      .map((it) => [it.id, it.label]);
  return (kit?.sources ?? []).filter((it) => it.battery && used.has(it.id)).map((it) => [it.id, it.label]);
});
const item = computed(() =>
  items.value.some(([it]) => it === asked.item) ? asked.item : (items.value[0]?.[0] ?? ""),
);
const {
  answer: last,
  trouble,
  asking,
  again,
  follow,
} = useAsked(
  async (site, changes) => {
    if (!way.value || !item.value) return undefined;
    const body = {
      what: asked.what,
      item: item.value,
      arrangement: way.value.id,
      hours: asked.hours,
      changes,
      ...(asked.outage ? { outage: asked.outage } : {}),
      ...(asked.chance ? { chance: Number(asked.chance) } : {}),
    };
    return taken(await api.POST("/sites/{site}/smallest", { params: { path: { site } }, body }));
  },
  () => [{ ...asked }, item.value, way.value?.id],
);
follow();
const answer = computed(() => (asking.value ? undefined : last.value));
</script>

<template>
  <section class="least" aria-label="the smallest that would do">
    <p class="asked" data-test="least-question">
      <ChoiceEntry
        :value="asked.what"
        name="what is asked"
        :choices="KINDS"
        @change="asked.what = $event as What"
      />
      of
      <ChoiceEntry
        v-if="items.length"
        :value="item"
        name="part"
        :choices="items"
        @change="asked.item = $event"
      />
      <span v-else class="faint">(nothing of this kind in the arrangement)</span>
      in
      <ChoiceEntry
        :value="way?.id ?? ''"
        name="arrangement"
        :choices="ways.map((it) => [it.id, it.label])"
        @change="asked.way = $event"
      />
      with which all that hangs on it lasts
      <InlineNumber :value="asked.hours" name="hours" unit="h" @change="(it) => (asked.hours = it)" />
      in
      <OutageChoice v-model="asked.outage" />,
      <ChoiceEntry
        :value="asked.chance"
        name="chance"
        :choices="[
          ['', 'by the figures as they stand'],
          ['0.5', 'with one chance in two'],
          ['0.9', 'with 9 chances in 10'],
          ['0.95', 'with 19 chances in 20'],
        ]"
        @change="asked.chance = $event"
      />
    </p>
    <p v-if="answer" class="answered" role="status" data-test="least-answer">{{ answer.sentence }}</p>
    <AnswerState
      v-else-if="item"
      :ready="false"
      :trouble="trouble"
      looking="Being tried on the outage …"
      @again="again"
    />
    <p v-if="answer" class="faint label">
      Each size was put into the plan, judged by its findings and marched through the outage. A thinner lead
      asks for a fuse that protects it; local codes and the maker’s sheet have the last word.
    </p>
  </section>
</template>
