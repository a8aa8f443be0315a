<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from "vue";
import FilePick from "../../components/FilePick.vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";

/** Copies of everything: taken along, and brought back after a yes. */
const { plan, load, said } = useSite();
const copies = shallowRef<Schemas["Copies"]>();
const chosen = shallowRef<File>();
const busy = ref(false);
const trouble = ref("");
const told = ref("");

async function look() {
  try {
    copies.value = taken(await api.GET("/backups"));
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
  }
}
onMounted(look);

function choose(event: Event) {
  const input = event.target as HTMLInputElement;
  chosen.value = input.files?.[0];
  input.value = "";
  trouble.value = "";
  told.value = "";
}

async function bring() {
  const file = chosen.value;
  if (!file || busy.value) return;
  busy.value = true;
  try {
    const done = taken(
      await api.PUT("/backup", {
        body: file as unknown as string,
        bodySerializer: (it) => it,
        headers: { "content-type": "application/vnd.sqlite3" },
      }),
    );
    told.value = `Back: ${done.sites.join(", ")}. What stood here before is kept as ${done.kept ?? "nothing"}.`;
    said.value = "The copy is back.";
    chosen.value = undefined;
    await load();
    await look();
  } catch (error) {
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. Nothing was changed; try again.";
  } finally {
    busy.value = false;
  }
}
/** Where the copies lie, and which is the latest. */
const lying = computed(() => {
  const latest = copies.value?.copies[0];
  const last = latest ? `; the latest is ${latest.name}, ${megabytes(latest.bytes)}` : "";
  return `They lie in ${copies.value?.folder ?? ""}${last}.`;
});
const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
</script>

<template>
  <div class="copies">
    <p class="files">
      <a href="/api/backup" download data-test="backup"
        >a copy of everything{{ plan ? `: ${plan.site.name} and every other site` : "" }}</a
      >
      <FilePick
        says="bring a copy back …"
        accept=".sqlite"
        aria-label="a copy to bring back"
        data-test="restore"
        @change="choose"
      />
    </p>
    <p v-if="chosen" class="ask" role="alert">
      {{ chosen.name }} takes the place of every site here, with its tests, walks and steps. What stands here
      now is kept as a file.
      <button type="button" :disabled="busy" data-test="restore-yes" @click="bring">
        {{ busy ? "it is checked" : "bring it back" }}
      </button>
      <button type="button" @click="chosen = undefined">leave it</button>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="told" role="status" data-test="restored">{{ told }}</p>
    <p v-if="copies" class="faint label">{{ copies.kept }} {{ lying }}</p>
  </div>
</template>

<style scoped>
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  padding-bottom: 4px;
}
.files a {
  color: var(--primary);
  text-underline-offset: 3px;
}
.ask {
  padding: 6px 0;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  margin-right: 14px;
}
.trouble {
  color: var(--trips);
}
</style>
