import { describe, expect, it } from "vitest";
import { figureOf, idFrom, typed } from "../src/format/figure";
import { layStrip, type Step } from "../src/views/Needs/strip";

const step = (when: Step["when"], watts: number, more: Partial<Step> = {}): Step => ({
  phase: 0,
  when,
  watts,
  label: null,
  seconds: null,
  share: null,
  ...more,
});

describe("a phase strip", () => {
  it("fills its width, and its highest step its height", () => {
    const steps = [
      step("starting", 112, { seconds: 150 }),
      step("running", 21, { share: 0.9 }),
      step("busy", 30, { share: 0.1 }),
      step("stopping", 92, { seconds: 180 }),
    ];
    const bars = layStrip(steps, 260, 40);
    expect(bars[0]?.height).toBe(40);
    expect(bars[1]?.height).toBeCloseTo((40 * 21) / 112);
    const last = bars[3];
    expect((last?.x ?? 0) + (last?.width ?? 0)).toBeCloseTo(260);
    bars.slice(1).forEach((bar, index) => {
      const before = bars[index];
      expect(bar.x).toBeCloseTo((before?.x ?? 0) + (before?.width ?? 0));
    });
    expect(bars.map((bar) => bar.words)).toEqual(["start 150 s", "run", "busy 10 %", "stop 180 s"]);
  });

  it("gives a lone phase all of it, and nothing a visible line", () => {
    const [bar] = layStrip([step("running", 0, { share: 1 })], 260, 40);
    expect(bar?.width).toBeCloseTo(260);
    expect(bar?.height).toBe(2);
  });
});

describe("a figure in a field", () => {
  it("is told as it would be typed", () => {
    expect(typed(6)).toBe("6");
    expect(typed({ value: 6.2, plus_minus: 0.2, basis: "measured" })).toBe("6.2 ± 0.2 m");
    expect(typed({ value: 0.4, plus_minus: 0.05, basis: "label" }, true)).toBe("40 ± 5 % l");
    expect(typed(undefined)).toBe("");
  });

  it("is bare where an entry says nothing more", () => {
    const entry = { value: 6, plus_minus: null, basis: "assumed", note: null } as const;
    const rest = { awg: null, working: null, question: null, instead: null };
    expect(figureOf({ ...entry, ...rest })).toBe(6);
    expect(figureOf({ ...entry, ...rest, basis: "label", note: "1.5 A × 12 V" })).toEqual({
      value: 6,
      basis: "label",
      note: "1.5 A × 12 V",
    });
  });
});

describe("an id", () => {
  it("is made from a name and is not taken", () => {
    expect(idFrom("Gâte caméra, zwei", [])).toBe("gate-camera-zwei");
    expect(idFrom("Router", ["router", "router-2"])).toBe("router-3");
    expect(idFrom("…", [])).toBe("item");
  });
});
