<script setup lang="ts">
import { onMounted, ref } from "vue";
import { useSession } from "../composables/useSession";

/** The way in from another machine. */
const emit = defineEmits<{ in: [] }>();
const { now, trouble, signIn } = useSession();
const passphrase = ref("");
const busy = ref(false);
const input = ref<HTMLInputElement>();
onMounted(() => input.value?.focus());

async function go() {
  if (!passphrase.value || busy.value) return;
  busy.value = true;
  const done = await signIn(passphrase.value);
  busy.value = false;
  passphrase.value = "";
  if (done) emit("in");
  else input.value?.focus();
}
</script>

<template>
  <main class="way-in">
    <h1>Ash Pond <span class="faint label">passphrase</span></h1>
    <form @submit.prevent="go">
      <input
        ref="input"
        v-model="passphrase"
        type="password"
        aria-label="passphrase"
        autocomplete="current-password"
        data-test="passphrase"
      />
      <button type="submit" :disabled="busy" data-test="sign-in">{{ busy ? "a moment" : "go in" }}</button>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p class="faint">
      It was set with <code>ash-pond passphrase</code> on the machine that runs this. Guests have one of their
      own, and look without changing anything.
    </p>
    <template v-if="now?.fingerprint">
      <h2>Is it the right machine?</h2>
      <p class="faint">
        The browser shows a SHA-256 fingerprint of the certificate behind the lock in its address line. It
        must be the one that <code>ash-pond serve</code> printed when it was started. Where they differ,
        somebody stands between: give no passphrase. This page says of itself that it is the following; a page
        can be forged, what was printed cannot.
      </p>
      <p class="print" data-test="fingerprint">{{ now.fingerprint }}</p>
    </template>
  </main>
</template>

<style scoped>
.way-in {
  max-width: 560px;
  padding: 32px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  padding-bottom: 8px;
}
h2 {
  font-size: var(--size-word);
  font-weight: 600;
  padding: 24px 0 6px;
}
form {
  display: flex;
  gap: 12px;
  padding-bottom: 8px;
}
input {
  flex: 1;
  min-width: 0;
  height: 44px;
  padding: 0 10px;
  border: 1px solid var(--line);
  background: var(--ground);
  color: var(--ink);
  font: inherit;
}
button {
  text-align: center;
  min-width: 88px;
  height: 44px;
  border: 1px solid var(--primary);
  color: var(--primary);
}
.trouble {
  color: var(--trips);
  padding-bottom: 8px;
}
.print {
  font-family: var(--mono, monospace);
  overflow-wrap: anywhere;
  padding-top: 6px;
}
</style>
