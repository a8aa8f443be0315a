<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import ChoiceEntry from "../../components/ChoiceEntry.vue";
import InlineNumber from "../../components/InlineNumber.vue";
import { useSite } from "../../composables/useSite";

/** A rule put together: drop below a charge, hold while another starts, or let starts be apart. */
const props = defineProps<{ stores: string[] }>();
const emit = defineEmits<{ add: [rule: Schemas["Rule"]] }>();
const { plan } = useSite();
const devices = computed(() => plan.value?.kit.devices ?? []);
const label = (id: string) => plan.value?.kit.sources.find((it) => it.id === id)?.label ?? id;
const newRule = ref<"shed" | "hold" | "stagger" | "restore">("shed");
const newDevice = ref("");
const newSource = ref("");
const newOther = ref("");
const newShare = ref(40);
function addRule() {
  const device = newDevice.value || devices.value.at(-1)?.id || "";
  const source = newSource.value || props.stores[0] || "";
  const other = newOther.value || devices.value[0]?.id || "";
  const made: Schemas["Rule"] =
    newRule.value === "shed"
      ? { kind: "shed", device, source, below_soc: newShare.value / 100 }
      : newRule.value === "hold"
        ? { kind: "hold", device, while_starting: other }
        : newRule.value === "restore"
          ? { kind: "restore", source, above_soc: newShare.value / 100 }
          : { kind: "stagger", seconds: newShare.value };
  emit("add", made);
}
</script>

<template>
  <p class="new">
    <ChoiceEntry
      class="small"
      :value="newRule"
      name="kind of rule"
      :choices="[
        ['shed', 'drop'],
        ['hold', 'hold'],
        ['stagger', 'stagger starts'],
        ['restore', 'back on'],
      ]"
      @change="(to) => (newRule = to as typeof newRule)"
    />
    <ChoiceEntry
      v-if="newRule === 'shed' || newRule === 'hold'"
      class="small"
      :value="newDevice || (devices.at(-1)?.id ?? '')"
      name="device"
      :choices="devices.map((it) => [it.id, it.label])"
      @change="newDevice = $event"
    />
    <template v-if="newRule === 'shed'">
      below <InlineNumber :value="newShare" name="charge" unit="%" @change="newShare = $event" /> of
      <ChoiceEntry
        class="small"
        :value="newSource || (stores[0] ?? '')"
        name="store"
        :choices="stores.map((it) => [it, label(it)])"
        @change="newSource = $event"
      />
    </template>
    <template v-else-if="newRule === 'restore'">
      above <InlineNumber :value="newShare" name="charge" unit="%" @change="newShare = $event" /> of
      <ChoiceEntry
        class="small"
        :value="newSource || (stores[0] ?? '')"
        name="store"
        :choices="stores.map((it) => [it, label(it)])"
        @change="newSource = $event"
      />
    </template>
    <template v-else-if="newRule === 'hold'">
      while
      <ChoiceEntry
        class="small"
        :value="newOther || (devices[0]?.id ?? '')"
        name="device that starts"
        :choices="devices.map((it) => [it.id, it.label])"
        @change="newOther = $event"
      />
      starts
    </template>
    <template v-else>
      by <InlineNumber :value="newShare" name="seconds" unit="s" @change="newShare = $event" />
    </template>
    <button type="button" class="door" data-test="add-rule" @click="addRule">+ this rule</button>
  </p>
</template>

<style scoped>
.small {
  display: inline-block;
  width: auto;
  max-width: 170px;
}
.door {
  margin-left: 6px;
}
</style>
