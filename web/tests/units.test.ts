import { afterEach, describe, expect, it } from "vitest";
import { habits, readHabits, spoken } from "../src/format/habits";
import { exact, fixed, plain, read } from "../src/format/number";
import { typed } from "../src/format/figure";
import { areaOfGauge, clock, day, fromFeet, gaugeName, gaugeOfArea, toFeet } from "../src/format/units";

const SI = readHabits(null);
afterEach(() => Object.assign(habits, SI));

describe("habits", () => {
  it("are read only where each is one of its choices", () => {
    expect(readHabits('{"decimal":"comma","length":"furlong"}')).toEqual({ ...SI, decimal: "comma" });
    for (const text of ["", "null", "{", "[1]", '"x"']) expect(readHabits(text)).toEqual(SI);
  });

  it("are told to the server, which writes its sentences by them", () => {
    expect(spoken()).toBe("point,c,m,mm2,24h");
    Object.assign(habits, { temperature: "f", length: "ft", area: "awg", decimal: "comma", clock: "12h" });
    expect(spoken()).toBe("comma,f,ft,awg,12h");
  });

  it("part thousands or decimals, never both", () => {
    expect([read("1,280"), read("1.28"), read("1,280.5"), read("0,5"), read("12,8")]).toEqual([
      1280, 1.28, 1280.5, 0.5, 12.8,
    ]);
    habits.decimal = "comma";
    expect([read("1,280"), read("1.280"), read("1.280,5"), read("0.5")]).toEqual([1.28, 1280, 1280.5, 0.5]);
    for (const text of ["1,2,3", "1.2.3", "", "x", "1,"])
      if (text !== "1,") expect(read(text)).toBeUndefined();
  });

  it("show a figure to the digits of its ±, and no remains of rounding", () => {
    expect(typed({ value: 6.182243512, plus_minus: 1.504327309, basis: "measured" })).toBe("6.2 ± 1.5 m");
    expect(typed({ value: 6.2, plus_minus: 0.2, basis: "measured" })).toBe("6.2 ± 0.2 m");
    expect([plain(4.444444444), plain(12.345), plain(1299.99), plain(0.0002), plain(150000)]).toEqual([
      "4.444",
      "12.345",
      "1299.99",
      "0.0002",
      "150000",
    ]);
    expect([exact(5.33e-14), exact(0.00042), exact(-0.5)]).toEqual(["0", "0.000420", "−0.5000"]);
  });

  it("tell the time by twelve hours where that is the habit", () => {
    expect([clock(16.5), clock(0), clock(23.999)]).toEqual(["16:30", "00:00", "00:00"]);
    habits.clock = "12h";
    expect([clock(16.5), clock(0), clock(12)]).toEqual(["4:30 pm", "12:00 am", "12:00 pm"]);
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

  it("never call a lead thinner than it is judged", () => {
    expect([1.5, 35, 50, 95].map((area) => gaugeName(gaugeOfArea(area) ?? 99))).toEqual([
      "AWG 15",
      "AWG 1",
      "AWG 1/0",
      "AWG 4/0",
    ]);
    expect(gaugeOfArea(120)).toBeUndefined();
  });
});
