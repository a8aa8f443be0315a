<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, Refused, taken, type Figure } from "../api/client";
import { figureOf, noteOf, raw, typed } from "../format/figure";
import { useRefusedText } from "../composables/useRefusedText";
import { usePast, type At } from "../composables/usePast";
import { useSite } from "../composables/useSite";
import { useTargets } from "../composables/useTargets";
import { habits } from "../format/habits";
import { percent, plain } from "../format/number";
import { gaugeText, toHabit, unitOf } from "../format/spoken";
import PastDoor from "./PastDoor.vue";

/**
 * A figure typed in the units that people have; the server reads it. What it cannot read stays where it
 * was typed, with a sentence, and changes nothing.
 */
const props = defineProps<{
  figure: Figure | null | undefined;
  /** The object that holds it, and its key there: where it has a past, that is one click away. */
  at?: At | undefined;
  name: string;
  target: string;
  unit: string;
  /** The voltage that goes with amperes that name none, V. */
  volts?: number | undefined;
  running?: boolean;
  optional?: boolean;
  /** What stands where nothing is given; a number is in `unit`. */
  silent?: string | number;
  /** Whether what stands there silently is what is assumed, so that it may be off too. */
  supposed?: boolean;
  /** Whether the size of a lead is a gauge. */
  gauge?: boolean;
  /** Whether another field beside it shows the unit. */
  bare?: boolean;
  /** Whether it is a rating that the thing was made to, not a value that may be off. */
  nominal?: boolean;
  refused?: string | undefined;
}>();
const emit = defineEmits<{
  /** What was read; the size of a lead says whether it is a gauge. */
  change: [figure: Figure | null, gauge: boolean];
  focus: [];
}>();
const { deserves } = useTargets();

const share = computed(() => props.target === "share");
const shown = computed(() => show(props.figure));
const unitShown = computed(() => (props.gauge ? "AWG" : unitOf(props.unit)));
const placeholder = computed(() =>
  typeof props.silent === "number"
    ? plain(Math.round(toHabit(props.silent, props.unit) * 10) / 10)
    : props.silent,
);
/** How far it is taken to be off, where it does not say so itself. */
const assumed = computed(() => {
  const figure = props.figure ?? (props.supposed && typeof props.silent === "number" ? props.silent : null);
  if (
    props.nominal ||
    figure == null ||
    !raw(figure) ||
    (typeof figure === "object" && figure.plus_minus != null)
  )
    return "";
  const half = deserves(props.target, (typeof figure === "object" && figure.basis) || "assumed");
  return half === undefined ? "" : `± ${percent(half)}`;
});
const note = computed(() => noteOf(props.figure));
const { pastOf } = usePast();
const past = computed(() => pastOf(props.at));
/** The test of the bench that it comes from. */
const test = computed(() =>
  typeof props.figure === "object" && props.figure !== null ? (props.figure.test ?? "") : "",
);
const text = ref(shown.value);
const sentence = ref("");
/** What it was changed to elsewhere while something else was typed here. */
const theirs = ref<string>();
const question = ref<{ words: string; instead: number | undefined }>();
const { plan } = useSite();
const { handedOn, keeps, stays } = useRefusedText(() => props.refused, text, shown);
watch(shown, (now, before) => {
  if (sentence.value || keeps()) return;
  if (focused.value && text.value.trim() !== before && text.value.trim() !== now) theirs.value = now;
  else text.value = now;
});
const focused = ref(false);

function show(figure: Figure | null | undefined): string {
  if (figure != null && props.gauge) return gaugeText(raw(figure) ?? 0);
  if (figure == null || unitOf(props.unit) === props.unit)
    return typed(figure, share.value, props.unit === "m");
  const whole = typeof figure === "number" ? { value: figure } : figure;
  const half =
    "plus_minus" in whole && whole.plus_minus != null ? toHabit(whole.plus_minus, props.unit, true) : null;
  const value = Number(toHabit(whole.value, props.unit).toFixed(1));
  return typed(
    { ...whole, value, ...(half === null ? {} : { plus_minus: half }) },
    false,
    props.unit === "m",
  );
}

function left() {
  focused.value = false;
  // What clashes waits for a choice.
  if (theirs.value === undefined) void settle();
}
function takeTheirs() {
  text.value = shown.value;
  theirs.value = undefined;
}

