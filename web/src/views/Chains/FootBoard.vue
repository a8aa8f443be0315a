<script setup lang="ts">
import { computed } from "vue";
import FigureText from "../../components/FigureText.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import StatusMark from "../../components/StatusMark.vue";
import { useSite } from "../../composables/useSite";
import { fixed, hours, volts, wattHours, watts } from "../../format/number";
import { boardWord } from "./boardWords";
import type { Chain } from "./chain";
import MiniStaff from "./MiniStaff.vue";
import { verdictOf } from "./verdict";
import { figureValue, useEdits, withFigure } from "../../composables/useEdits";

/** At the foot of a fall: what arrives, whether it is enough, what it costs. */
const props = defineProps<{ chain: Chain; editable: boolean }>();
defineEmits<{ working: [key: string]; boards: [place: string] }>();

const { plan } = useSite();
const { edit, settle, refusedAt } = useEdits();
const way = computed(() => props.chain.way);
const device = computed(() => plan.value?.kit.devices.find((it) => it.id === props.chain.device.id));
const flow = computed(() => way.value.flow.devices[props.chain.device.id]);
const verdict = computed(() => verdictOf(way.value, props.chain.device.id));
const lowest = computed(() => way.value.devices.find((it) => it.device === props.chain.device.id)?.lowest_v);
const window = computed(() => {
  const input = device.value?.input;
  if (input?.min_v == null || input.max_v == null) return "";
  return `takes ${figureValue(input.min_v)} to ${figureValue(input.max_v)}`;
});
const board = computed(() => way.value.windows.find((it) => it.where === props.chain.device.id));
const room = computed(() => {
  const it = way.value.tightest;
  if (!it) return "–";
  return it.used == null ? "none: it collapses" : `${boardWord(it.code)}, ${fixed(it.used * 100, 0)} % used`;
});
/** What the boxes cost and weigh. */
const price = computed(() => {
  const { price: cost, weight_kg: kilos, converters } = way.value.parts;
  if (converters === 0) return "";
  const said = [
    cost == null ? "" : `${fixed(cost, 0)} ${plan.value?.site.energy_price?.currency ?? ""}`.trim(),
    kilos == null ? "" : `${fixed(kilos, 1)} kg`,
  ];
  return said.filter(Boolean).join(", ");
});
const phases = computed(() =>
  (device.value?.phases ?? []).map((phase, index) => ({
    index,
    when: phase.when,
    watts: figureValue(phase.watts),
  })),
);
const phaseWords = { starting: "start", running: "run", busy: "busy", stopping: "stop" };
const parts = computed(() => {
  const { converters, leads, fuses } = way.value.parts;
  const several = (n: number, word: string, many: string) => `${n} ${n === 1 ? word : many}`;
  const all = [
    converters && several(converters, "box", "boxes"),
    several(leads, "lead", "leads"),
    fuses && several(fuses, "fuse", "fuses"),
  ];
  return all.filter(Boolean).join(", ");
});

function change(index: number, value: number) {
  edit({ kind: "device", id: props.chain.device.id }, `phase${index}`, (body) => {
    const phase = (body as { phases: { watts: unknown }[] }).phases[index];
    if (phase) phase.watts = withFigure(phase.watts, value);
  });
}
</script>

<template>
  <section class="foot" data-test="foot">
    <h3>{{ chain.device.label }}</h3>
    <p class="volts">
      <FigureText
        v-if="flow"
        class="big"
        :text="volts(flow.input_v)"
        unit="V"
        name="voltage at the device"
        @working="$emit('working', `devices.${chain.device.id}.input_v`)"
      />
      <strong v-else class="big">no voltage</strong>
      <span class="faint label">{{ window }}</span>
      <MiniStaff
        v-if="board"
        :window="board"
        :name="`voltage at ${chain.device.label}`"
        @open="$emit('boards', chain.device.id)"
      />
    </p>
    <p v-if="verdict" class="verdict" :data-status="verdict.status">
      <StatusMark :status="verdict.status" /> {{ verdict.sentence }}
    </p>
    <dl class="label">
      <div>
        <dt>a day</dt>
        <dd>
          <FigureText
            :text="wattHours(way.day.drawn_wh)"
            unit="Wh"
            name="drawn in a day"
            @working="$emit('working', 'day.drawn_wh')"
          />
        </dd>
      </div>
      <div>
        <dt>volts at worst</dt>
        <dd>{{ lowest === undefined ? "–" : `${volts(lowest)} V` }}</dd>
      </div>
      <div>
        <dt>to the floor</dt>
        <dd>{{ way.to_floor_h == null ? "–" : `${hours(way.to_floor_h)} h` }}</dd>
      </div>
      <div>
        <dt>only for being on</dt>
        <dd>
          <FigureText
            :text="watts(way.flow.totals.idle_w)"
            unit="W"
            name="only because things are on"
            @working="$emit('working', 'totals.idle_w')"
          />
        </dd>
      </div>
      <div>
        <dt>least room</dt>
        <dd>
          <button
            v-if="way.tightest"
            type="button"
            class="figure"
            :aria-label="`least room: ${room}, show its gauge boards`"
            @click="$emit('boards', way.tightest.where)"
          >
            {{ room }}
          </button>
          <template v-else>–</template>
        </dd>
      </div>
      <div>
        <dt>parts</dt>
        <dd>{{ parts }}</dd>
      </div>
      <div v-if="price">
        <dt>boxes</dt>
        <dd>{{ price }}</dd>
      </div>
      <div v-if="editable" class="edit">
        <dt>draws</dt>
        <dd>
          <span v-for="phase in phases" :key="phase.index" class="phase">
            {{ phaseWords[phase.when] }}
            <InlineNumber
              :value="phase.watts"
              :name="`${phase.when} watts`"
              unit="W"
              :bare="phase.index < phases.length - 1"
              :refused="refusedAt(`phase${phase.index}`)"
              @change="change(phase.index, $event)"
              @settle="settle"
            />
          </span>
        </dd>
      </div>
    </dl>
  </section>
</template>

<style scoped>
.foot {
  align-self: end;
  padding-bottom: 14px;
}
h3 {
  margin: 0;
  font-size: var(--size-word);
  font-weight: 600;
}
.volts {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.big {
  font-size: var(--size-figure);
  font-weight: 700;
  line-height: 1.15;
}
.verdict {
  display: flex;
  gap: 7px;
  align-items: baseline;
  margin-bottom: 4px;
  font-weight: 600;
  line-height: 1.2;
}
dl {
  margin: 0;
  font-size: var(--size-text);
}
dl > div {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 0;
  border-bottom: 1px solid var(--line);
}
dt {
  color: var(--faint);
  white-space: nowrap;
}
dd {
  margin: 0;
  text-align: right;
  font-family: var(--font-text);
  font-weight: 600;
}
.edit dd {
  display: flex;
  flex-wrap: wrap;
  justify-content: flex-end;
}
.edit dd {
  font-weight: 400;
  font-size: var(--size-note);
}
.phase {
  white-space: nowrap;
  margin-left: 7px;
}
</style>
