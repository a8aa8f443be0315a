<script setup lang="ts">
import { onMounted } from "vue";
import { useSession } from "../../composables/useSession";
import { moment as timeOf } from "../../format/units";

/** Who is in from other machines, for the owner to end. */
const { now, sessions, endAfter, trouble, list, end, signOut } = useSession();
onMounted(() => {
  if (now.value?.role === "owner") void list();
});
</script>

<template>
  <div>
    <p v-if="now?.role === 'guest'">You are a guest: you look and ask, and change nothing.</p>
    <ul v-if="sessions.length">
      <li v-for="it in sessions" :key="it.id">
        <span
          >{{ it.role }} from {{ it.from }}, since {{ timeOf(it.begun)
          }}<span v-if="it.yours" class="faint"> (this one)</span></span
        >
        <button
          v-if="!it.yours"
          type="button"
          class="label"
          :aria-label="`end the session from ${it.from}`"
          @click="end(it.id)"
        >
          end
        </button>
      </li>
    </ul>
    <p class="faint label">Each ends after {{ endAfter }} hours, and when the server stops.</p>
    <p><button type="button" class="label" data-test="sign-out" @click="signOut">leave</button></p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 3px 0;
}
button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.trouble {
  color: var(--trips);
}
</style>
