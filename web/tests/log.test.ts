import { describe, expect, it } from "vitest";
import { aging, resisting } from "../src/views/Log/aging";
import type { Battery } from "../src/views/Log/useLog";

const at = (year: number, value: number, half = 3) => ({
  year,
  value,
  low: value - half,
  high: value + half,
  what: "capacity test",
  origin: "",
});
const battery = (more: Partial<Battery> = {}): Battery => ({
  source: "bank",
  unit: "Ah",
  rated: 80,
  now: at(2026.9, 57),
  loses_per_year: [5, 2],
  points: [at(2023.8, 74), at(2024.8, 68), at(2025.8, 62)],
  before: [],
  trend: [at(2023.8, 74), at(2026.9, 57), at(2031.9, 30, 12)],
  needs: [],
  crossings: [],
  cycles: 0,
  life_used: 0,
  resistance: null,
  by_day: null,
  sentence: "",
  ...more,
});

describe("the picture of a battery that ages", () => {
  it("falls to the right, and more capacity stands higher", () => {
    const found = aging(battery());
    expect(found.points.map((it) => it.x)).toEqual([...found.points.map((it) => it.x)].sort((a, b) => a - b));
    const [first, , last] = found.points.map((it) => it.y);
    expect(first).toBeLessThan(last ?? 0);
    for (const it of found.points) {
      expect(it.high).toBeLessThan(it.y);
      expect(it.low).toBeGreaterThan(it.y);
    }
    expect(found.now).toBeGreaterThan(found.points[2]?.x ?? Infinity);
  });

  it("draws what an outage needs where it lies on the scale, and no line where it lies above all of it", () => {
    const need = (needs: number | null) => ({
      outage: "storm",
      arrangement: "direct",
      device: "pump",
      needs,
      sentence: "",
    });
    const found = aging(battery({ needs: [need(26), need(365), need(null)] }));
    expect(found.needs.map((it) => it.value)).toEqual([26]);
    expect(found.needs[0]?.y).toBeGreaterThan(found.points[2]?.y ?? Infinity);
  });

  it("draws a resistance in milliohms, what is too unsure no higher than three times what is measured", () => {
    const ohms = (year: number, value: number, half: number) => at(year, value, half);
    const found = resisting({
      now: ohms(2026.9, 0.024, 0.004),
      gains_per_year: [0.002, 0.001],
      points: [ohms(2024.8, 0.018, 0.001), ohms(2025.8, 0.02, 0.5)],
      before: [],
      trend: [ohms(2024.8, 0.018, 0.002), ohms(2031.9, 0.034, 0.01)],
      sentence: "",
    });
    expect(found.points.map((it) => it.value)).toEqual([18, 20]);
    const drawn = aging(found);
    const [first, second] = drawn.points.map((it) => it.y);
    expect(first).toBeGreaterThan(second ?? 0);
    expect(Math.max(...drawn.levels.map((it) => it.value))).toBeLessThanOrEqual(110);
    expect(drawn.needs).toEqual([]);
  });

  it("keeps predecessors apart, and stands where nothing was measured", () => {
    const found = aging(battery({ before: [at(2019.5, 60)] }));
    expect(found.points.filter((it) => it.before)).toHaveLength(1);
    const empty = aging(battery({ points: [], trend: [], now: at(2026.9, 80) }));
    expect([empty.course, empty.band, empty.water]).toEqual(["", "", ""]);
    for (const it of empty.years) expect(Number.isFinite(it.x)).toBe(true);
  });
});
