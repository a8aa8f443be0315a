<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Figure } from "../../api/client";
import TextEntry from "../../components/TextEntry.vue";
import { useSite } from "../../composables/useSite";
import FitOptions from "./FitOptions.vue";
import StagesList from "./StagesList.vue";
import WiringTable from "./WiringTable.vue";
import { useWays } from "./useWays";

/** Building a way out of what fits: pick what is to be fed, then one of the ways to feed it. */
const props = defineProps<{
  way: string;
  soc: Record<string, number>;
  /** What the contacts of a lead would have, by each feed without one. */
  contacts?: Record<string, Figure> | undefined;
}>();
defineEmits<{ close: [] }>();
const { plan } = useSite();
const { find, add, remove, rename } = useWays();
const own = computed(() => find(props.way));
const to = ref<string>();
const from = ref<{ item: string; port: string }>();
/** The feed at which a stage is put in, replaced or taken out. */
const changing = ref<string>();

const fed = computed(() => new Set(own.value?.feeds.map((it) => it.to) ?? []));
const waiting = computed(() => (plan.value?.kit.devices ?? []).filter((it) => !fed.value.has(it.id)));
/** Ports that give something here: those of sources, and those of converters that are fed. */
const ports = computed(() => {
  const kit = plan.value?.kit;
  if (!kit) return [];
  const of = (item: string, label: string, list: { id: string; label?: string | null }[]) =>
    list.map((it) => ({ item, port: it.id, label: `${label}, ${it.label ?? it.id}` }));
  return [
    ...kit.sources.flatMap((it) => of(it.id, it.label, it.ports)),
    ...kit.converters.filter((it) => fed.value.has(it.id)).flatMap((it) => of(it.id, it.label, it.outputs)),
  ];
});
function feed(device: string) {
  from.value = undefined;
  changing.value = undefined;
  to.value = to.value === device ? undefined : device;
}
function follow(port: { item: string; port: string }) {
  to.value = undefined;
  changing.value = undefined;
  const same = from.value?.item === port.item && from.value.port === port.port;
  from.value = same ? undefined : { item: port.item, port: port.port };
}
function done() {
  to.value = undefined;
  from.value = undefined;
  changing.value = undefined;
}
const label = (id: string) => {
  const kit = plan.value?.kit;
  const [item = id] = id.split("/");
  return (
    [...(kit?.devices ?? []), ...(kit?.converters ?? []), ...(kit?.sources ?? [])].find(
      (it) => it.id === item,
    )?.label ?? id
  );
};
watch(() => props.way, done);
</script>

<template>
  <section v-if="own" class="build" :aria-label="`Build ${own.label}`" data-test="build">
    <p class="top">
      <label class="name"
        ><span class="label faint">arrangement</span>
        <TextEntry
          :value="own.label"
          name="name of the arrangement"
          required
          @change="(v) => rename(own!.id, v)"
      /></label>
      <span class="label actions">
        <RouterLink :to="`/wiring/${own.id}`" data-test="wiring">wiring sheet</RouterLink>
        <button type="button" data-test="duplicate" @click="add(`${own.label}, another`, own)">
          duplicate it
        </button>
        <button type="button" class="remove" @click="remove(own.id)">remove it</button>
        <button type="button" @click="$emit('close')">close</button>
      </span>
    </p>
    <div class="lists">
      <div>
        <h3>Not fed yet</h3>
        <p v-if="waiting.length === 0" class="faint">Every device is fed.</p>
        <ul>
          <li v-for="it in waiting" :key="it.id">
            <button type="button" :aria-pressed="to === it.id" data-test="waiting" @click="feed(it.id)">
              {{ it.label }}
            </button>
          </li>
        </ul>
        <h3>Or go on from</h3>
        <ul>
          <li v-for="it in ports" :key="it.item + it.port">
            <button
              type="button"
              :aria-pressed="from?.item === it.item && from.port === it.port"
              data-test="port-of"
              @click="follow(it)"
            >
              {{ it.label }}
            </button>
          </li>
        </ul>
      </div>
      <FitOptions v-if="to || from" :way="own.id" :to="to" :from="from" @done="done" />
      <StagesList
        v-else-if="changing"
        :way="own.id"
        :to="changing"
        :name="label(changing)"
        :soc="soc"
        @done="done"
      />
      <WiringTable v-else :way="own" :contacts="contacts" @change="changing = $event" />
    </div>
  </section>
</template>

<style scoped>
.build {
  border-top: 2px solid var(--line);
  padding: 8px 0;
}
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 4px 24px;
  align-items: end;
}
.name {
  display: grid;
  min-width: 240px;
}
.name .label {
  font-size: var(--size-small);
}
.actions {
  display: flex;
  gap: 20px;
}
h3 {
  margin: 8px 0 2px;
  font-size: var(--size-text);
  font-weight: 600;
}
.lists {
  display: grid;
  grid-template-columns: 230px minmax(0, 1fr);
  gap: 8px 32px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
a,
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
}
button[aria-pressed="true"] {
  font-weight: 600;
  text-decoration-thickness: 2px;
}
.remove {
  color: var(--trips);
}
@media (--narrow) {
  .lists {
    grid-template-columns: minmax(0, 1fr);
  }
  button {
    padding: 8px 0;
  }
}
</style>
