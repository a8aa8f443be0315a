<script setup lang="ts">
import { computed, ref } from "vue";
import type { PortFacts, Source } from "../../api/client";
import BeingOn from "../../components/BeingOn.vue";
import FigureEntry from "../../components/FigureEntry.vue";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";
import { duration } from "../../format/figure";
import { fixed, plain, wattHours } from "../../format/number";
import BoardBar from "./BoardBar.vue";
import PortEditor from "./PortEditor.vue";
import UnknownMark from "./UnknownMark.vue";
import { useSupply } from "./useSupply";
import { limitWords } from "./words";

/** An outlet: what it gives, what it bears, and what it costs just to be on. */
const props = defineProps<{ source: Source; facts: PortFacts }>();
const { changeSource } = useSupply();
const { plan } = useSite();
/** Where switching it is worth a word, or done. */
const switching = computed(() => props.facts.being_on.filter((it) => it.worth || it.now.how !== "left_on"));
const wayOf = (id: string) => plan.value?.arrangements.find((it) => it.id === id)?.label ?? id;
const { refusedAt } = useEdits();
const open = ref(false);

const port = computed(() => props.source.ports.find((it) => it.id === props.facts.port));
const cost = computed(() => {
  const share = props.facts.share_of_store;
  if (props.facts.idle_day_wh == null) return "nobody knows";
  if (props.facts.idle_day_wh === 0) return "costs nothing to be on";
  const part = share == null ? "" : `, ${fixed(share * 100, share < 0.1 ? 1 : 0)} % of the store`;
  return `${wattHours(props.facts.idle_day_wh)} Wh a day left on${part}`;
});
/** Bare terminals convert nothing and cost nothing. */
const bare = computed(() => !!port.value && "follows" in port.value.voltage);
const dear = computed(() => (props.facts.share_of_store ?? 0) > 0.1);
const firstOfGroup = computed(
  () => props.source.ports.find((it) => it.group === port.value?.group)?.id === props.facts.port,
);
const off = computed(() => {
  const below = props.facts.auto_off_below_w;
  if (below == null) return undefined;
  const after = props.facts.auto_off_after_s;
  const quits = props.facts.running.some((it) => it.out_w < below);
  const time = after == null ? "" : ` for ${duration(after)}`;
  return { words: `turns itself off below ${plain(below)} W${time}`, quits };
});
const field = computed(() => `ports.${props.facts.port}.idle_w`);
function setIdle(value: unknown) {
  changeSource(props.source.id, field.value, (source) => {
    const found = source.ports.find((it) => it.id === props.facts.port);
    if (!found) return;
    found.loss = { ...(found.loss ?? {}), idle_w: value as never };
    if (value === null) delete found.loss.idle_w;
  });
}
</script>

<template>
  <div class="port" data-test="port">
    <span class="name">
      <button
        type="button"
        class="toggle"
        :aria-expanded="open"
        :aria-label="`${facts.label}, ${open ? 'close' : 'open'} it`"
        @click="open = !open"
      >
        {{ facts.label }}
      </button>
      <span class="faint label">{{ facts.gives }}</span>
      <span v-if="off" class="auto label" :class="{ quits: off.quits }">{{ off.words }}</span>
    </span>
    <span class="limits">
      <template v-for="(limit, index) in facts.limits" :key="index">
        <!-- What ports share is drawn at the first of them. -->
        <span v-if="limit.group && !firstOfGroup" class="faint">and {{ limitWords(limit) }}</span>
        <BoardBar v-else :limit="limit" />
      </template>
      <span v-if="facts.limits.length === 0" class="faint">no limit of its own</span>
    </span>
    <span class="idle">
      <label v-if="!bare">
        <span class="label faint">on, with nothing on it</span>
        <FigureEntry
          v-if="port"
          :figure="port.loss?.idle_w"
          :at="[port.loss, 'idle_w']"
          :name="`${facts.label} costs to be on`"
          target="watts"
          unit="W"
          silent="nobody knows"
          optional
          :refused="refusedAt(`${source.id}.${field}`)"
          @change="setIdle"
        />
      </label>
      <span class="cost" :class="{ dear }">{{ cost }}</span>
    </span>
    <div v-if="switching.length" class="on label">
      <div v-for="it in switching" :key="it.arrangement">
        <span class="faint">in {{ wayOf(it.arrangement) }}:</span>
        <BeingOn :on="it" :name="`${source.label}, ${facts.label}`" />
      </div>
    </div>
    <UnknownMark v-if="facts.unknown.length > 0" class="unknown" :unknown="facts.unknown" />
    <PortEditor v-if="open && port" :source="source" :port="port" />
  </div>
</template>

<style scoped>
.port {
  display: grid;
  grid-template-columns: minmax(120px, 0.8fr) minmax(190px, 1.2fr) minmax(140px, 0.8fr);
  gap: 2px 22px;
  padding: 8px 0;
  border-top: 1px solid var(--line);
  align-items: start;
}
.name,
.limits,
.idle {
  display: grid;
  gap: 2px;
  justify-items: start;
}
.limits {
  gap: 8px;
  justify-items: stretch;
}
.toggle {
  font-weight: 600;
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 2px 0;
}
.auto {
  font-size: var(--size-note);
}
.quits {
  color: var(--trips);
}
.idle label {
  display: grid;
  width: 100%;
}
.idle .label {
  font-size: var(--size-small);
}
.dear {
  color: var(--loss);
  font-weight: 600;
}
.unknown,
.on {
  grid-column: 2 / -1;
}
@media (--narrow) {
  .port {
    grid-template-columns: 1fr;
  }
  .unknown,
  .on {
    grid-column: 1 / -1;
  }
  .toggle {
    padding: 8px 0;
  }
}
</style>
