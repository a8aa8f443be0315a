import { describe, expect, it } from "vitest";
import type { Schemas } from "../src/api/client";
import { lossesOf } from "../src/views/Chains/losses";
import { lineOfOutage } from "../src/views/Outage/timeline";
import type { Told } from "../src/views/Outage/useOutage";
import { inputWords, limitWords } from "../src/views/Supply/words";

const limit = (more: Partial<Schemas["PortLimit"]>) =>
  ({ continuous: 8, unit: "A", overload: [], ...more }) as Schemas["PortLimit"];
const input = (more: Partial<Schemas["InputFacts"]>) => more as Schemas["InputFacts"];

describe("a limit in words", () => {
  it("says what it carries, for how long more, and with whom it is shared", () => {
    expect(limitWords(limit({}))).toBe("8 A");
    expect(limitWords(limit({ overload: [{ up_to: 9, for_s: 3 }], group: "the USB side" }))).toBe(
      "8 A, 9 A for 3 s, shared by the USB side",
    );
    expect(limitWords(limit({ unit: "W", overload: [{ up_to: 900, for_s: null }] }))).toBe(
      "8 W, 900 W for a time nobody states",
    );
    expect(limitWords(limit({ continuous: 0.1 + 0.2 }))).toBe("0.3 A");
  });
});

describe("a charging input in words", () => {
  it("says what it takes and how long that lasts", () => {
    expect(inputWords(input({}))).toBe("its limit is not known");
    expect(inputWords(input({ most_w: 299.6 }))).toBe("up to 300 W");
    expect(inputWords(input({ most_w: 300, to_80_h: 1.66, to_full_h: 12.4 }))).toBe(
      "up to 300 W, 20 to 80 % in 1.7 h, empty to full in 12 h",
    );
  });
});

describe("the losses at a weir", () => {
  const parts = { loss_idle_w: 4, loss_proportional_w: 1.5, loss_quadratic_w: 0.2 };
  it("stand by what they come with, and add up", () => {
    const all = lossesOf("inverter", parts);
    expect(all.map((it) => [it.kind, it.key])).toEqual([
      ["idle", "inverter.loss_idle_w"],
      ["load", "inverter.loss_proportional_w"],
      ["squared", "inverter.loss_quadratic_w"],
    ]);
    expect(all.reduce((sum, it) => sum + it.watts, 0)).toBeCloseTo(5.7, 12);
  });
  it("leave out what nobody could read", () => {
    const kinds = lossesOf("x", { loss_idle_w: 0, loss_proportional_w: 1, loss_quadratic_w: 0.004 });
    expect(kinds.map((it) => it.kind)).toEqual(["load"]);
  });
});

describe("the one-line answer of an outage", () => {
  const told = (devices: Record<string, { down_at_h?: number; why?: string }>, keeps?: string) =>
    ({ keeps, simulation: { devices, events: [] } }) as unknown as Told;
  const line = (it: Told, range?: { p5: number; p50: number; p95: number }) => {
    const chances = range && { chances: { devices: { router: { hours: range } } } };
    const words: Record<string, string> = { router: "Router", heater: "Diesel heater", lamp: "Lamp" };
    return lineOfOutage("Direct DC", it, chances as never, 72, (id) => words[id] ?? id);
  };
  it("says how long the first device lasts, how sure that is, and what goes first", () => {
    const devices = { router: { down_at_h: 41.2 }, heater: { down_at_h: 9.9 } };
    expect(line(told(devices, "router"), { p5: 35.2, p50: 41, p95: 46.4 })).toBe(
      "Direct DC · Router 41 h (35 to 46) · Diesel heater goes first, after 9 h 54",
    );
  });
  it("leaves out a range that says nothing, and what was dropped on purpose", () => {
    const devices = { router: { down_at_h: 10.84 }, lamp: { down_at_h: 1, why: "shed by rule" } };
    expect(line(told(devices, "router"), { p5: 10.8, p50: 10.9, p95: 11 })).toBe(
      "Direct DC · Router 10 h 50 · Router goes first",
    );
  });
  it("says that all of it is lasted", () => {
    expect(line(told({ router: {} }, "router"))).toBe("Direct DC · Router all 72 h · nothing goes");
  });
});
