<script setup lang="ts">
import { useLine } from "../../composables/useLine";
import { useSession } from "../../composables/useSession";
import { useSite } from "../../composables/useSite";
import BackupBox from "./BackupBox.vue";
import HabitChoices from "./HabitChoices.vue";
import ImportBox from "./ImportBox.vue";
import JournalList from "./JournalList.vue";
import ReadingsBox from "./ReadingsBox.vue";
import SessionsBox from "./SessionsBox.vue";
import SiteFacts from "./SiteFacts.vue";
import SitesList from "./SitesList.vue";

const { id, plan, none } = useSite();
const FILES = [
  ["plan.json", "the plan"],
  ["devices.csv", "devices"],
  ["sources.csv", "sources"],
  ["converters.csv", "converters"],
];
const { now } = useSession();
useLine();
</script>

<template>
  <main class="site-view">
    <div v-if="none" class="first-site">
      <h1>What is the place called?</h1>
      <SitesList />
    </div>
    <div class="columns">
      <div>
        <template v-if="plan">
          <h1>{{ plan.site.name }}</h1>
          <SiteFacts />
        </template>
        <h2>Units and habits <span class="faint label">on this machine</span></h2>
        <HabitChoices />
        <template v-if="plan">
          <h2>Out</h2>
          <p class="files">
            <a
              v-for="[file, words] in FILES"
              :key="file"
              :href="`/api/sites/${id}/export/${file}`"
              download
              >{{ words }}</a
            >
            <a :href="`/api/sites/${id}/archive`" download data-test="archive"
              >the site with its tests, files, walks and readings</a
            >
          </p>
          <h2>In</h2>
          <ImportBox />
        </template>
        <h2>Copies</h2>
        <BackupBox />
        <h2>Meters and their readings <span class="faint label">on this machine</span></h2>
        <ReadingsBox />
      </div>
      <div>
        <template v-if="!none">
          <h2 class="first">Sites</h2>
          <SitesList />
        </template>
        <template v-if="now?.guarded">
          <h2>From other machines</h2>
          <SessionsBox />
        </template>
        <template v-if="plan">
          <h2>What was done</h2>
          <JournalList />
        </template>
      </div>
    </div>
    <p v-if="plan" class="next"><RouterLink to="/needs">Next: what must stay on</RouterLink></p>
  </main>
</template>

<style scoped>
.site-view {
  padding: 16px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  padding-bottom: 8px;
}
h2 {
  font-size: var(--size-word);
  font-weight: 600;
  padding: 20px 0 6px;
  margin-bottom: 6px;
  border-bottom: 2px solid var(--line);
}
.first {
  padding-top: 4px;
}
.first-site {
  max-width: 520px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.6fr) minmax(300px, 1fr);
  gap: 0 48px;
}
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 24px;
}
.files a,
.next a {
  color: var(--primary);
  text-underline-offset: 3px;
  padding: 6px 0;
}
.next {
  padding-top: 16px;
}
@media (--desk) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .site-view {
    padding: 12px 16px 20px;
  }
}
</style>
