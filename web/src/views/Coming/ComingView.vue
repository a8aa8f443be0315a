<script setup lang="ts">
defineProps<{ title: string; sentence: string }>();
</script>

<template>
  <main class="coming">
    <h1>{{ title }} is not there yet.</h1>
    <p>{{ sentence }}</p>
    <p><RouterLink to="/chains">Chains</RouterLink> is: it compares ways from the store to a device.</p>
  </main>
</template>

<style scoped>
.coming {
  padding: 28px 24px;
  max-width: 68ch;
  display: grid;
  gap: 12px;
}
h1 {
  font-size: 22px;
  font-weight: 600;
}
a {
  color: var(--primary);
}
@media (max-width: 720px) {
  .coming {
    padding: 20px 16px;
  }
}
</style>
