<script setup lang="ts">
import { computed } from "vue";
import type { PortFacts, Source } from "../../api/client";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { fixed, wattHours } from "../../format/number";
import { limitWords } from "./words";
import { useSupply } from "./useSupply";

/** An outlet: what it gives, what it bears, and what it costs just to be on. */
const props = defineProps<{ source: Source; facts: PortFacts }>();
const { changeSource } = useSupply();
const { refusedAt } = useEdits();

const port = computed(() => props.source.ports.find((it) => it.id === props.facts.port));
const cost = computed(() => {
  const share = props.facts.share_of_store;
  if (props.facts.idle_day_wh == null) return "not known";
  if (props.facts.idle_day_wh === 0) return "costs nothing to be on";
  const part = share == null ? "" : `, ${fixed(share * 100, share < 0.1 ? 1 : 0)} % of the store`;
  return `${wattHours(props.facts.idle_day_wh)} Wh a day${part}`;
});
/** Bare terminals convert nothing and cost nothing. */
const bare = computed(() => !!port.value && "follows" in port.value.voltage);
const dear = computed(() => (props.facts.share_of_store ?? 0) > 0.1);
const field = (name: string) => `ports.${props.facts.port}.${name}`;
const set = (name: string, how: (port: Source["ports"][number]) => void) =>
  changeSource(props.source.id, field(name), (source) => {
    const found = source.ports.find((it) => it.id === props.facts.port);
    if (found) how(found);
  });
const refused = (name: string) => refusedAt(`${props.source.id}.${field(name)}`);
</script>

<template>
  <div class="port" data-test="port">
    <span class="name"
      ><strong>{{ facts.label }}</strong
      ><span class="faint label">{{ facts.gives }}</span></span
    >
    <span class="limits">
      <span v-for="(limit, index) in facts.limits" :key="index">{{ limitWords(limit) }}</span>
      <span v-if="facts.limits.length === 0" class="faint">no limit of its own</span>
      <span v-if="facts.auto_off_below_w != null" class="auto label"
        >turns itself off below {{ facts.auto_off_below_w }} W</span
      >
    </span>
    <label v-if="!bare" class="idle"
      ><span class="label faint">on, with nothing on it</span>
      <FigureEntry
        v-if="port"
        :figure="port.loss?.idle_w"
        :name="`${facts.label} costs to be on`"
        target="watts"
        unit="W"
        optional
        :refused="refused('idle_w')"
        @change="
          (v) =>
            set('idle_w', (it) => {
              it.loss = { ...(it.loss ?? {}), idle_w: v };
              if (v === null) delete it.loss.idle_w;
            })
        "
    /></label>
    <span v-if="bare" />
    <span class="cost" :class="{ dear }">{{ cost }}</span>
    <p v-if="facts.unknown.length > 0" class="unknown label">
      <span class="mark" aria-hidden="true" /> not known: {{ facts.unknown.join(", ") }} ·
      <RouterLink to="/bench">measure it</RouterLink>
    </p>
  </div>
</template>

<style scoped>
.port {
  display: grid;
  grid-template-columns: minmax(120px, 1fr) minmax(150px, 1.2fr) 130px minmax(130px, 1fr);
  gap: 2px 18px;
  padding: 7px 0;
  border-top: 1px solid var(--line);
  align-items: start;
}
.name,
.limits {
  display: grid;
}
.name strong {
  font-weight: 600;
}
.auto {
  color: var(--tight);
  font-size: 14px;
}
.idle {
  display: grid;
}
.idle .label {
  font-size: 13px;
}
.dear {
  color: var(--loss);
  font-weight: 600;
}
.unknown {
  grid-column: 2 / -1;
  color: var(--unproven);
  font-size: 14px;
}
.unknown a {
  color: var(--primary);
}
.mark {
  display: inline-block;
  width: 9px;
  height: 9px;
  border: 1.5px dashed var(--unproven);
}
@media (max-width: 980px) {
  .port {
    grid-template-columns: 1fr 1fr;
  }
  .unknown {
    grid-column: 1 / -1;
  }
}
</style>
