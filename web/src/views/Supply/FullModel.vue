<script setup lang="ts">
import { computed, ref } from "vue";
import { api, Refused, taken, type Schemas, type Source } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { copyOf } from "../../composables/useKit";
import { useSite } from "../../composables/useSite";
import DifferenceTable from "../../components/DifferenceTable.vue";
import { useSupply } from "./useSupply";

/** How a battery is computed: fully, or as it was; an older one is offered the full way, with what that changes. */
const props = defineProps<{ source: Source }>();
const { changeSource } = useSupply();
const { changes } = useEdits();
const { plan, id: site } = useSite();
const full = computed(() => props.source.battery?.model === "full");
/** The first arrangement that runs from it: there a change shows. */
const way = computed(() =>
  plan.value?.arrangements?.find((it) => it.feeds.some((feed) => feed.from.item === props.source.id)),
);
const difference = ref<Schemas["Difference"]>();
const trouble = ref("");
function fully(): Source {
  const source = copyOf(props.source);
  if (source.battery) source.battery.model = "full";
  return source;
}
async function look() {
  if (!way.value) return;
  trouble.value = "";
  try {
    difference.value = taken(
      await api.POST("/sites/{site}/difference", {
        params: { path: { site: site.value } },
        body: {
          arrangement: way.value.id,
          then: [{ kind: "source", id: props.source.id, body: fully() }],
          soc: {},
          changes: changes.value,
        },
      }),
    );
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
function set(model: "full" | undefined) {
  difference.value = undefined;
  changeSource(props.source.id, "battery.model", (it) => {
    if (!it.battery) return;
    if (model) it.battery.model = model;
    else Reflect.deleteProperty(it.battery, "model");
  });
}
</script>

<template>
  <div class="model" data-test="battery-model">
    <p v-if="full">
      Computed fully: its resistance by cold and charge, what it takes while it is charged, what it loses by
      itself.
      <button type="button" class="label" @click="set(undefined)">compute it plainly</button>
    </p>
    <template v-else>
      <p>
        Computed plainly: as it is stated, whatever the weather. Fully, its resistance goes with cold and
        charge, it takes no more charge than its chemistry does, and it loses some by itself.
        <button v-if="way" type="button" class="label" data-test="model-look" @click="look">
          what would it change?
        </button>
        <button type="button" class="label" data-test="model-full" @click="set('full')">
          compute it fully
        </button>
      </p>
      <p v-if="trouble" data-status="trips" role="alert">{{ trouble }}</p>
      <DifferenceTable v-if="difference" :difference="difference" />
    </template>
  </div>
</template>

<style scoped>
.model p {
  font-size: var(--size-note);
  max-width: 60ch;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 4px 0;
  margin-right: 12px;
}
</style>