async function settle() {
  if (stays()) return;
  theirs.value = undefined;
  const now = text.value.trim();
  if (now === shown.value) {
    sentence.value = "";
    return;
  }
  if (now === "") {
    handedOn();
    if (props.optional) emit("change", null, false);
    else text.value = shown.value;
    sentence.value = "";
    return;
  }
  try {
    const body = {
      text: now,
      target: props.target,
      running: props.running ?? false,
      volts: props.volts ?? null,
      decimal_comma: habits.decimal === "comma",
      fahrenheit: habits.temperature === "f",
      feet: habits.length === "ft",
      gauge: props.gauge ?? false,
      per_kwh: raw(plan.value?.site.energy_price?.per_kwh) || null,
    };
    const entry = taken(await api.POST("/entry", { body }));
    sentence.value = "";
    question.value = entry.question
      ? { words: entry.question, instead: entry.instead ?? undefined }
      : undefined;
    const read = entry.awg ?? figureOf(entry);
    // Another way of typing the same changes nothing in the plan, and is shown as the rest is.
    text.value = entry.awg != null ? gaugeText(entry.awg) : props.gauge ? typed(read) : show(read);
    handedOn();
    emit("change", read, entry.awg != null);
  } catch (error) {
    sentence.value =
      error instanceof Refused
        ? error.message.replace(/^text /, "")
        : "The server does not answer. What you typed is kept; press Enter to try again.";
  }
}

function assume() {
  if (question.value?.instead === undefined) return;
  emit("change", { value: question.value.instead, note: "two fifths of its label" }, false);
  question.value = undefined;
}
</script>

<template>
  <span class="entry">
    <input
      v-model="text"
      type="text"
      autocomplete="off"
      spellcheck="false"
      :aria-label="name"
      :aria-description="assumed ? `taken to be off by ${assumed}` : undefined"
      :placeholder="placeholder"
      :aria-invalid="sentence || refused ? 'true' : undefined"
      @focus="((focused = true), $emit('focus'))"
      @blur="left"
      @keydown.esc="theirs !== undefined && takeTheirs()"
      @keydown.enter.prevent="settle"
    /><span class="unit" aria-hidden="true"
      >{{ bare ? "" : unitShown
      }}<span v-if="assumed" class="assumed" data-test="assumed"
        >{{ bare ? "" : " " }}{{ assumed }}</span
      ></span
    >
    <span v-if="note && !sentence" class="note">= {{ note }}</span>
    <RouterLink
      v-if="test"
      :to="{ path: '/bench', query: { test } }"
      class="note door"
      :aria-label="`its test, which ${name} comes from`"
      data-test="figure-test"
      >its test</RouterLink
    >
    <PastDoor :at="past" :name="name" class="note past" data-test="figure-past" />
    <span v-if="theirs !== undefined" class="question" role="status" data-test="clash">
      Changed elsewhere to {{ theirs }}; you typed {{ text }}.
      <button type="button" class="assume" @click="settle">keep mine</button>
      <button type="button" class="assume" @click="takeTheirs">take theirs</button>
    </span>
    <span v-if="sentence || refused" class="sentence" role="alert">{{ sentence || refused }}</span>
    <span v-if="question" class="question" role="status">
      {{ question.words }}
      <button v-if="question.instead !== undefined" type="button" class="assume" @click="assume">
        assume it
      </button>
    </span>
  </span>
</template>

<style scoped>
.entry {
  display: grid;
  grid-template-columns: minmax(60px, 1fr) auto;
  align-items: baseline;
  gap: 0 4px;
}
input {
  font: inherit;
  font-weight: 600;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  padding: 2px;
  min-height: 28px;
  width: 100%;
  min-width: 0;
}
input::placeholder {
  color: var(--faint);
  font-weight: 400;
  opacity: 1;
}
input[aria-invalid] {
  color: var(--trips);
  border-color: var(--trips);
}
.unit {
  color: var(--faint);
  white-space: pre;
}
.assumed {
  font-size: var(--size-mark);
}
.note,
.sentence,
.question {
  grid-column: 1 / -1;
  padding: 3px 0;
  font-size: var(--size-small);
  color: var(--trips);
}
.question {
  color: var(--tight);
}
.note {
  color: var(--faint);
  padding: 0;
}
.past {
  justify-self: start;
}
.assume {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 2px 4px;
}
@media (pointer: coarse) {
  input {
    min-height: 40px;
  }
}
</style>
