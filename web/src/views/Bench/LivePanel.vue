<script setup lang="ts">
import { computed } from "vue";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useSite } from "../../composables/useSite";
import { exact, fixed, read } from "../../format/number";
import { belonging } from "./rows";
import { useLive, type LiveMeter } from "./useLive";

/** What the meters show now; and what a stand-in is set to, as there is no bench to set it on. */
const { plan } = useSite();
const { meters, trouble, set } = useLive();
const props = defineProps<{ columns: { name: string; unit: string; digits: number }[] }>();
defineEmits<{ read: [] }>();
/** Those that can fill a column of this test, and those that went away. */
const all = computed(() => {
  const values = meters.value.flatMap((it) => it.values);
  const used = new Set(props.columns.map((it) => belonging(it, values)).filter((it) => it !== undefined));
  return meters.value.filter((it) => it.trouble || it.values.some((value) => used.has(value)));
});
const show = (value: LiveMeter["values"][number]) =>
  value.value == null
    ? "beyond its range"
    : `${value.unit === "h" ? fixed(value.value, 2) : exact(value.value, true)} ${value.unit}`;
type Setting = LiveMeter["settings"][number];
/** What a setting can be, in words: ids of converters, and places of arrangements, by what they are called here. */
function choices(setting: Setting): [string, string][] {
  if (setting.key === "arrangement")
    return (plan.value?.arrangements ?? []).map((it, index): [string, string] => [String(index), it.label]);
  const named = (id: string) => plan.value?.kit.converters.find((it) => it.id === id)?.label ?? id;
  return setting.choices.map((it): [string, string] => [it, named(it)]);
}
</script>

<template>
  <section v-if="all.length" class="live" aria-label="Meters that answer by themselves" data-test="live">
    <div v-for="it in all" :key="it.id" class="meter">
      <h4>{{ it.label }}</h4>
      <p v-if="it.trouble" data-status="trips" role="status" data-test="meter-gone">
        {{ it.trouble }}. What was read stays in the rows.
      </p>
      <dl v-else>
        <div v-for="value in it.values" :key="value.name">
          <dt class="label faint">{{ value.name }}</dt>
          <dd>
            {{ show(value) }}
          </dd>
        </div>
      </dl>
      <p v-if="it.settings.length" class="settings label">
        <span class="faint">stand-in:</span>
        <template v-for="setting in it.settings" :key="setting.key">
          <label v-if="choices(setting).length" class="choice">
            {{ setting.label }}
            <ChoiceEntry
              :value="setting.value"
              :name="`${it.label}: ${setting.label}`"
              :choices="choices(setting)"
              @change="(v) => set(it.id, setting.key, v)"
            />
          </label>
          <label v-else>
            {{ setting.label }}
            <InlineNumber
              :value="read(setting.value) ?? 0"
              :name="`${it.label}: ${setting.label}`"
              :unit="setting.unit"
              @settle="() => {}"
              @change="(v) => set(it.id, setting.key, String(v))"
            />
          </label>
        </template>
      </p>
    </div>
    <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
    <button type="button" class="door take" data-test="read-meters" @click="$emit('read')">
      read the meters <kbd>m</kbd>
    </button>
  </section>
</template>

<style scoped>
.live {
  border-left: 3px solid var(--surface);
  padding: 2px 0 2px 14px;
  margin: 4px 0 10px;
}
h4 {
  font-size: var(--size-text);
  font-weight: 600;
  margin: 4px 0 0;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  margin: 0;
}
dd {
  margin: 0;
  font-size: var(--size-head);
  font-weight: 600;
  min-width: 76px;
}
.settings {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: baseline;
}
.choice {
  white-space: nowrap;
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  max-width: 260px;
}
.take {
  font-size: var(--size-line);
  font-weight: 600;
  min-height: 40px;
}
</style>
