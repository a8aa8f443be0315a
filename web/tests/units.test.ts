import { afterEach, describe, expect, it } from "vitest";
import { habits, readHabits } from "../src/format/habits";
import { exact, fixed, plain, read } from "../src/format/number";
import { typed } from "../src/format/figure";
import { areaOfGauge, day, fromFeet, gaugeOfArea, told, toFeet } from "../src/format/units";

const SI = readHabits(null);
afterEach(() => Object.assign(habits, SI));

describe("habits", () => {
  it("are read only where each is one of its choices", () => {
    expect(readHabits('{"decimal":"comma","length":"furlong"}')).toEqual({ ...SI, decimal: "comma" });
    for (const text of ["", "null", "{", "[1]", '"x"']) expect(readHabits(text)).toEqual(SI);
  });

  it("leave sentences alone in SI", () => {
    const sentence = "96.5 % at 12 °C, 22 m of 1.5 mm², 1,280 Wh";
    expect(told(sentence)).toBe(sentence);
  });

  it("turn sentences into °F, ft, AWG and commas", () => {
    Object.assign(habits, { temperature: "f", length: "ft", area: "awg", decimal: "comma" });
    expect(told("96.5 % at 12 °C, not below -5 °C")).toBe("96,5 % at 54 °F, not below 23 °F");
    expect(told("22 m of 1.5 mm²")).toBe("72,2 ft of AWG 15");
    // Milliohms, minutes and watts are no metres.
    expect(told("5 mA, 3 min, 1,280.5 Wh")).toBe("5 mA, 3 min, 1.280,5 Wh");
  });

  it("write and read numbers either way", () => {
    expect([fixed(1234.5, 1), plain(0.5)]).toEqual(["1,234.5", "0.5"]);
    habits.decimal = "comma";
    expect([fixed(1234.5, 1), plain(0.5), exact(12.5, true), exact(300, true)]).toEqual([
      "1.234,5",
      "0,5",
      "12,5",
      "300",
    ]);
    expect(read("0,5")).toBe(0.5);
    expect(typed({ value: 6.25, plus_minus: 0.5, basis: "measured" })).toBe("6,25 ± 0,5 m");
  });

  it("write days as people do", () => {
    expect(day("2026-11-25T17:30")).toBe("2026-11-25");
    habits.date = "dmy";
    expect(day("2026-11-25")).toBe("25.11.2026");
    habits.date = "mdy";
    expect(day("2026-11-25")).toBe("11/25/2026");
  });
});

describe("gauges and feet", () => {
  it("go there and back", () => {
    expect(fromFeet(toFeet(7.3))).toBeCloseTo(7.3, 12);
    for (let gauge = -3; gauge <= 24; gauge += 1) expect(gaugeOfArea(areaOfGauge(gauge))).toBe(gauge);
    expect(areaOfGauge(14)).toBeCloseTo(2.08, 2);
  });
});
