import { describe, expect, it, vi } from "vitest";
import { effectScope, nextTick, ref, type Ref } from "vue";
import type { Told } from "../src/views/Watch/useWatch";

/** What a watch holds; entries are numbered from 1 on, the latest first. */
const kept = vi.hoisted(() => ({ count: 0, isGone: false }));
const entries = (from: number, to: number) =>
  Array.from({ length: to - from }, (_, index) => ({ number: to - index, words: `entry ${to - index}` }));

vi.mock("../src/composables/useSite", () => ({ useSite: () => ({ id: { value: "site" } }) }));
vi.mock("../src/api/client", () => ({
  api: {
    GET: (_path: string, { params }: { params: { query: { before: number; limit: number } } }) => {
      if (kept.isGone) throw new Error("gone");
      const { before, limit } = params.query;
      return { data: { count: kept.count, entries: entries(Math.max(0, before - limit), before) } };
    },
  },
  taken: (answer: { data: unknown }) => answer.data,
}));
const { useEarlier } = await import("../src/views/Watch/useEarlier");

const watched = (count: number, number = 1) => {
  kept.count = count;
  return {
    number,
    entry_count: count,
    entries: entries(Math.max(0, count - 100), count),
  } as unknown as Told;
};
const numbers = (it: { shown: { value: Told["entries"] } }) => it.shown.value.map((entry) => entry.number);
const down = (from: number, to: number) => Array.from({ length: from - to + 1 }, (_, index) => from - index);

const opened = (told: Ref<Told>) => {
  const found = effectScope().run(() => useEarlier(told));
  if (!found) throw new Error("the scope has ended");
  return found;
};

describe("what was done in a watch", () => {
  it("is shown from the latest on, and further back with each step, each once", async () => {
    const told = ref(watched(260));
    const it = opened(told);
    expect([numbers(it), it.left.value]).toEqual([down(260, 253), 252]);
    await it.more();
    expect([numbers(it), it.left.value]).toEqual([down(260, 161), 160]);
    await it.more();
    expect([numbers(it), it.left.value]).toEqual([down(260, 61), 60]);
    // While it is read, more comes: nothing is twice and nothing is missing.
    told.value = watched(275);
    await nextTick();
    await nextTick();
    expect([numbers(it), it.left.value]).toEqual([down(275, 61), 60]);
    await it.more();
    expect([numbers(it), it.left.value]).toEqual([down(275, 1), 0]);
    it.fewer();
    expect([numbers(it), it.left.value]).toEqual([down(275, 268), 267]);
  });

  it("stays as it is where the server does not answer, and begins anew with another watch", async () => {
    const told = ref(watched(230));
    const it = opened(told);
    await it.more();
    kept.isGone = true;
    await it.more();
    expect(it.trouble.value).toContain("does not answer");
    expect(numbers(it)).toEqual(down(230, 131));
    kept.isGone = false;
    await it.more();
    expect([it.trouble.value, numbers(it).length]).toEqual(["", 200]);
    told.value = watched(3, 2);
    await nextTick();
    expect([numbers(it), it.isOpen.value, it.left.value]).toEqual([[3, 2, 1], false, 0]);
  });
});
