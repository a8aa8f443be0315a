<script setup lang="ts">
import { computed, ref } from "vue";
import type { Device, Needs } from "../../api/client";
import { fixed, watts, wattHours } from "../../format/number";

/** What the totals hide: by current and voltage, and what each device has in the day and in the worst moment. */
const props = defineProps<{ needs: Needs; devices: Device[] }>();
const open = ref(false);
const label = (id: string) => props.devices.find((it) => it.id === id)?.label ?? id;
const rows = computed(() =>
  [...props.needs.devices]
    .sort((a, b) => b.day_wh - a.day_wh)
    .map((it) => ({
      id: it.device,
      label: label(it.device),
      day: it.day_wh,
      share: props.needs.day_wh > 0 ? it.day_wh / props.needs.day_wh : 0,
      worst: props.needs.worst.devices.find((other) => other.device === it.device)?.watts ?? 0,
    })),
);
</script>

<template>
  <section class="totals" aria-label="Totals">
    <table data-test="classes">
      <thead>
        <tr class="label faint">
          <th scope="col">fed with</th>
          <th scope="col" class="number">devices</th>
          <th scope="col" class="number">a day</th>
          <th scope="col" class="number">all busy</th>
          <th scope="col" class="number">at worst, {{ needs.worst.when }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="it in needs.classes" :key="it.current + it.volts">
          <td>{{ fixed(it.volts, 0) }} V {{ it.current.toUpperCase() }}</td>
          <td class="number">{{ it.devices }}</td>
          <td class="number">{{ wattHours(it.day_wh) }} Wh</td>
          <td class="number">{{ watts(it.busy_w) }} W</td>
          <td class="number">{{ watts(it.worst_w) }} W</td>
        </tr>
        <tr class="sum">
          <td>all</td>
          <td class="number">{{ needs.devices.length }}</td>
          <td class="number">{{ wattHours(needs.day_wh) }} Wh</td>
          <td class="number" />
          <td class="number">{{ watts(needs.worst.watts) }} W</td>
        </tr>
      </tbody>
    </table>
    <p class="label">
      <button type="button" :aria-expanded="open" data-test="hidden" @click="open = !open">
        {{ open ? "close what the totals hide" : "what the totals hide" }}
      </button>
    </p>
    <div v-if="open" data-test="shares">
      <ul>
        <li v-for="it in rows" :key="it.id">
          <span class="who">{{ it.label }}</span>
          <span class="bar" aria-hidden="true"><span :style="{ width: `${it.share * 100}%` }" /></span>
          <span class="number">{{ wattHours(it.day) }} Wh, {{ fixed(it.share * 100, 0) }} %</span>
          <span class="number">{{ watts(it.worst) }} W at worst</span>
        </li>
      </ul>
      <p>
        Everything starting at once: {{ watts(needs.worst.all_starting_w) }} W. These are watts at the
        devices; what converters and leads lose comes on top, and is told in
        <RouterLink to="/chains">Chains</RouterLink>.
      </p>
    </div>
  </section>
</template>

<style scoped>
table {
  border-collapse: collapse;
}
th {
  font-weight: 400;
  text-align: left;
  font-size: var(--size-note);
}
td,
th {
  padding: 3px 26px 3px 0;
}
.number {
  text-align: right;
  white-space: nowrap;
}
th.number {
  white-space: normal;
}
.sum td {
  border-top: 1px solid var(--ink);
  font-weight: 600;
}
button,
a {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
}
button {
  padding: 6px 0;
}
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
  max-width: 820px;
}
li {
  display: grid;
  grid-template-columns: minmax(130px, 1fr) minmax(60px, 1.4fr) 124px 120px;
  gap: 14px;
  align-items: center;
  padding: 2px 0;
}
.bar span {
  display: block;
  height: 10px;
  background: var(--water);
  border-bottom: 1px solid var(--ink);
}
@media (--narrow) {
  td,
  th {
    padding-right: 12px;
  }
  li {
    grid-template-columns: 1fr auto;
    gap: 0 12px;
  }
  .bar {
    display: none;
  }
  li .number:last-child {
    grid-column: 2;
  }
}
</style>
