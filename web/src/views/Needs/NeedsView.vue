<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import type { Device, Need } from "../../api/client";
import { useAddress } from "../../composables/useAddress";
import { useLine } from "../../composables/useLine";
import KindPicker from "../../components/KindPicker.vue";
import { useKeys } from "../../composables/useKeys";
import { useSite } from "../../composables/useSite";
import { raw } from "../../format/figure";
import { watts } from "../../format/number";
import DeviceEditor from "./DeviceEditor.vue";
import MattersList from "./MattersList.vue";
import NeedRow from "./NeedRow.vue";
import TotalsDetail from "./TotalsDetail.vue";
import { useDevices } from "./useDevices";

const { plan } = useSite();
const { needs, devices, add, move, follow } = useDevices();
const opened = ref<string>();
const adding = ref(false);
const matter = ref(false);
const list = ref<HTMLElement>();
const dragged = ref<string>();
const over = ref<string>();

const byDevice = computed<Record<string, Need>>(() =>
  Object.fromEntries((needs.value?.devices ?? []).map((it) => [it.device, it])),
);
const running = (it: Device) => raw(it.phases.find((phase) => phase.when === "running")?.watts) ?? 0;
const told = (it: Device) =>
  `${watts(running(it))} W, ${raw(it.input.rated_v)} V ${it.input.current.toUpperCase()}`;
const empty = (label: string): Device => ({
  id: "",
  label,
  input: { current: "dc", rated_v: 12 },
  phases: [{ when: "running", watts: 0 }],
});

function buttons(): HTMLElement[] {
  return [...(list.value?.querySelectorAll<HTMLElement>("[data-test=device]") ?? [])];
}
async function focusOn(index: number) {
  await nextTick();
  buttons()[index]?.focus();
}
function toggle(id: string) {
  opened.value = opened.value === id ? undefined : id;
}
async function pick(device: Device) {
  adding.value = false;
  const id = await add(device);
  if (!id) return;
  opened.value = id;
  await nextTick();
  document.getElementById(`device-${id}`)?.scrollIntoView({ block: "nearest" });
}

/** Up and down go along the rows; with Alt they carry the row. */
async function arrow(event: KeyboardEvent) {
  const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  const at = buttons().findIndex((it) => it === event.target);
  if (step === 0 || at < 0) return;
  event.preventDefault();
  const device = devices.value[at];
  if (event.altKey && device) await move(device.id, at + step);
  void focusOn(Math.min(Math.max(at + step, 0), devices.value.length - 1));
}

function drop(id: string) {
  const to = devices.value.findIndex((it) => it.id === id);
  if (dragged.value && to >= 0) void move(dragged.value, to);
  dragged.value = over.value = undefined;
}

useAddress({ row: { now: () => opened.value, take: (text) => (opened.value = text) } });
useLine();
follow();
useKeys({ n: () => (adding.value = true), m: () => (matter.value = !matter.value) });
</script>

<template>
  <main class="needs">
    <h1 data-test="headline">{{ needs?.headline ?? (plan ? "" : "…") }}</h1>
    <p class="keys label faint">
      <button type="button" data-test="add" @click="adding = true">n add a device</button>
      <button type="button" data-test="matter" :aria-expanded="matter" @click="matter = !matter">
        m assumed and matters
      </button>
      <span>up, down along the rows · Alt up, down their order · Enter open · Ctrl Z undo</span>
    </p>
    <KindPicker
      v-if="adding"
      what="device"
      example="router, pump, heater …"
      :told="told"
      :empty="empty"
      @pick="pick"
      @close="adding = false"
    />
    <MattersList v-if="matter" @close="matter = false" />
    <div class="head label faint" aria-hidden="true">
      <span /><span>device</span><span>fed with</span><span>phases, watts over time</span
      ><span class="right">a day</span> <span>survives</span><span>after a loss</span><span>harm</span>
    </div>
    <ol ref="list" class="list" @keydown="arrow">
      <li
        v-for="(device, index) in devices"
        :id="`device-${device.id}`"
        :key="device.id"
        :draggable="opened !== device.id"
        :class="{ over: over === device.id && dragged !== device.id }"
        @dragstart="dragged = device.id"
        @dragover.prevent="over = device.id"
        @dragend="dragged = over = undefined"
        @drop.prevent="drop(device.id)"
      >
        <NeedRow
          :device="device"
          :need="byDevice[device.id]"
          :place="index + 1"
          :open="opened === device.id"
          @toggle="toggle(device.id)"
        />
        <DeviceEditor
          v-if="opened === device.id"
          :device="device"
          :place="index + 1"
          :count="devices.length"
          @close="toggle(device.id)"
          @copied="(id) => (opened = id)"
        />
      </li>
    </ol>
    <footer v-if="needs" class="foot">
      <TotalsDetail v-if="needs.devices.length > 0" :needs="needs" :devices="devices" />
      <p class="faint">
        Type watts, 0.7 A 12 V, 400 mAh/h, 4.5 Wh/day; 6.2 ± 0.2 m is measured, l from a label, d from a
        datasheet.
      </p>
      <p><RouterLink to="/supply">Next: what runs it</RouterLink></p>
    </footer>
  </main>
</template>

<style scoped>
.needs {
  padding: 16px 24px 24px;
}
h1 {
  font-size: var(--size-title);
  font-weight: 600;
  min-height: 28px;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
  align-items: baseline;
}
.keys button {
  color: var(--primary);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 6px 0;
}
.head {
  display: grid;
  grid-template-columns:
    26px minmax(120px, 1.1fr) 150px minmax(200px, 1.7fr) 82px 86px minmax(90px, 0.8fr)
    minmax(120px, 1fr);
  gap: 14px;
  padding: 8px 0 4px;
  border-bottom: 2px solid var(--line);
  font-size: var(--size-note);
}
.right {
  text-align: right;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-bottom: 1px solid var(--line);
}
li.over {
  border-top: 2px solid var(--primary);
}
.foot a {
  color: var(--primary);
}
.foot {
  padding-top: 10px;
  display: grid;
  gap: 4px;
}
@media (--desk) {
  .head {
    display: none;
  }
  .needs {
    padding: 12px 16px 20px;
  }
  .list {
    border-top: 1px solid var(--line);
  }
}
</style>
