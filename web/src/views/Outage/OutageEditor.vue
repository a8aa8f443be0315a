<script setup lang="ts">
import { computed, ref } from "vue";
import type { Change, Figure, Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import TextEntry from "../../components/TextEntry.vue";
import MomentEntry from "../../components/MomentEntry.vue";
import { figureValue, useEdits, withFigure } from "../../composables/useEdits";
import { useKit } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import ReadyOutages from "./ReadyOutages.vue";
import RuleEntry from "./RuleEntry.vue";
import { useAddOutage, type Outage } from "./useOutage";

/** An outage described: when and how long, the mains, the cold, the charge at the start, and its rules. */
const props = defineProps<{ outage: Outage; stores: string[] }>();
const emit = defineEmits<{ close: [] }>();
const { plan } = useSite();
const { edit, refusedAt } = useEdits();
const { step } = useKit();
const label = (id: string) =>
  [...(plan.value?.kit.devices ?? []), ...(plan.value?.kit.sources ?? [])].find((it) => it.id === id)
    ?.label ?? id;
const named = (field: string) => `${props.outage.id}.${field}`;
function change(field: string, how: (outage: Outage) => void) {
  edit({ kind: "outage", id: props.outage.id }, named(field), (body) => how(body as Outage));
}
type Span = NonNullable<Outage["mains"]>[number];
const mains = computed(() => props.outage.mains ?? []);
const charging = computed(() => props.outage.charging ?? []);
const carried = computed(() => props.outage.carried ?? []);
const rules = computed(() => props.outage.rules ?? []);
const value = figureValue;
type Listed = "mains" | "charging" | "carried";
function number(list: Listed, index: number, key: string, to: number) {
  change(`${list}.${index}.${key}`, (it) => {
    const span = it[list]?.[index] as Record<string, unknown> | undefined;
    if (span) span[key] = withFigure(span[key], to);
  });
}
function addSpan() {
  change("mains", (it) => {
    const last = it.mains?.at(-1);
    const end = value(it.hours);
    let from = last ? value(last.to_h) : 0;
    if (last && from >= end) {
      // No time is left behind the last one: it gives half of its own.
      from = (value(last.from_h) + value(last.to_h)) / 2;
      last.to_h = withFigure(last.to_h, from);
    }
    const state: Span["state"] = last?.state === "out" ? "on" : "out";
    it.mains = [...(it.mains ?? []), { from_h: from, to_h: end, state }];
  });
}
function addCharging() {
  change("charging", (it) => {
    const source = props.stores[0];
    if (source === undefined) return;
    // From the twelfth hour on where that is looked at, else in the second half.
    const end = value(it.hours);
    const from = end > 15 ? 12 : end / 2;
    it.charging = [
      ...(it.charging ?? []),
      { source, from_h: from, to_h: Math.min(from + 3, end), watts: 80 },
    ];
  });
}
function addCarried() {
  change("carried", (it) => {
    const source = props.stores[0];
    if (source === undefined) return;
    const end = value(it.hours);
    const from = (it.carried?.length ?? 0) > 0 ? value(it.carried?.at(-1)?.to_h) : Math.min(12, end / 2);
    if (from >= end) return;
    it.carried = [...(it.carried ?? []), { source, from_h: from, to_h: Math.min(from + 3, end), watts: 60 }];
  });
}
function setCarried(index: number, key: "source" | "place", to: string) {
  change(`carried.${index}.${key}`, (it) => {
    const span = it.carried?.[index];
    if (!span) return;
    if (key === "place" && to === "") delete span.place;
    else span[key] = to;
  });
}
/** How long is looked at: stretches end with it, and what begins after it goes. */
function look(to: number) {
  change("hours", (it) => {
    it.hours = withFigure(it.hours, to);
    for (const list of ["mains", "charging", "carried", "runs"] as const) {
      const within = (it[list] ?? []).filter((span) => value(span.from_h) < to);
      for (const span of within) if (value(span.to_h) > to) span.to_h = withFigure(span.to_h, to);
      if (it[list]) it[list] = within as never;
    }
  });
}
function drop(list: Listed | "rules", index: number) {
  change(list, (it) => void it[list]?.splice(index, 1));
}
function ruleWords(rule: Schemas["Rule"]): string {
  const percent = (share: Figure) => `${Math.round(value(share) * 100)} %`;
  if (rule.kind === "shed")
    return `Drop ${label(rule.device)} when ${label(rule.source)} is below ${percent(rule.below_soc)}`;
  if (rule.kind === "hold") return `Hold ${label(rule.device)} while ${label(rule.while_starting)} starts`;
  if (rule.kind === "restore")
    return `Let ${label(rule.source)} come back on above ${percent(rule.above_soc)}`;
  const order = rule.devices?.length ? `: ${rule.devices.map(label).join(", ")}` : ", by priority";
  return `Let starts be ${value(rule.seconds)} s apart${order}`;
}
function addRule(rule: Schemas["Rule"]) {
  change("rules", (it) => (it.rules = [...(it.rules ?? []), rule]));
}
const ready = ref(false);
const { add } = useAddOutage();
async function remove() {
  const changes: Change[] = [{ kind: "outage", id: props.outage.id, body: null }];
  if (await step(`outage removed: ${props.outage.label}`, changes)) emit("close");
}
</script>

<template>
  <section class="editor" data-test="outage-editor">
    <div class="lines">
      <p>
        <TextEntry
          :value="outage.label"
          name="name of the outage"
          required
          @change="(to) => change('label', (it) => (it.label = to))"
        />
      </p>
      <p>
        begins
        <MomentEntry
          day
          :value="outage.start.slice(0, 16)"
          name="start"
          @change="(to) => change('start', (it) => (it.start = to))"
        />
        looked at for
        <InlineNumber
          :value="value(outage.hours)"
          name="length"
          unit="h"
          :refused="refusedAt(named('hours'))"
          @change="look"
        />
        at
        <InlineNumber
          :value="outage.ambient_c == null ? value(plan?.site.ambient_c ?? 20) : value(outage.ambient_c)"
          name="temperature"
          unit="°C"
          :refused="refusedAt(named('ambient_c'))"
          @change="(to) => change('ambient_c', (it) => (it.ambient_c = withFigure(it.ambient_c, to)))"
        />
      </p>
      <p v-for="id in stores" :key="id">
        {{ label(id) }} at
        <InlineNumber
          :value="Math.round(value(outage.initial_soc?.[id] ?? 1) * 1000) / 10"
          :name="`charge of ${label(id)} at the start`"
          unit="%"
          :refused="refusedAt(named(`soc.${id}`))"
          @change="
            (to) => change(`soc.${id}`, (it) => (it.initial_soc = { ...it.initial_soc, [id]: to / 100 }))
          "
        />
        at the start
      </p>
    </div>
    <div class="lines">
      <h3>The mains</h3>
      <p v-if="mains.length === 0" class="faint">out for all of it</p>
      <p v-for="(span, index) in mains" :key="index">
        <ChoiceEntry
          class="small"
          :value="span.state"
          :name="`mains, stretch ${index + 1}`"
          :choices="[
            ['out', 'out'],
            ['on', 'there'],
          ]"
          @change="
            (to) =>
              change(
                `mains.${index}`,
                (it) => it.mains?.[index] && (it.mains[index].state = to as Span['state']),
              )
          "
        />
        from
        <InlineNumber
          :value="value(span.from_h)"
          name="from"
          unit="h"
          :refused="refusedAt(named(`mains.${index}.from_h`))"
          @change="(to) => number('mains', index, 'from_h', to)"
        />
        to
        <InlineNumber
          :value="value(span.to_h)"
          name="to"
          unit="h"
          :refused="refusedAt(named(`mains.${index}.to_h`))"
          @change="(to) => number('mains', index, 'to_h', to)"
        />
        <button
          type="button"
          class="door"
          :aria-label="`remove stretch ${index + 1}`"
          @click="drop('mains', index)"
        >
          remove
        </button>
      </p>
      <button type="button" class="door" @click="addSpan">+ a stretch</button>
      <h3>Charging from elsewhere</h3>
      <p v-for="(span, index) in charging" :key="index">
        {{ label(span.source) }} gets
        <InlineNumber
          :value="value(span.watts)"
          name="watts"
          unit="W"
          @change="(to) => number('charging', index, 'watts', to)"
        />
        from
        <InlineNumber
          :value="value(span.from_h)"
          name="from"
          unit="h"
          @change="(to) => number('charging', index, 'from_h', to)"
        />
        to
        <InlineNumber
          :value="value(span.to_h)"
          name="to"
          unit="h"
          @change="(to) => number('charging', index, 'to_h', to)"
        />
        <button
          type="button"
          class="door"
          :aria-label="`remove charging ${index + 1}`"
          @click="drop('charging', index)"
        >
          remove
        </button>
      </p>
      <button type="button" class="door" @click="addCharging">+ charging</button>
      <h3>Carried away</h3>
      <p v-for="(span, index) in carried" :key="index" data-test="carried">
        <ChoiceEntry
          :value="span.source"
          name="what is carried away"
          :choices="stores.map((it): [string, string] => [it, label(it)])"
          @change="(to) => setCarried(index, 'source', to)"
        />
        to
        <TextEntry
          :value="span.place ?? ''"
          name="where it is carried to"
          @change="(to) => setCarried(index, 'place', to)"
        />
        from
        <InlineNumber
          :value="value(span.from_h)"
          name="away from"
          unit="h"
          @change="(to) => number('carried', index, 'from_h', to)"
        />
        to
        <InlineNumber
          :value="value(span.to_h)"
          name="away to"
          unit="h"
          @change="(to) => number('carried', index, 'to_h', to)"
        />, filled there with
        <InlineNumber
          :value="value(span.watts)"
          name="filled there with"
          unit="W"
          @change="(to) => number('carried', index, 'watts', to)"
        />
        <button
          type="button"
          class="door"
          :aria-label="`remove carrying ${index + 1}`"
          @click="drop('carried', index)"
        >
          remove
        </button>
      </p>
      <button type="button" class="door" @click="addCarried">+ carried away</button>
    </div>
    <div class="lines">
      <h3>Rules</h3>
      <p v-for="(rule, index) in rules" :key="index" data-test="rule">
        {{ ruleWords(rule) }}
        <button
          type="button"
          class="door"
          :aria-label="`remove rule ${index + 1}`"
          @click="drop('rules', index)"
        >
          remove
        </button>
      </p>
      <RuleEntry :stores="stores" @add="addRule" />
      <p class="doors">
        <button type="button" class="door" @click="add(outage, 'outage copied')">copy this outage</button>
        <button type="button" class="door" data-test="ready-made" @click="ready = !ready">
          + a ready-made one
        </button>
        <button type="button" class="door" data-test="remove-outage" @click="remove">
          remove this outage
        </button>
      </p>
      <ReadyOutages v-if="ready" />
    </div>
  </section>
</template>

<style scoped>
[data-test="carried"] :deep(select),
[data-test="carried"] :deep(input[type="text"]) {
  width: auto;
  max-width: 150px;
}
.editor {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(330px, 1fr));
  gap: 4px 36px;
  border-top: 1px solid var(--line);
  padding: 8px 0;
}
h3 {
  font-size: var(--size-text);
  font-weight: 600;
}
.lines p {
  padding: 3px 0;
}
.small {
  display: inline-block;
  width: auto;
  max-width: 170px;
}
.doors {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}
.door {
  margin-left: 6px;
}
@media (--narrow) {
  .editor {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
