<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { useSite } from "../composables/useSite";
import { useTheme } from "../composables/useTheme";
import { useDue } from "../composables/useDue";
import { views } from "../router";

const route = useRoute();
const { plan, line } = useSite();
const { theme, toggle } = useTheme();
const nav = ref<HTMLElement>();
const { due, lookOnce } = useDue();
lookOnce();
// On a phone the views are one row: the one that is open is brought into it.
watch(
  [() => route.name, () => due.value?.overdue],
  () =>
    void nextTick(() => {
      const open = nav.value?.querySelector<HTMLElement>('[aria-current="page"]');
      if (nav.value && open)
        nav.value.scrollLeft = open.offsetLeft - nav.value.clientWidth / 2 + open.clientWidth / 2;
    }),
);
const other = computed(() => (theme.value === "day" ? "blackout" : "daylight"));
</script>

<template>
  <header class="strip">
    <RouterLink
      to="/site"
      class="site"
      :aria-current="route.name === 'site' ? 'page' : undefined"
      data-test="site"
      >{{ plan?.site.name ?? "Ash Pond" }}</RouterLink
    >
    <nav ref="nav" aria-label="Views">
      <RouterLink
        v-for="(view, index) in views"
        :key="view.name"
        :to="{ name: view.name }"
        class="view label"
        :aria-current="route.name === view.name ? 'page' : undefined"
      >
        <span class="digit">{{ index + 1 }}</span>{{ view.title
        }}<span
          v-if="view.name === 'log' && due && due.overdue > 0"
          class="overdue"
          :title="due.sentence"
          data-test="overdue"
          ><span aria-hidden="true"> · {{ due.overdue }}</span
          ><span class="unseen">, {{ due.overdue }} overdue</span></span
        >
        <svg
          v-if="route.name === view.name"
          class="wave"
          viewBox="0 0 64 8"
          preserveAspectRatio="none"
          aria-hidden="true"
        >
          <path d="M0 4 Q8 -2 16 4 T32 4 T48 4 T64 4" />
        </svg>
      </RouterLink>
    </nav>
    <span class="line" data-test="line">{{ line }}</span>
    <button type="button" class="theme label" data-test="theme" @click="toggle">{{ other }}</button>
  </header>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 4px 28px;
  min-height: 44px;
  padding: 0 24px;
  border-bottom: 1px solid var(--line);
}
.site {
  font-size: var(--size-line);
  font-weight: 600;
  color: var(--ink);
  text-decoration: underline;
  text-decoration-color: var(--line);
  text-underline-offset: 4px;
  padding: 8px 0;
  flex: none;
  max-width: 12em;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.site[aria-current] {
  text-decoration-color: var(--primary);
}
nav {
  display: flex;
  flex: none;
  gap: 0 6px;
}
.overdue {
  color: var(--trips);
}
.unseen {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
.view {
  position: relative;
  flex: none;
  padding: 12px 9px;
  color: var(--faint);
  font-size: var(--size-word);
  font-weight: 500;
  text-decoration: none;
}
.view[aria-current] {
  color: var(--ink);
  font-weight: 600;
}
.digit {
  margin-right: 6px;
  font-size: var(--size-mark);
  color: var(--faint);
}
.wave {
  position: absolute;
  left: 6px;
  right: 6px;
  bottom: -4px;
  width: calc(100% - 12px);
  height: 8px;
}
.wave path {
  fill: none;
  stroke: var(--primary);
  stroke-width: 2;
}
.line {
  flex: 1;
  min-width: 0;
  margin-left: auto;
  text-align: right;
  line-height: 1.2;
}
.theme {
  padding: 10px 0;
  color: var(--faint);
  text-decoration: underline;
  text-underline-offset: 3px;
}
@media (--narrow) {
  .strip {
    flex-wrap: wrap;
    padding: 8px 16px 4px;
  }
  .theme {
    order: 1;
    margin-left: auto;
  }
  nav {
    order: 2;
    flex: 1 0 100%;
    min-width: 0;
    overflow-x: auto;
    padding-bottom: 5px;
    scrollbar-width: none;
    margin: 0 -9px;
  }
  .line {
    order: 3;
    flex: 1 0 100%;
    text-align: left;
    padding-bottom: 6px;
  }
}
</style>
