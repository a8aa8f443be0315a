import { computed, nextTick, ref } from "vue";
import { describe, expect, it } from "vitest";
import { useSpan } from "../src/views/Outage/useSpan";

const spanOf = (hours: number) => {
  const longest = ref(hours);
  const outage = ref("storm");
  const span = useSpan(
    computed(() => longest.value),
    () => outage.value,
  );
  const wide = () => span.view.value.to - span.view.value.from;
  return { ...span, longest, outage, wide };
};

/** Numbers that look thrown and are the same each time. */
function* thrown(seed: number): Generator<number, never> {
  for (let state = seed; ;) {
    state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
    yield state / 2_147_483_648;
  }
}

describe("what is seen of an outage", () => {
  it("is all of it at first, and again when another outage is looked at", async () => {
    const { view, zoom, outage, longest } = spanOf(72);
    expect(view.value).toEqual({ from: 0, to: 72 });
    zoom(4, 36);
    expect(view.value).toEqual({ from: 27, to: 45 });
    outage.value = "works cut";
    await nextTick();
    expect(view.value).toEqual({ from: 0, to: 72 });
    longest.value = 9;
    await nextTick();
    expect(view.value).toEqual({ from: 0, to: 9 });
  });

  it("keeps the hour under the hand where it is while it comes nearer", () => {
    const { view, zoom } = spanOf(48);
    const share = () => (12 - view.value.from) / (view.value.to - view.value.from);
    const before = share();
    zoom(1.5, 12);
    zoom(1.5, 12);
    expect(share()).toBeCloseTo(before, 10);
  });

  it("never leaves the outage, whatever is pressed", () => {
    const numbers = thrown(7);
    const { view, cursor, zoom, pan, move, wide } = spanOf(30);
    for (let turn = 0; turn < 600; turn += 1) {
      const [what, much] = [numbers.next().value, numbers.next().value];
      if (what < 0.35) zoom(0.3 + 3 * much, 30 * numbers.next().value);
      else if (what < 0.6) pan(4 * much - 2);
      else move(60 * much - 15);
      expect(view.value.from).toBeGreaterThanOrEqual(0);
      expect(view.value.to).toBeLessThanOrEqual(30 + 1e-9);
      expect(wide()).toBeGreaterThanOrEqual(0.25 - 1e-9);
      expect(cursor.value).toBeGreaterThanOrEqual(0);
      expect(cursor.value).toBeLessThanOrEqual(30);
    }
  });

  it("follows the hour that is read, however far it goes in one step", () => {
    const numbers = thrown(11);
    const { view, cursor, zoom, move } = spanOf(72);
    zoom(12, 3);
    for (let turn = 0; turn < 100; turn += 1) {
      move(72 * numbers.next().value);
      expect(cursor.value).toBeGreaterThanOrEqual(view.value.from - 1e-9);
      expect(cursor.value).toBeLessThanOrEqual(view.value.to + 1e-9);
    }
  });

  it("does not creep at the edge: one step out shows half of what comes", () => {
    const { view, zoom, move, stepWide } = spanOf(72);
    zoom(6, 6);
    const { to } = view.value;
    move(to + stepWide.value);
    expect(view.value.from).toBeCloseTo(to - 6, 6);
  });
});
