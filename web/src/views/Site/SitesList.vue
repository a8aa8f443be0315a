<script setup lang="ts">
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { useSite } from "../../composables/useSite";
import { useSites } from "../../composables/useSites";

/** Every site: opened, made, copied, removed, brought back. */
const { id, none } = useSite();
const { sites, removed, open, create, copy, remove, restore } = useSites();
const router = useRouter();
const name = ref("");

const input = ref<HTMLInputElement>();
onMounted(() => none.value && input.value?.focus());

async function make() {
  const called = name.value.trim();
  if (!called) return;
  name.value = "";
  const first = none.value;
  await create(called);
  if (first && !none.value) void router.push({ name: "needs" });
}
</script>

<template>
  <div class="sites">
    <p v-if="none" class="empty">
      There is no site yet. Give the first one a name, and begin: a cabin, a boat, a flat.
    </p>
    <ul>
      <li v-for="site in sites" :key="site.id" :class="{ open: site.id === id }" data-test="a-site">
        <span class="name"
          ><strong>{{ site.name.trim() || "without a name" }}</strong
          ><span v-if="site.id === id" class="faint label">open</span></span
        >
        <span class="label actions">
          <button
            v-if="site.id !== id"
            type="button"
            :aria-label="`open ${site.name}`"
            @click="open(site.id)"
          >
            open
          </button>
          <button
            type="button"
            :aria-label="`copy ${site.name}`"
            @click="copy(site.id, `${site.name}, another`)"
          >
            copy
          </button>
          <button type="button" class="remove" :aria-label="`remove ${site.name}`" @click="remove(site.id)">
            remove
          </button>
        </span>
      </li>
      <li v-for="site in removed" :key="site.id" class="gone" data-test="removed-site">
        <span class="name"
          >{{ site.name.trim() || "without a name" }} <span class="label">removed</span></span
        >
        <button
          type="button"
          class="label back"
          :aria-label="`bring it back: ${site.name}`"
          @click="restore(site.id)"
        >
          bring it back
        </button>
      </li>
    </ul>
    <form class="new" @submit.prevent="make">
      <input
        ref="input"
        v-model="name"
        type="text"
        autocomplete="off"
        aria-label="name of a new site"
        placeholder="name of a new site"
      />
      <button type="submit" class="label">make it</button>
    </form>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 14px;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.name {
  display: flex;
  gap: 8px;
  align-items: baseline;
  min-width: 0;
  overflow-wrap: anywhere;
}
li strong {
  font-weight: 500;
}
.open strong {
  font-weight: 600;
}
.gone {
  color: var(--faint);
}
.actions {
  display: flex;
  gap: 16px;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 8px 0;
  white-space: nowrap;
}
.remove {
  color: var(--trips);
}
.new {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding-top: 6px;
}
input {
  font: inherit;
  color: var(--primary);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--primary);
  border-radius: 0;
  padding: 4px 2px;
  flex: 1;
  min-width: 0;
}
input::placeholder {
  color: var(--faint);
  opacity: 1;
}
.empty {
  padding-bottom: 6px;
}
</style>
