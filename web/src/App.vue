<script setup lang="ts">
import { NConfigProvider } from "naive-ui";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import ConflictBar from "./components/ConflictBar.vue";
import PastDrawer from "./components/PastDrawer.vue";
import SignIn from "./components/SignIn.vue";
import TopStrip from "./components/TopStrip.vue";
import { writeAddress } from "./composables/useAddress";
import { useKeys } from "./composables/useKeys";
import { useSession } from "./composables/useSession";
import { useSite } from "./composables/useSite";
import { useSteps } from "./composables/useSteps";
import { useTheme } from "./composables/useTheme";
import { views } from "./router";

const { overrides } = useTheme();
const { id, load, listen, plan, trouble, said, none } = useSite();
const { undo, redo } = useSteps();
const router = useRouter();
const route = useRoute();

const digits = Object.fromEntries(
  views.map((view, index) => [String(index + 1), () => void router.push({ name: view.name })]),
);
// Without a site there is nothing to see but how to make one.
router.beforeEach((to) => (none.value && to.name !== "site" ? { name: "site" } : true));
useKeys({
  ...digits,
  "0": () => void router.push({ name: "site" }),
  "ctrl+z": () => void undo(),
  "ctrl+shift+z": () => void redo(),
  "ctrl+y": () => void redo(),
});
const { now, look } = useSession();
/** Whether the passphrase comes first. */
const outside = computed(() => now.value?.guarded === true && !now.value.role);
/** What a link asked for that is not here. */
const unknown = ref("");
const named = () => new URLSearchParams(location.search).get("site") ?? undefined;
async function begin() {
  const wanted = named();
  await load(wanted);
  if (wanted && id.value && id.value !== wanted)
    unknown.value = `There is no site “${wanted}” here; this is ${plan.value?.site.name ?? id.value}.`;
  if (none.value) void router.push({ name: "site" });
  stop?.();
  stop = listen();
}
onMounted(async () => {
  await look();
  if (!outside.value) await begin();
});
onBeforeUnmount(() => stop?.());
let stop: (() => void) | undefined;
// Every address names its site; who goes back to one of another site is shown that.
watch(id, () => writeAddress({ site: id.value || undefined }));
watch(
  () => route.fullPath,
  () => {
    if (!id.value) return;
    unknown.value = "";
    const wanted = named();
    if (wanted && wanted !== id.value) void load(wanted);
    else writeAddress({ site: id.value });
  },
);
</script>

<template>
  <NConfigProvider :theme-overrides="overrides" inline-theme-disabled preflight-style-disabled class="page">
    <SignIn v-if="outside" @in="begin" />
    <template v-else>
      <TopStrip />
      <p v-if="trouble || unknown" class="trouble" role="alert">{{ trouble || unknown }}</p>
      <ConflictBar />
      <PastDrawer />
      <RouterView />
    </template>
    <p class="said" role="status">{{ said }}</p>
  </NConfigProvider>
</template>

<style scoped>
.page {
  min-height: 100%;
  display: flex;
  flex-direction: column;
}
.trouble {
  padding: 6px 24px;
  border-bottom: 1px solid var(--trips);
  color: var(--trips);
}
.said {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
