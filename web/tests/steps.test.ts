import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { FakeServer, page, settled, smallSite } from "./support/server";

let server: FakeServer;
beforeEach(() => {
  vi.useFakeTimers();
  server = new FakeServer().add("cottage", smallSite());
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

it("what is typed goes out before a step is undone, however soon that is asked for", async () => {
  const here = await page(server);
  await here.load();
  const { useSteps } = await import("../src/composables/useSteps");
  here.edits.edit({ kind: "device", id: "lamp" }, "label", (body) => {
    (body as { label: string }).label = "Desk lamp";
  });
  const { undo } = useSteps();
  const both = [undo(), undo()];
  await vi.runAllTimersAsync();
  await Promise.all(both);
  await settled();
  // It was kept as a step, that step was undone, and there was no other.
  expect(server.count("PUT", "/sites/cottage/elements/device/lamp")).toBe(1);
  expect(server.count("POST", "/sites/cottage/undo")).toBe(2);
  expect(here.edits.unsaved.value.size).toBe(0);
  expect(here.plan.value?.kit.devices[1]?.label).toBe("Lamp");
});
