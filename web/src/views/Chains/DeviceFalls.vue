<script setup lang="ts">
import FallPicture from "./FallPicture.vue";
import FootBoard from "./FootBoard.vue";
import type { Fall } from "./layout";
import LeadEditor from "./LeadEditor.vue";

/** The ways of one device, each a fall of its own, on one scale. */
defineProps<{ falls: Fall[]; compact: boolean; names: Record<string, string>; at: number }>();
defineEmits<{
  working: [index: number, key: string];
  choose: [index: number];
  boards: [way: string, place: string];
}>();
const letters = ["A", "B", "C", "D"];
</script>

<template>
  <div class="falls" :class="{ compact }">
    <section
      v-for="(fall, index) in falls"
      :key="fall.chain.way.id"
      class="way"
      :aria-label="fall.chain.way.label"
    >
      <div class="picture">
        <h2>
          <button type="button" :aria-pressed="at === index" @click="$emit('choose', index)">
            <span class="letter">{{ letters[index] }}</span> {{ fall.chain.way.label }}
          </button>
        </h2>
        <FallPicture
          :fall="fall"
          :compact="compact"
          :letter="letters[index] ?? ''"
          @working="$emit('working', index, $event)"
          @boards="$emit('boards', fall.chain.way.id, $event)"
        />
      </div>
      <div v-if="compact" class="leads">
        <div
          v-for="place in fall.reaches.filter((it) => it.reach.feed.cable)"
          :key="place.reach.to"
          class="lead-row label"
        >
          <span class="faint">lead to {{ names[place.reach.to] ?? place.reach.to.replace(/-/g, " ") }}</span>
          <LeadEditor
            :way="fall.chain.way.id"
            :reach="place.reach"
            @working="$emit('working', index, $event)"
          />
        </div>
      </div>
      <FootBoard
        :chain="fall.chain"
        :editable="index === 0"
        @working="$emit('working', index, $event)"
        @boards="$emit('boards', fall.chain.way.id, $event)"
      />
    </section>
  </div>
</template>

<style scoped>
.falls {
  flex: 1;
  min-height: 0;
}
.way {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 244px;
  gap: 16px;
}
.way + .way {
  border-top: 1px solid var(--line);
}
.picture {
  position: relative;
}
h2 {
  position: absolute;
  z-index: 2;
  top: 6px;
  left: 0;
  font-size: var(--size-head);
  font-weight: 600;
}
h2 button[aria-pressed="true"] {
  text-decoration: underline;
  text-decoration-color: var(--primary);
  text-underline-offset: 5px;
}
.letter {
  font-weight: 300;
  font-size: var(--size-answer);
  color: var(--primary);
  margin-right: 8px;
  vertical-align: -2px;
}
.compact .way {
  display: block;
  padding-bottom: 12px;
}
.lead-row {
  display: flex;
  justify-content: space-between;
  padding: 5px 0;
  border-bottom: 1px solid var(--line);
}
@media (--narrow) {
  .picture h2 {
    position: static;
    padding-top: 8px;
  }
}
</style>
